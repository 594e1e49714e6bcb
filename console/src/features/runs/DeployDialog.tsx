import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { askAgain } from "../../api/askAgain";
import { answer, api, AT_ONCE, type Schemas } from "../../api/client";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { when } from "../../shared/when";
import { OptionFields } from "./OptionFields";

/** Asks once more before the game is stopped, says what will be written, and when: now, or at the next task. */
export function DeployDialog({ change, onClose }: { change: Schemas["ChangeDetail"]; onClose: () => void }) {
  const [options, setOptions] = useState(AT_ONCE);
  const queries = useQueryClient();
  const params = { path: { change_id: change.id } };
  const server = { path: { server_id: change.server } };
  const known = useQuery({ queryKey: ["servers", change.server], queryFn: () => answer(api.GET("/api/v1/servers/{server_id}", { params: server })) });
  const tasks = useQuery({ queryKey: ["schedule", change.server], queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/schedule", { params: server })) });
  const onSuccess = async () => {
    onClose();
    await askAgain(queries);
  };
  const deploy = useMutation({ mutationFn: () => answer(api.POST("/api/v1/changes/{change_id}/deploy", { params, body: options })), onSuccess });
  const queue = useMutation({ mutationFn: () => answer(api.POST("/api/v1/changes/{change_id}/queue", { params })), onSuccess });
  const next = tasks.data?.find((task) => task.task === "restart");
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>Deploy to {change.server}?</DialogTitle>
      <DialogContent>
        <Typography gutterBottom>
          The game is stopped, what it holds is kept as a snapshot, these files are written and read back, and the game is
          started and watched. If anything goes wrong, the snapshot is restored automatically.
        </Typography>
        {change.touched.map((path) => (
          <Typography key={path} variant="body2"><Mono>{path}</Mono></Typography>
        ))}
        <OptionFields options={options} onChange={setOptions} canRehearse={known.data?.maintenance["may_rehearse"] === true} />
        <ProblemNote error={deploy.error ?? queue.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        {next && (
          <Button variant="outlined" disabled={queue.isPending} onClick={() => { queue.mutate(); }}>Wait for {when(next.next_at)}</Button>
        )}
        <Button variant="contained" disabled={deploy.isPending} onClick={() => { deploy.mutate(); }}>Stop, write and start</Button>
      </DialogActions>
    </Dialog>
  );
}
