import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { askAgain } from "../../api/askAgain";
import { answer, api } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";

/** A gamebook that was dropped: what it would find, before it becomes that of the server. */
export function GamebookDropDialog({ serverId, name, text, onClose }: { serverId: string; name: string; text: string; onClose: () => void }) {
  const queries = useQueryClient();
  const params = { path: { server_id: serverId } };
  const trial = useQuery({
    queryKey: ["gamebook-trial", serverId, text],
    queryFn: () => answer(api.POST("/api/v1/servers/{server_id}/gamebook/test", { params, body: { text } })),
    gcTime: 0,
    retry: false,
  });
  const save = useMutation({
    mutationFn: () => answer(api.PUT("/api/v1/servers/{server_id}/gamebook", { params, body: { text } })),
    onSuccess: async () => {
      onClose();
      await askAgain(queries);
    },
  });
  const found = trial.data;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle><Mono>{name}</Mono> is a gamebook</DialogTitle>
      <DialogContent>
        {trial.isPending && <Loading lines={3} />}
        <ProblemNote error={trial.error ?? save.error} />
        {found && found.faults.length > 0 && found.faults.slice(0, 8).map((fault, index) => <Typography key={index} color="error">line {fault.line}: {fault.message}</Typography>)}
        {found?.faults.length === 0 && (
          <Typography>
            It has {found.rules.length.toLocaleString()} rules. In the latest files {found.appeared.length.toLocaleString()} findings would come with it, and {found.gone.length.toLocaleString()} would go.
            Every server that has a gamebook of this name gets it.
          </Typography>
        )}
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={!found || found.faults.length > 0 || save.isPending} onClick={() => { save.mutate(); }}>Save as the gamebook of {serverId}</Button>
      </DialogActions>
    </Dialog>
  );
}
