import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogTitle from "@mui/material/DialogTitle";
import { useState } from "react";

import type { ChosenChange } from "../workspace/useChosenChange";
import type { Edits } from "../workspace/useEdits";
import { EntriesGrid } from "./EntriesGrid";
import type { Row } from "./entryQuery";

interface Props {
  serverId: string;
  path: string;
  kind: string;
  row: Row;
  change: ChosenChange;
  edits: Edits;
  onClose: () => void;
}

/** The inner entries of one entry, edited like any other. */
export function PartsDialog({ serverId, path, kind, row, change, edits, onClose }: Props) {
  const [address, setAddress] = useState("");
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md">
      <DialogTitle>{row.trail}</DialogTitle>
      <Box sx={{ height: 420 }}>
        <EntriesGrid serverId={serverId} path={path} kind={kind} below={row.address} address={address} change={change} edits={edits} onTurn={(to) => { setAddress(to.address ?? ""); }} />
      </Box>
      <DialogActions><Button onClick={onClose}>Close</Button></DialogActions>
    </Dialog>
  );
}
