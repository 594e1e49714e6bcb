import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Drawer from "@mui/material/Drawer";
import type { ReactNode } from "react";

import { Mono } from "../../shared/Mono";

interface Props {
  path: string;
  tree: ReactNode;
  file: ReactNode;
  /** What is known of the selected place; null where none is selected. */
  inspector: ReactNode;
  tray: ReactNode;
  onFiles: () => void;
  onLeave: () => void;
}

/** The workspace on a narrow screen: the files, or one of them; the inspector comes from below. */
export function Phone({ path, tree, file, inspector, tray, onFiles, onLeave }: Props) {
  if (!path) return <Box sx={{ flex: 1, minHeight: 0, display: "flex", flexDirection: "column" }}><Box sx={{ flex: 1, minHeight: 0 }}>{tree}</Box></Box>;
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex", flexDirection: "column" }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, px: 1, py: 0.5, borderBottom: 1, borderColor: "divider" }}>
        <Button color="inherit" onClick={onFiles}>‹ Files</Button>
        <Box sx={{ flex: 1, minWidth: 0, overflow: "hidden" }}><Mono>{path}</Mono></Box>
      </Box>
      <Box sx={{ flex: 1, minHeight: 0 }}>{file}</Box>
      {tray}
      <Drawer anchor="bottom" open={inspector !== null} onClose={onLeave} slotProps={{ paper: { "aria-label": "What is known of the selected place", sx: { height: "60vh" } } }}>
        <Box sx={{ textAlign: "right", p: 0.5 }}><Button color="inherit" onClick={onLeave}>Close</Button></Box>
        {inspector}
      </Drawer>
    </Box>
  );
}
