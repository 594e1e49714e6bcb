import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { summary } from "../../shared/DifferenceTable";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { usePageQuery } from "../../shared/usePageQuery";
import { MONO } from "../../theme";
import { ComparisonView, SHAPES, type Shape } from "./ComparisonView";

/** Any two states of servers side by side: snapshots, the live files, the defaults, the latest files of another server. */
export function CompareTab({ server }: { server: Schemas["ServerOut"] }) {
  const serverId = server.id;
  const [search, turn] = usePageQuery();
  const old = search.get("old") ?? `${serverId}@defaults`;
  const fresh = search.get("new") ?? `${serverId}@latest`;
  const wanted = search.get("only") ?? "";
  const [only, setOnly] = useState(wanted);
  const [shape, setShape] = useState<Shape>("entries");
  const states = useStates(serverId);
  const query = { old, new: fresh, only: wanted };
  const texts = shape === "text"; // the lines that differ are worked out only when they are asked for
  const ask = (more: { texts?: boolean; sides?: string }) => answer(api.GET("/api/v1/comparison", { params: { query: { ...query, ...more } } }));
  const found = useQuery({
    queryKey: ["comparison", query, texts],
    queryFn: () => ask({ texts }),
    placeholderData: (before) => before,
  });
  const page = `/api/v1/comparison/page?${new URLSearchParams(query).toString()}`;
  return (
    <>
      <Box component="form" sx={{ display: "flex", gap: 1, mb: 1, flexWrap: "wrap", alignItems: "center" }} onSubmit={(event) => { event.preventDefault(); turn({ only: only.trim() }); }}>
        <StateField label="From" value={old} states={states} onChange={(state) => { turn({ old: state }); }} />
        <StateField label="To" value={fresh} states={states} onChange={(state) => { turn({ new: state }); }} />
        <TextField label="Only this address or pattern" value={only} onChange={(event) => { setOnly(event.target.value); }} sx={{ width: 290 }} slotProps={{ htmlInput: { style: { fontFamily: MONO, fontSize: 12 } } }} />
        <Button type="submit" variant="outlined">Filter</Button>
        <TextField select label="Shown" value={shape} onChange={(event) => { setShape(event.target.value as Shape); }} sx={{ width: 130 }}>
          {SHAPES.map((one) => <MenuItem key={one.shape} value={one.shape}>{one.word}</MenuItem>)}
        </TextField>
        <Button href={page} target="_blank" rel="noopener">Print view</Button>
      </Box>
      <ProblemNote error={found.error} />
      {found.isLoading && <Loading />}
      {found.data && !found.error && (
        <>
          <Typography variant="body2" color="text.secondary" gutterBottom>
            From {found.data.old} to {found.data.new}: {summary(found.data.differences)}.
          </Typography>
          <ComparisonView found={found.data} shape={shape} queryKey={["comparison", query]} ask={(sides) => ask({ sides })} />
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
    <TextField select label={label} value={states.some((one) => one.value === value) ? value : ""} onChange={(event) => { onChange(event.target.value); }} sx={{ width: 220 }}>
      {states.map((one) => <MenuItem key={one.value} value={one.value}>{one.label}</MenuItem>)}
    </TextField>
  );
}
