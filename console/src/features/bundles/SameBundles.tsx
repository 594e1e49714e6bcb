import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { StepPreview } from "./StepPreview";

/** Have the bundles on that are on at another server of the same game. */
export function SameBundles({ server }: { server: Schemas["ServerOut"] }) {
  const [other, setOther] = useState("");
  const navigate = useNavigate();
  const servers = useQuery({ queryKey: ["servers"], queryFn: () => answer(api.GET("/api/v1/servers")) });
  const others = (servers.data ?? []).filter((one) => one.id !== server.id && one.gamebook === server.gamebook);
  const send = (create: boolean) =>
    answer(api.POST("/api/v1/servers/{server_id}/bundles/same", { params: { path: { server_id: server.id } }, body: { server: other, create } }));
  const plan = useQuery({ queryKey: ["bundles", server.id, "same", other, server.last_snapshot?.id], queryFn: () => send(false), enabled: other !== "" });
  const create = useMutation({
    mutationFn: () => send(true),
    onSuccess: (done) => { if (done.change !== null) void navigate(`/changes/${String(done.change)}`); },
  });
  if (others.length === 0) return null;
  return (
    <Paper sx={{ p: 1.5 }} component="section" aria-label="As on another server">
      <Typography variant="h2" gutterBottom>As on another server</Typography>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
        <TextField select label="The same bundles as" value={other} onChange={(event) => { setOther(event.target.value); create.reset(); }} sx={{ width: 240 }}>
          {others.map((one) => <MenuItem key={one.id} value={one.id}>{one.title}</MenuItem>)}
        </TextField>
        <Button variant="outlined" disabled={!plan.data || plan.data.steps.length === 0 || create.isPending} onClick={() => { create.mutate(); }}>Create change</Button>
      </Box>
      <ProblemNote error={plan.error ?? create.error} />
      {plan.data && (
        <Box sx={{ mt: 1 }}>
          {plan.data.differs.map((text) => <Alert key={text} severity="info" variant="outlined" sx={{ mb: 0.5 }}>Another version, left as it is: {text}</Alert>)}
          {Object.entries(plan.data.needs_missing).map(([name, why]) => <Alert key={name} severity="warning" variant="outlined" sx={{ mb: 0.5 }}>{name} cannot be copied: {why}</Alert>)}
          <StepPreview steps={plan.data.steps} />
        </Box>
      )}
    </Paper>
  );
}
