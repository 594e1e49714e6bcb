import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api, ApiProblem } from "../../api/client";
import { DifferenceTable } from "../../shared/DifferenceTable";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";

/** What another person than Zerrit wrote, who usually does, and what to make of it. */
export function DriftPanel({ serverId }: { serverId: string }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const params = { path: { server_id: serverId } };
  const drift = useQuery({
    queryKey: ["drift", serverId],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/drift", { params })),
    retry: false,
  });
  const body = { snapshot: drift.data?.after ?? null, title: "" };
  const onSuccess = async (change: { id: number }) => {
    await askAgain(queries);
    await navigate(`/changes/${String(change.id)}`);
  };
  const adopt = useMutation({ mutationFn: () => answer(api.POST("/api/v1/servers/{server_id}/drift/adopt", { params, body })), onSuccess });
  const undo = useMutation({ mutationFn: () => answer(api.POST("/api/v1/servers/{server_id}/drift/revert", { params, body })), onSuccess });
  const isNone = drift.error instanceof ApiProblem && drift.error.status === 404;
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }} aria-label="Drift">
      <Typography variant="h2" gutterBottom>Changed outside</Typography>
      {isNone ? <Typography color="text.secondary">{drift.error?.message}</Typography> : <ProblemNote error={drift.error ?? adopt.error ?? undo.error} />}
      {drift.isLoading && <Loading lines={3} />}
      {drift.data && (
        <>
          <Typography sx={{ mb: 0.5 }}>Found between snapshots {drift.data.before} and {drift.data.after}:</Typography>
          {drift.data.files.map((file) => (
            <Box key={`${file.kind} ${file.path}`}><KindMark kind={file.kind} /> <Mono>{file.path}</Mono>: {file.writer}</Box>
          ))}
          <Box sx={{ display: "flex", gap: 1, my: 1, flexWrap: "wrap" }}>
            <Button variant="outlined" disabled={adopt.isPending} onClick={() => { adopt.mutate(); }}>Adopt as a change</Button>
            <Button variant="outlined" color="error" disabled={undo.isPending} onClick={() => { undo.mutate(); }}>Create a change that reverts it</Button>
          </Box>
          <DifferenceTable differences={drift.data.differences} />
        </>
      )}
    </Paper>
  );
}
