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
import { WordsField } from "./WordsField";

const NUMBERS: readonly { field: keyof Schemas["Retention"]; label: string }[] = [
  { field: "last", label: "Last snapshots" },
  { field: "daily", label: "Days" },
  { field: "weekly", label: "Weeks" },
  { field: "monthly", label: "Months" },
  { field: "watched", label: "Runs with big files" },
];

/** How a server is maintained: what its players are told, where crash files appear, how many snapshots stay. */
export function RetentionPanel({ server }: { server: Schemas["ServerOut"] }) {
  const [maintenance, setMaintenance] = useState(server.maintenance);
  const queries = useQueryClient();
  const params = { path: { server_id: server.id } };
  const pruning = useQuery({ queryKey: ["timeline", server.id, "pruning"], queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/pruning", { params })) });
  const onSuccess = () => askAgain(queries);
  const keep = useMutation({
    mutationFn: () =>
      answer(
        api.PUT("/api/v1/servers/{server_id}", {
          params,
          body: { id: server.id, title: server.title, gamebook: server.gamebook, connection: server.connection, connection_secret: "", control: server.control, control_secret: "", database_secret: "", maintenance },
        }),
      ),
    onSuccess,
  });
  const prune = useMutation({ mutationFn: () => answer(api.POST("/api/v1/servers/{server_id}/pruning", { params })), onSuccess });
  const verify = useMutation({ mutationFn: () => answer(api.POST("/api/v1/verification")) });
  const damaged = Object.keys(verify.data?.damaged ?? {});
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }} aria-label="Retention">
      <Typography variant="h2" gutterBottom>Settings</Typography>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center" }}>
        <TextField
          label="Announcement to players"
          placeholder="The server restarts in {minutes}."
          value={maintenance.announcement}
          onChange={(event) => { setMaintenance({ ...maintenance, announcement: event.target.value }); }}
          sx={{ width: 300 }}
        />
        <WordsField label="Other folders with crash files" words={maintenance.crash_places ?? []} onWords={(words) => { setMaintenance({ ...maintenance, crash_places: words }); }} />
        <WordsField label="Files that the host refuses" placeholder="*.exe, *.dll" words={maintenance.refused_files ?? []} onWords={(words) => { setMaintenance({ ...maintenance, refused_files: words }); }} />
        <FormControlLabel
          control={<Switch checked={maintenance.may_rehearse} onChange={(_, on) => { setMaintenance({ ...maintenance, may_rehearse: on, must_rehearse: on && maintenance.must_rehearse }); }} />}
          label="Allow the gamebook’s rehearsal on this machine"
        />
        <FormControlLabel
          control={<Switch checked={maintenance.must_rehearse} disabled={!maintenance.may_rehearse} onChange={(_, on) => { setMaintenance({ ...maintenance, must_rehearse: on }); }} />}
          label="Require a rehearsal before each deploy"
        />
        <FormControlLabel
          control={<Switch checked={maintenance.may_pack} onChange={(_, on) => { setMaintenance({ ...maintenance, may_pack: on }); }} />}
          label="Allow the gamebook’s packing commands on this machine"
        />
      </Box>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", mt: 1.5 }}>
        <Typography>Retention:</Typography>
        {NUMBERS.map(({ field, label }) => (
          <TextField
            key={field}
            label={label}
            type="number"
            value={maintenance.retention[field]}
            onChange={(event) => { setMaintenance({ ...maintenance, retention: { ...maintenance.retention, [field]: Number(event.target.value) } }); }}
            sx={{ width: field === "watched" ? 150 : 110 }}
            title={field === "watched" ? "Contents of watched files, such as big binaries, stay for this number of the last deploys and rollbacks" : undefined}
          />
        ))}
        <Button variant="contained" disabled={keep.isPending} onClick={() => { keep.mutate(); }}>Save settings</Button>
      </Box>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", mt: 1.5 }}>
        <Typography sx={{ flex: 1, minWidth: 240 }}>
          {(pruning.data?.watched ?? 0) > 0 && `These rules would prune ${String(pruning.data?.watched)} contents of watched files. `}
          {pruning.data && (pruning.data?.pruned.length === 0
            ? "These rules would prune no snapshot now."
            : `These rules would prune ${pruning.data?.pruned.join(", ")} now. Pinned snapshots, the last good one, and those that a change needs are never pruned.`)}
        </Typography>
        <Button variant="outlined" disabled={(!pruning.data?.pruned.length && !pruning.data?.watched) || prune.isPending} onClick={() => { prune.mutate(); }}>Prune snapshots</Button>
        <Button variant="outlined" disabled={verify.isPending} onClick={() => { verify.mutate(); }}>Verify snapshots</Button>
      </Box>
      {verify.data && (
        <Typography sx={{ mt: 0.5 }} color={damaged.length > 0 ? "error" : "success.main"}>
          {damaged.length > 0 ? `Damaged: snapshots ${damaged.join(", ")}.` : `${String(verify.data.contents)} contents hashed again; all are as they were stored.`}
        </Typography>
      )}
      <ProblemNote error={keep.error ?? prune.error ?? verify.error ?? pruning.error} />
    </Paper>
  );
}
