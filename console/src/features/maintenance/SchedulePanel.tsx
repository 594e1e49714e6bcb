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
const TASKS: Record<string, string> = {
  restart: "Restart with queued changes",
  snapshot: "Take a snapshot",
  "drift-check": "Check for drift",
};

/** The schedule of a server. */
export function SchedulePanel({ serverId }: { serverId: string }) {
  const queries = useQueryClient();
  const path = { server_id: serverId };
  const tasks = useQuery({ queryKey: ["schedule", serverId], queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/schedule", { params: { path } })) });
  const remove = useMutation({
    mutationFn: (id: number) => answer(api.DELETE("/api/v1/servers/{server_id}/schedule/{task_id}", { params: { path: { ...path, task_id: id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["schedule"] }),
  });
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }} aria-label="Schedule">
      <Typography variant="h2" gutterBottom>Schedule</Typography>
      <ProblemNote error={tasks.error ?? remove.error} />
      {tasks.data?.length === 0 && <Typography color="text.secondary">No tasks yet. Add one below: a restart, a snapshot or a drift check at set times.</Typography>}
      {tasks.data?.map((task) => (
        <Box key={task.id} sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap", py: 0.25 }}>
          <Box sx={{ width: 210, fontWeight: 600 }}>{TASKS[task.task]}</Box>
          <Box sx={{ flex: 1, minWidth: 220 }}>
            {task.weekdays.length === 0 ? "every day" : task.weekdays.map((day) => DAYS[day]).join(", ")} at {task.times.join(", ")} ({task.zone})
            {task.announce > 0 && `, players are told ${String(task.announce)} min before`}
            {task.queued.length > 0 && `; with changes ${task.queued.join(", ")}`}
          </Box>
          <Box>next {when(task.next_at)} {task.note}</Box>
          <Button color="inherit" aria-label={`Remove task ${String(task.id)}`} disabled={remove.isPending} onClick={() => { remove.mutate(task.id); }}>Remove</Button>
        </Box>
      ))}
      <NewTask serverId={serverId} />
    </Paper>
  );
}

function NewTask({ serverId }: { serverId: string }) {
  const [task, setTask] = useState<Schemas["TaskIn"]["task"]>("restart");
  const [time, setTime] = useState("05:00");
  const [days, setDays] = useState<number[]>([]);
  const [zone, setZone] = useState(Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC");
  const [announce, setAnnounce] = useState(0);
  const queries = useQueryClient();
  const add = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/servers/{server_id}/schedule", { params: { path: { server_id: serverId } }, body: { task, times: time.split(/[\s,]+/).filter(Boolean), weekdays: days, zone, announce } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["schedule"] }),
  });
  return (
    <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", mt: 1 }}>
      <TextField select label="Task" value={task} onChange={(event) => { setTask(event.target.value as typeof task); }} sx={{ width: 230 }}>
        {Object.entries(TASKS).map(([value, word]) => <MenuItem key={value} value={value}>{word}</MenuItem>)}
      </TextField>
      <TextField label="At" value={time} onChange={(event) => { setTime(event.target.value); }} sx={{ width: 110 }} />
      <ToggleButtonGroup size="small" value={days} onChange={(_, chosen: number[]) => { setDays(chosen); }} aria-label="On weekdays">
        {DAYS.map((day, number) => <ToggleButton key={day} value={number} sx={{ textTransform: "none", px: 1, py: 0.5 }}>{day}</ToggleButton>)}
      </ToggleButtonGroup>
      <TextField label="Time zone" value={zone} onChange={(event) => { setZone(event.target.value); }} sx={{ width: 180 }} />
      {task === "restart" && (
        <TextField label="Warn players (minutes before)" type="number" value={announce} onChange={(event) => { setAnnounce(Number(event.target.value)); }} sx={{ width: 230 }} />
      )}
      <Button variant="outlined" disabled={add.isPending} onClick={() => { add.mutate(); }}>Add</Button>
      <ProblemNote error={add.error} />
    </Box>
  );
}
