import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { StepPreview } from "./StepPreview";

export interface Asked {
  name: string;
  kind: string;
  act: "on" | "off" | "remove";
}

const TITLES = { on: "Switch on", off: "Switch off", remove: "Remove" };

/** What switching or removing a bundle comes to, and the change that does it. */
export function SwitchDialog({ server, asked, onClose }: { server: Schemas["ServerOut"]; asked: Asked; onClose: () => void }) {
  const [withNeeded, setWithNeeded] = useState(false);
  const navigate = useNavigate();
  const send = (create: boolean) => {
    const params = { path: { server_id: server.id } };
    const { name, kind } = asked;
    return asked.act === "remove"
      ? answer(api.POST("/api/v1/servers/{server_id}/bundles/remove", { params, body: { name, kind, create } }))
      : answer(api.POST("/api/v1/servers/{server_id}/bundles/switch", { params, body: { name, kind, on: asked.act === "on", with_needed: withNeeded, create } }));
  };
  const plan = useQuery({ queryKey: ["bundles", server.id, "switch", asked, withNeeded, server.last_snapshot?.id], queryFn: () => send(false) });
  const create = useMutation({
    mutationFn: () => send(true),
    onSuccess: (done) => { if (done.change !== null) void navigate(`/changes/${String(done.change)}`); },
  });
  const missing = Object.entries(plan.data?.needs_missing ?? {});
  const hasOff = withNeeded || (plan.data?.needs_off.length ?? 0) > 0;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>{TITLES[asked.act]} {asked.name}</DialogTitle>
      <DialogContent>
        <ProblemNote error={plan.error} />
        {plan.isLoading && <Loading lines={3} />}
        {plan.data && (
          <>
            {plan.data.needed_by.map((name) => <Alert key={name} severity="warning" variant="outlined" sx={{ mb: 1 }}>{name} is on and needs it.</Alert>)}
            {plan.data.needs_off.length > 0 && <Alert severity="warning" variant="outlined" sx={{ mb: 1 }}>It needs {plan.data.needs_off.join(", ")}, which {plan.data.needs_off.length > 1 ? "are" : "is"} off.</Alert>}
            {missing.map(([name, where]) => <Alert key={name} severity="warning" variant="outlined" sx={{ mb: 1 }}>It needs {name}, which is not on this server{where ? `; it is kept as ${where}` : ""}.</Alert>)}
            {asked.act === "on" && hasOff && (
              <FormControlLabel control={<Switch checked={withNeeded} onChange={(_, on) => { setWithNeeded(on); }} />} label="Also switch on what it needs" />
            )}
            <Typography variant="h2" sx={{ mt: 1 }}>Steps of the change</Typography>
            <StepPreview steps={plan.data.steps} />
          </>
        )}
        <ProblemNote error={create.error} />
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={!plan.data || plan.data.steps.length === 0 || create.isPending} onClick={() => { create.mutate(); }}>Create change</Button>
      </DialogActions>
    </Dialog>
  );
}
