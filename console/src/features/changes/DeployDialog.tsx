import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";

import { answer, api, type Schemas } from "../../api/client";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";

/** Asks once more before the game is stopped, and says what will be written. */
export function DeployDialog({ change, onClose }: { change: Schemas["ChangeDetail"]; onClose: () => void }) {
  const queries = useQueryClient();
  const deploy = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/changes/{change_id}/deploy", { params: { path: { change_id: change.id } } })),
    onSuccess: async () => {
      onClose();
      await queries.invalidateQueries();
    },
  });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>Deploy to {change.server}?</DialogTitle>
      <DialogContent>
        <Typography gutterBottom>
          The game is stopped, what it holds is kept as a snapshot, these files are written and read back, and the game is
          started and watched. If anything goes wrong, the snapshot is put back by itself.
        </Typography>
        {change.touched.map((path) => (
          <Typography key={path} variant="body2"><Mono>{path}</Mono></Typography>
        ))}
        <ProblemNote error={deploy.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={deploy.isPending} onClick={() => { deploy.mutate(); }}>Stop, write and start</Button>
      </DialogActions>
    </Dialog>
  );
}
