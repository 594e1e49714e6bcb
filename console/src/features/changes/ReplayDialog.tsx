import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { counted } from "../../shared/DifferenceTable";
import { KindMark } from "../../shared/KindMark";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";

/** The same steps on another server: what each would do there, and the change that they make. */
export function ReplayDialog({ change, onClose }: { change: Schemas["ChangeDetail"]; onClose: () => void }) {
  const [server, setServer] = useState("");
  const navigate = useNavigate();
  const servers = useQuery({ queryKey: ["servers"], queryFn: () => answer(api.GET("/api/v1/servers")) });
  const replay = (create: boolean) =>
    answer(api.POST("/api/v1/changes/{change_id}/replay", { params: { path: { change_id: change.id } }, body: { server, title: change.title, create } }));
  const tried = useQuery({ queryKey: ["replay", change.id, change.version, server], queryFn: () => replay(false), enabled: server !== "" });
  const open = useMutation({ mutationFn: () => replay(true), onSuccess: (found) => navigate(`/changes/${String(found.change)}`) });
  const doing = tried.data?.steps.filter((step) => step.outcome.kind === "done").length ?? 0;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md">
      <DialogTitle>Replay on another server</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 1.5, pt: "8px !important" }}>
        <TextField select label="Server" value={server} onChange={(event) => { setServer(event.target.value); }}>
          {servers.data?.filter((one) => one.id !== change.server).map((one) => <MenuItem key={one.id} value={one.id}>{one.title}</MenuItem>)}
        </TextField>
        <ProblemNote error={tried.error ?? open.error} />
        {tried.data?.steps.map((step) => (
          <Box key={step.position} sx={{ display: "grid", gridTemplateColumns: "110px 1fr", gap: 1 }}>
            <KindMark kind={step.outcome.kind} />
            <Box>
              {step.kind} <Mono>{step.address}</Mono>
              {step.outcome.kind === "impossible" && <Typography variant="body2" color="error.main">{step.outcome.message}</Typography>}
              {step.outcome.kind === "done" && <Typography variant="body2" color="text.secondary">{counted(step.outcome.places, "place changes", "places change")}</Typography>}
            </Box>
          </Box>
        ))}
        {tried.data?.findings.map((finding) => (
          <Box key={finding.code + finding.waiver_address}><KindMark kind={finding.severity} /> {finding.message} {finding.hint}</Box>
        ))}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={doing === 0 || open.isPending} onClick={() => { open.mutate(); }}>
          Open a change there{doing > 0 && ` (${counted(doing, "step", "steps")})`}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
