import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { when } from "../../shared/when";

const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const DOES: Record<string, string> = {
  restart: "Restart, with what is queued",
  backup: "Take a snapshot",
  look: "Look for drift",
};

/** Times at which something is done by itself. */
export function WindowsPanel({ serverId }: { serverId: string }) {
  const queries = useQueryClient();
  const path = { server_id: serverId };
  const windows = useQuery({ queryKey: ["windows", serverId], queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/windows", { params: { path } })) });
  const remove = useMutation({
    mutationFn: (id: number) => answer(api.DELETE("/api/v1/servers/{server_id}/windows/{window_id}", { params: { path: { ...path, window_id: id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["windows"] }),
  });
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }} aria-label="Windows">
      <Typography variant="h2" gutterBottom>By itself</Typography>
      <ProblemNote error={windows.error ?? remove.error} />
      {windows.data?.length === 0 && <Typography color="text.secondary">Nothing is done by itself yet.</Typography>}
      {windows.data?.map((window) => (
        <Box key={window.id} sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap", py: 0.25 }}>
          <Box sx={{ width: 210, fontWeight: 600 }}>{DOES[window.does]}</Box>
          <Box sx={{ flex: 1, minWidth: 220 }}>
            {window.weekdays.length === 0 ? "every day" : window.weekdays.map((day) => DAYS[day]).join(", ")} at {window.times.join(", ")} ({window.zone})
            {window.announce > 0 && `, players are told ${String(window.announce)} min before`}
            {window.queued.length > 0 && `; with changes ${window.queued.join(", ")}`}
          </Box>
          <Box>next {when(window.next_at)} {window.note}</Box>
          <Button color="inherit" aria-label={`Remove window ${String(window.id)}`} disabled={remove.isPending} onClick={() => { remove.mutate(window.id); }}>Remove</Button>
        </Box>
      ))}
      <NewWindow serverId={serverId} />
    </Paper>
  );
}

function NewWindow({ serverId }: { serverId: string }) {
  const [does, setDoes] = useState<Schemas["WindowIn"]["does"]>("restart");
  const [time, setTime] = useState("05:00");
  const [days, setDays] = useState<number[]>([]);
  const [zone, setZone] = useState(Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC");
  const [announce, setAnnounce] = useState(0);
  const queries = useQueryClient();
  const add = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/servers/{server_id}/windows", { params: { path: { server_id: serverId } }, body: { does, times: time.split(/[\s,]+/).filter(Boolean), weekdays: days, zone, announce } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["windows"] }),
  });
  return (
    <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", mt: 1 }}>
      <TextField select label="What" value={does} onChange={(event) => { setDoes(event.target.value as typeof does); }} sx={{ width: 230 }}>
        {Object.entries(DOES).map(([value, word]) => <MenuItem key={value} value={value}>{word}</MenuItem>)}
      </TextField>
      <TextField label="At" value={time} onChange={(event) => { setTime(event.target.value); }} sx={{ width: 110 }} />
      <ToggleButtonGroup size="small" value={days} onChange={(_, chosen: number[]) => { setDays(chosen); }} aria-label="On weekdays">
        {DAYS.map((day, number) => <ToggleButton key={day} value={number} sx={{ textTransform: "none", px: 1, py: 0.5 }}>{day}</ToggleButton>)}
      </ToggleButtonGroup>
      <TextField label="Time zone" value={zone} onChange={(event) => { setZone(event.target.value); }} sx={{ width: 180 }} />
      {does === "restart" && (
        <TextField label="Told, min before" type="number" value={announce} onChange={(event) => { setAnnounce(Number(event.target.value)); }} sx={{ width: 130 }} />
      )}
      <Button variant="outlined" disabled={add.isPending} onClick={() => { add.mutate(); }}>Add</Button>
      <ProblemNote error={add.error} />
    </Box>
  );
}
