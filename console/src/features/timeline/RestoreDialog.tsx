import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { MONO } from "../../theme";

/** A part of a snapshot, put into a change: an entry, a file, or a folder. */
export function RestoreDialog({ snapshot, onClose }: { snapshot: Schemas["SnapshotOut"]; onClose: () => void }) {
  const [what, setWhat] = useState("");
  const navigate = useNavigate();
  const restore = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/servers/{server_id}/restore", {
          params: { path: { server_id: snapshot.server } },
          body: { snapshot: snapshot.id, what: what.trim(), title: "" },
        }),
      ),
    onSuccess: (change) => navigate(`/changes/${String(change.id)}`),
  });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>Restore a part of snapshot {snapshot.id}</DialogTitle>
      <DialogContent>
        <Typography variant="body2" color="text.secondary" gutterBottom>
          An entry (FILE#ENTRY[KEY]), a file, or a folder. A change is created that makes it as it was then; nothing is written before you deploy it.
        </Typography>
        <TextField autoFocus fullWidth label="What to restore" value={what} onChange={(event) => { setWhat(event.target.value); }} sx={{ mt: 1 }} slotProps={{ htmlInput: { style: { fontFamily: MONO } } }} />
        <ProblemNote error={restore.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={!what.trim() || restore.isPending} onClick={() => { restore.mutate(); }}>Create the change</Button>
      </DialogActions>
    </Dialog>
  );
}
