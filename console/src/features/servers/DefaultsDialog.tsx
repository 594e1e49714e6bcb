import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { askAgain } from "../../api/askAgain";
import { answer, api } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";

/** Import the files that the game ships, under a version label. */
export function DefaultsDialog({ serverId, onClose }: { serverId: string; onClose: () => void }) {
  const [label, setLabel] = useState("");
  const [archive, setArchive] = useState<File | null>(null);
  const queries = useQueryClient();
  const send = useMutation({
    mutationFn: () => {
      const form = new FormData();
      form.set("label", label);
      if (archive) form.set("archive", archive);
      return answer(
        api.POST("/api/v1/servers/{server_id}/defaults", {
          params: { path: { server_id: serverId } },
          body: { label, archive: "" },
          bodySerializer: () => form,
        }),
      );
    },
    // Not after everything was asked for again: the page behind says what came, and one slow answer would hold the dialog open.
    onSuccess: () => {
      onClose();
      void askAgain(queries);
    },
  });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs">
      <DialogTitle>Import defaults</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 1.5, pt: "8px !important" }}>
        <Typography variant="body2" color="text.secondary">
          A ZIP of the files as the game ships them. Zerrit then shows what differs on this server.
        </Typography>
        <TextField label="Version" value={label} onChange={(event) => { setLabel(event.target.value); }} />
        <input
          type="file"
          accept=".zip"
          aria-label="ZIP of the defaults"
          onChange={(event) => { setArchive(event.target.files?.[0] ?? null); }}
        />
        <ProblemNote error={send.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={!archive || !label || send.isPending} onClick={() => { send.mutate(); }}>
          Import
        </Button>
      </DialogActions>
    </Dialog>
  );
}
