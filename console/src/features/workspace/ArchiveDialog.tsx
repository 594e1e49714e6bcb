import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { askAgain } from "../../api/askAgain";
import { answer, api } from "../../api/client";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { DefaultsDialog } from "../servers/DefaultsDialog";

/** What a dropped ZIP is: the defaults of the game, or an exported snapshot. Nothing is written to the server. */
export function ArchiveDialog({ serverId, archive, onClose }: { serverId: string; archive: File; onClose: () => void }) {
  const [isDefaults, setDefaults] = useState(false);
  const queries = useQueryClient();
  const take = useMutation({
    mutationFn: () => {
      const form = new FormData();
      form.set("archive", archive);
      return answer(
        api.POST("/api/v1/servers/{server_id}/snapshots/import", {
          params: { path: { server_id: serverId } },
          body: { archive: "" },
          bodySerializer: () => form,
        }),
      );
    },
    onSuccess: () => askAgain(queries),
  });
  if (isDefaults) return <DefaultsDialog serverId={serverId} given={archive} onClose={onClose} />;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>What is <Mono>{archive.name}</Mono>?</DialogTitle>
      <DialogContent>
        {take.data ? (
          <Typography>It is snapshot {take.data.id} with {take.data.files} files now. You find it in the timeline.</Typography>
        ) : (
          <Typography>The files of the game as it ships them, or a snapshot that Zerrit exported. Nothing is written to the server.</Typography>
        )}
        <ProblemNote error={take.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>{take.data ? "Close" : "Cancel"}</Button>
        {!take.data && <Button variant="outlined" disabled={take.isPending} onClick={() => { take.mutate(); }}>Import as a snapshot</Button>}
        {!take.data && <Button variant="outlined" disabled={take.isPending} onClick={() => { setDefaults(true); }}>Import as defaults …</Button>}
      </DialogActions>
    </Dialog>
  );
}
