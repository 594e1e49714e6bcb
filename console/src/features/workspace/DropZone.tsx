import Box from "@mui/material/Box";
import { useState, type DragEvent, type ReactNode } from "react";

import { type Dropped, droppedFiles } from "./droppedFiles";

interface Props {
  /** The folder for what is not dropped on one. */
  folder: string;
  onDrop: (list: Dropped, folder: string) => void;
  children: ReactNode;
}

/** Takes files that are dropped; in the tree, on the folder that they fall on. */
export function DropZone({ folder, onDrop, children }: Props) {
  const [over, setOver] = useState<string | null>(null);
  const folderOf = (event: DragEvent): string => {
    const marked = event.target instanceof Element ? event.target.closest("[data-folder]") : null;
    return marked instanceof HTMLElement ? (marked.dataset["folder"] ?? folder) : folder;
  };
  return (
    <Box
      sx={{ flex: 1, minHeight: 0, display: "flex", flexDirection: "column", position: "relative" }}
      onDragOver={(event) => {
        if (!event.dataTransfer.types.includes("Files")) return;
        event.preventDefault();
        setOver(folderOf(event));
      }}
      onDragLeave={(event) => { if (!event.currentTarget.contains(event.relatedTarget as Node | null)) setOver(null); }}
      onDrop={(event) => {
        if (!event.dataTransfer.types.includes("Files")) return;
        event.preventDefault();
        setOver(null);
        const onto = folderOf(event);
        void droppedFiles(event.dataTransfer.items).then((list) => { onDrop(list, onto); });
      }}
    >
      {children}
      {over !== null && (
        <Box sx={{ position: "absolute", inset: 0, pointerEvents: "none", border: 2, borderStyle: "dashed", borderColor: "primary.main", display: "flex", alignItems: "flex-end", justifyContent: "center", pb: 8, zIndex: 2 }}>
          <Box sx={{ bgcolor: "primary.main", color: "primary.contrastText", px: 1.5, py: 0.5, borderRadius: 1 }}>Put into {over === "" ? "the top folder" : over}</Box>
        </Box>
      )}
    </Box>
  );
}
