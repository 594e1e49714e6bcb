import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";

import { ProblemNote } from "../../shared/ProblemNote";
import { useImportDefaults } from "./useImportDefaults";

/** Import the files that the game ships, under a version label. */
export function DefaultsDialog({ serverId, given = null, onClose }: { serverId: string; given?: File | null; onClose: () => void }) {
  const [label, setLabel] = useState("");
  const [archive, setArchive] = useState<File | null>(given);
  const send = useImportDefaults(serverId, onClose);
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs">
      <DialogTitle>Import defaults</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 1.5, pt: "8px !important" }}>
        <Typography variant="body2" color="text.secondary">
          A ZIP of the files as the game ships them. Zerrit then shows what differs on this server.
        </Typography>
        <TextField label="Version" value={label} onChange={(event) => { setLabel(event.target.value); }} />
        {given ? (
          <Typography variant="body2">{given.name}</Typography>
        ) : (
          <input
            type="file"
            accept=".zip"
            aria-label="ZIP of the defaults"
            onChange={(event) => { setArchive(event.target.files?.[0] ?? null); }}
          />
        )}
        <ProblemNote error={send.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={!archive || !label || send.isPending} onClick={() => { if (archive) send.mutate({ label, archive }); }}>
          Import
        </Button>
      </DialogActions>
    </Dialog>
  );
}
