import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { UploadButton } from "../runs/UploadButton";

/** What a person does for a server that nothing else can reach. */
export function ManualPanel({ server }: { server: Schemas["ServerOut"] }) {
  const queries = useQueryClient();
  const params = { path: { server_id: server.id } };
  const state = useQuery({ queryKey: ["servers", server.id, "state"], queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/state", { params })) });
  const say = useMutation({
    mutationFn: (isRunning: boolean) => answer(api.POST("/api/v1/servers/{server_id}/report", { params, body: { is_running: isRunning, is_sure: false } })),
    onSuccess: () => askAgain(queries),
  });
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }}>
      <Typography variant="h2" gutterBottom>Manual</Typography>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center" }}>
        {server.control.kind === "manual" && (
          <>
            <Typography sx={{ flex: 1, minWidth: 200 }}>The game: {state.data?.["state"] ?? "not known"}</Typography>
            <Button variant="outlined" onClick={() => { say.mutate(true); }}>Report as running</Button>
            <Button variant="outlined" onClick={() => { say.mutate(false); }}>Report as stopped</Button>
          </>
        )}
        {server.connection.kind === "manual" && <UploadButton serverId={server.id} />}
      </Box>
      <ProblemNote error={say.error ?? state.error} />
    </Paper>
  );
}
