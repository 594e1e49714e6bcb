import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Paper from "@mui/material/Paper";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";

type Care = Schemas["Care"];
const NUMBERS: readonly { field: keyof Care["retention"]; label: string }[] = [
  { field: "last", label: "Last snapshots" },
  { field: "daily", label: "Days" },
  { field: "weekly", label: "Weeks" },
  { field: "monthly", label: "Months" },
];

/** How a server is looked after: what its players are told, where crash files lie, how many snapshots stay. */
export function KeepingPanel({ server }: { server: Schemas["ServerOut"] }) {
  const [care, setCare] = useState(server.care as unknown as Care);
  const queries = useQueryClient();
  const params = { path: { server_id: server.id } };
  const pruning = useQuery({ queryKey: ["timeline", server.id, "pruning"], queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/pruning", { params })) });
  const onSuccess = () => askAgain(queries);
  const keep = useMutation({
    mutationFn: () =>
      answer(
        api.PUT("/api/v1/servers/{server_id}", {
          params,
          body: { id: server.id, title: server.title, gamebook: server.gamebook, connection: asKept(server.connection), control: asKept(server.control), care } as Schemas["ServerIn"],
        }),
      ),
    onSuccess,
  });
  const prune = useMutation({ mutationFn: () => answer(api.POST("/api/v1/servers/{server_id}/pruning", { params })), onSuccess });
  const verify = useMutation({ mutationFn: () => answer(api.POST("/api/v1/verification")) });
  const damaged = Object.keys(verify.data?.damaged ?? {});
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }} aria-label="Keeping">
      <Typography variant="h2" gutterBottom>Looking after it</Typography>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center" }}>
        <TextField
          label="What players are told"
          placeholder="The server restarts in {minutes}."
          value={care.announcement}
          onChange={(event) => { setCare({ ...care, announcement: event.target.value }); }}
          sx={{ width: 300 }}
        />
        <TextField
          label="Folders with crash files elsewhere"
          value={(care.crash_places ?? []).join(", ")}
          onChange={(event) => { setCare({ ...care, crash_places: event.target.value.split(/,\s*/).filter(Boolean) }); }}
          sx={{ width: 300 }}
        />
        <FormControlLabel
          control={<Switch checked={care.may_rehearse} onChange={(_, on) => { setCare({ ...care, may_rehearse: on, must_rehearse: on && care.must_rehearse }); }} />}
          label="The gamebook’s rehearsal may run on this machine"
        />
        <FormControlLabel
          control={<Switch checked={care.must_rehearse} disabled={!care.may_rehearse} onChange={(_, on) => { setCare({ ...care, must_rehearse: on }); }} />}
          label="No deploy without one"
        />
      </Box>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", mt: 1.5 }}>
        <Typography>Snapshots that stay:</Typography>
        {NUMBERS.map(({ field, label }) => (
          <TextField
            key={field}
            label={label}
            type="number"
            value={care.retention[field]}
            onChange={(event) => { setCare({ ...care, retention: { ...care.retention, [field]: Number(event.target.value) } }); }}
            sx={{ width: 110 }}
          />
        ))}
        <Button variant="contained" disabled={keep.isPending} onClick={() => { keep.mutate(); }}>Keep these settings</Button>
      </Box>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", mt: 1.5 }}>
        <Typography sx={{ flex: 1, minWidth: 240 }}>
          {pruning.data && (pruning.data.going.length === 0
            ? "By these rules none would go now."
            : `By these rules ${pruning.data.going.join(", ")} would go now; kept ones, the last good one and those that a change needs never do.`)}
        </Typography>
        <Button variant="outlined" disabled={!pruning.data?.going.length || prune.isPending} onClick={() => { prune.mutate(); }}>Let them go</Button>
        <Button variant="outlined" disabled={verify.isPending} onClick={() => { verify.mutate(); }}>Prove that all is there</Button>
      </Box>
      {verify.data && (
        <Typography sx={{ mt: 0.5 }} color={damaged.length > 0 ? "error" : "success.main"}>
          {damaged.length > 0 ? `Damaged: snapshots ${damaged.join(", ")}.` : `${String(verify.data.contents)} contents hashed again; all are as they were kept.`}
        </Typography>
      )}
      <ProblemNote error={keep.error ?? prune.error ?? verify.error ?? pruning.error} />
    </Paper>
  );
}

/** Settings of a connection or control as they are kept; an empty secret means the one that is there. */
function asKept(settings: Record<string, unknown>): Record<string, unknown> {
  const kind = String(settings["kind"]);
  if (kind === "http") return { ...settings, token: "" };
  return ["ftp", "ftps", "sftp", "console"].includes(kind) ? { ...settings, password: "" } : settings;
}
