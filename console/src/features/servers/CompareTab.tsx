import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api } from "../../api/client";
import { DifferenceTable, summary } from "../../shared/DifferenceTable";
import { ProblemNote } from "../../shared/ProblemNote";
import { TextDifference } from "../../shared/TextDifference";
import { MONO } from "../../theme";

/** Any two states of servers side by side: snapshots, the live files, the defaults, the latest files of another server. */
export function CompareTab({ serverId }: { serverId: string }) {
  const [old, setOld] = useState(`${serverId}@defaults`);
  const [fresh, setFresh] = useState(`${serverId}@latest`);
  const [only, setOnly] = useState("");
  const [wanted, setWanted] = useState("");
  const [shape, setShape] = useState("entries");
  const states = useStates(serverId);
  const query = { old, new: fresh, only: wanted };
  const texts = shape === "text"; // the lines that differ are worked out only when they are asked for
  const found = useQuery({
    queryKey: ["comparison", query, texts],
    queryFn: () => answer(api.GET("/api/v1/comparison", { params: { query: { ...query, texts } } })),
    placeholderData: (before) => before,
  });
  const page = `/api/v1/comparison/page?${new URLSearchParams(query).toString()}`;
  return (
    <>
      <Box component="form" sx={{ display: "flex", gap: 1, mb: 1, flexWrap: "wrap", alignItems: "center" }} onSubmit={(event) => { event.preventDefault(); setWanted(only.trim()); }}>
        <StateField label="From" value={old} states={states} onChange={setOld} />
        <StateField label="To" value={fresh} states={states} onChange={setFresh} />
        <TextField label="Only this address or pattern" value={only} onChange={(event) => { setOnly(event.target.value); }} sx={{ width: 290 }} slotProps={{ htmlInput: { style: { fontFamily: MONO, fontSize: 12 } } }} />
        <Button type="submit" variant="outlined">Filter</Button>
        <TextField select label="Shown" value={shape} onChange={(event) => { setShape(event.target.value); }} sx={{ width: 120 }}>
          <MenuItem value="entries">by entry</MenuItem>
          <MenuItem value="text">as text</MenuItem>
        </TextField>
        <Button href={page} target="_blank" rel="noopener">Print view</Button>
      </Box>
      <ProblemNote error={found.error} />
      {found.data && !found.error && (
        <>
          <Typography variant="body2" color="text.secondary" gutterBottom>
            From {found.data.old} to {found.data.new}: {summary(found.data.differences)}.
          </Typography>
          {found.data.notes.map((note) => <Alert key={note} severity="warning" variant="outlined" sx={{ mb: 1 }}>{note}</Alert>)}
          {shape === "entries" ? (
            <DifferenceTable differences={found.data.differences} />
          ) : (
            found.data.texts.map((one) => <Paper key={one.path} sx={{ mb: 1 }}><TextDifference text={one.text} /></Paper>)
          )}
        </>
      )}
    </>
  );
}

interface State { value: string; label: string }

function useStates(serverId: string): State[] {
  const params = { path: { server_id: serverId } };
  const snapshots = useQuery({
    queryKey: ["snapshots", serverId],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/snapshots", { params })),
  });
  const servers = useQuery({ queryKey: ["servers"], queryFn: () => answer(api.GET("/api/v1/servers")) });
  const kept = (snapshots.data ?? []).map((one) =>
    one.kind === "defaults"
      ? { value: `${serverId}@defaults:${one.label ?? ""}`, label: `the defaults of ${one.label ?? ""}` }
      : { value: `${serverId}@${String(one.id)}`, label: `snapshot ${String(one.id)}: ${one.reason}` },
  );
  const others = (servers.data ?? []).filter((one) => one.id !== serverId);
  return [
    { value: `${serverId}@latest`, label: "the latest snapshot" },
    { value: `${serverId}@live`, label: "the live files" },
    { value: `${serverId}@defaults`, label: "the newest defaults" },
    ...kept,
    ...others.map((one) => ({ value: `${one.id}@latest`, label: `${one.title}: its newest snapshot` })),
  ];
}

function StateField({ label, value, states, onChange }: { label: string; value: string; states: State[]; onChange: (value: string) => void }) {
  return (
    <TextField select label={label} value={value} onChange={(event) => { onChange(event.target.value); }} sx={{ width: 220 }}>
      {states.map((one) => <MenuItem key={one.value} value={one.value}>{one.label}</MenuItem>)}
    </TextField>
  );
}
