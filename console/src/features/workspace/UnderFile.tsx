import Box from "@mui/material/Box";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import { useEffect, useRef, useState } from "react";

import { FileSearch } from "../find/FileSearch";
import { FindingsOfFiles } from "./FindingsOfFiles";
import type { FilePlace } from "./links";
import type { ChosenChange } from "./useChosenChange";

interface Props {
  serverId: string;
  path: string;
  change: ChosenChange;
  onOpen: (path: string, view?: FilePlace) => void;
}

/** Below the file: what is found in it, and the search in all files. */
export function UnderFile({ serverId, path, change, onOpen }: Props) {
  const [view, setView] = useState<"findings" | "search">("findings");
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    const pressed = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey) || !event.shiftKey || event.key.toLowerCase() !== "f") return;
      event.preventDefault();
      setView("search");
      window.setTimeout(() => { field.current?.focus(); field.current?.select(); });
    };
    window.addEventListener("keydown", pressed);
    return () => { window.removeEventListener("keydown", pressed); };
  }, []);
  return (
    <Box sx={{ height: "100%", display: "flex", flexDirection: "column" }}>
      <Tabs value={view} onChange={(_, next: "findings" | "search") => { setView(next); }} sx={{ minHeight: 32, flexShrink: 0, borderBottom: 1, borderColor: "divider", "& .MuiTab-root": { minHeight: 32, py: 0 } }}>
        <Tab value="findings" label="Findings" />
        <Tab value="search" label="Search in files" title="Ctrl+Shift+F" />
      </Tabs>
      <Box sx={{ flex: 1, minHeight: 0, overflow: "auto" }}>
        {view === "findings" ? <FindingsOfFiles serverId={serverId} path={path} change={change} onOpen={onOpen} /> : <FileSearch serverId={serverId} change={change} field={field} onOpen={onOpen} />}
      </Box>
    </Box>
  );
}
