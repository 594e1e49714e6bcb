import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { counted } from "../../shared/DifferenceTable";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { ConflictTable } from "../upgrade/ConflictTable";
import { KeyNotes } from "../upgrade/KeyNotes";
import { BundleContents } from "./BundleContents";
import { FileList } from "./FileList";
import { StepPreview } from "./StepPreview";

const WORDS = { title: "Conflicts: changed here and in the new version", mine: "as here", theirs: "as it comes" };

type Choice = Pick<Schemas["InstallIn"], "kind" | "name" | "to" | "strip_top" | "if_refused"> & { part: string | null };

/** What a kept bundle holds, and what installing it on a server comes to. */
export function BundleInstall({ server, bundle, onClose }: { server: Schemas["ServerOut"]; bundle: number; onClose: () => void }) {
  const path = { bundle_id: bundle };
  const kept = useQuery({ queryKey: ["bundles", "kept", bundle], queryFn: () => answer(api.GET("/api/v1/bundles/{bundle_id}", { params: { path } })) });
  const found = useQuery({
    queryKey: ["bundles", "inventory", bundle, server.id, server.last_snapshot?.id, server.gamebook],
    queryFn: () => answer(api.GET("/api/v1/bundles/{bundle_id}/inventory", { params: { path, query: { server: server.id } } })),
  });
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
        <Button color="inherit" onClick={onClose}>← All bundles</Button>
        <Typography variant="h2">{kept.data?.file_name}</Typography>
      </Box>
      <ProblemNote error={kept.error ?? found.error} />
      {found.isLoading && <Loading />}
      {found.data && <Plan server={server} bundle={bundle} inventory={found.data} />}
      {found.data && <BundleContents inventory={found.data} game={server.defaults[0] ?? ""} />}
    </Box>
  );
}

function Plan({ server, bundle, inventory }: { server: Schemas["ServerOut"]; bundle: number; inventory: Schemas["InventoryOut"] }) {
  const parts = inventory.parts;
  const [choice, setChoice] = useState<Choice>({ part: parts.length > 1 ? null : (parts[0]?.name ?? null), kind: "", name: "", to: "", strip_top: false, if_refused: inventory.refused.length > 0 ? "leave-out" : "fail" });
  const [choices, setChoices] = useState<Record<string, string>>({});
  const navigate = useNavigate();
  const isChosen = choice.part !== null || choice.to !== "" || choice.kind !== "" || parts.length === 0;
  const send = (create: boolean) =>
    answer(
      api.POST("/api/v1/servers/{server_id}/bundles/install", {
        params: { path: { server_id: server.id } },
        body: { ...choice, bundle, choices: create ? choices : {}, rest: "", title: "", create },
      }),
    );
  const plan = useQuery({ queryKey: ["bundles", server.id, "install", bundle, choice, server.last_snapshot?.id], queryFn: () => send(false), enabled: isChosen });
  const create = useMutation({
    mutationFn: () => send(true),
    onSuccess: (done) => { if (done.change !== null) void navigate(`/changes/${String(done.change)}`); },
  });
  const undecided = plan.data?.conflicts.filter((conflict) => !choices[conflict.address]).length ?? 0;
  const change = (more: Partial<Choice>) => { setChoice({ ...choice, ...more }); setChoices({}); create.reset(); };
  return (
    <Paper sx={{ p: 1.5 }} component="section" aria-label="Install">
      <Typography variant="h2" gutterBottom>{plan.data?.old_version == null ? `Install on ${server.title}` : `Upgrade on ${server.title}: ${plan.data.old_version || "unknown version"} → ${plan.data.version}`}</Typography>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", mb: 1 }}>
        {parts.length > 1 && (
          <TextField select label="Which of its bundles" value={choice.part ?? ""} onChange={(event) => { change({ part: event.target.value }); }} sx={{ width: 260 }}>
            {parts.map((part) => <MenuItem key={`${part.kind} ${part.name}`} value={part.name}>{part.kind} {part.name}</MenuItem>)}
          </TextField>
        )}
        {parts.length === 0 && <TextField label="Kind" helperText="In the words of the gamebook" value={choice.kind} onChange={(event) => { change({ kind: event.target.value }); }} sx={{ width: 180 }} />}
        <TextField label="Name on the server" placeholder={plan.data?.name} value={choice.name} onChange={(event) => { change({ name: event.target.value }); }} sx={{ width: 200 }} />
        <TextField label="Or as it is, into the folder" value={choice.to} onChange={(event) => { change({ to: event.target.value }); }} sx={{ width: 240 }} />
        {choice.to !== "" && <FormControlLabel control={<Switch checked={choice.strip_top} onChange={(_, on) => { change({ strip_top: on }); }} />} label="Without its top folder" />}
        <TextField select label="Files that the host refuses" value={choice.if_refused} onChange={(event) => { change({ if_refused: event.target.value as Choice["if_refused"] }); }} sx={{ width: 220 }}>
          <MenuItem value="fail">Fail, and roll back</MenuItem>
          <MenuItem value="leave-out">Leave them out</MenuItem>
        </TextField>
      </Box>
      <ProblemNote error={plan.error} />
      {plan.isLoading && <Loading lines={3} />}
      {plan.data && (
        <Box sx={{ display: "grid", gap: 1 }}>
          {plan.data.needs_off.map((name) => <Alert key={name} severity="warning" variant="outlined">It needs {name}, which is off on this server. Switch it on, too.</Alert>)}
          {plan.data.needs_missing.map((name) => <Alert key={name} severity="warning" variant="outlined">It needs {name}, which is not on this server.</Alert>)}
          {!plan.data.is_base_known && <Alert severity="info" variant="outlined">The archive of the installed version is not kept, so your edits cannot be told from it. Keep that archive first if you still have it.</Alert>}
          {plan.data.conflicts.length > 0 && <ConflictTable words={WORDS} conflicts={plan.data.conflicts} names={["as it came", "here", "new"]} choices={choices} onChoose={setChoices} />}
          <FileList title="New files" paths={plan.data.new} />
          <FileList title="Replaced files" paths={plan.data.replaced} />
          <FileList title="Your edits are carried over" paths={plan.data.merged} />
          <FileList title="Kept as you edited them" paths={plan.data.kept} />
          <FileList title="Removed, since the new version does not have them" paths={plan.data.removed} />
          <FileList title="Stay, though the new version does not have them" paths={Object.entries(plan.data.left).map(([file, why]) => `${file} (${why})`)} />
          <FileList title="The host refuses" paths={plan.data.refused} />
          <KeyNotes title="New settings" notes={plan.data.added} />
          <KeyNotes title="No longer settings" notes={plan.data.dropped} />
          <Box>
            <Typography variant="h2">Steps of the change</Typography>
            <StepPreview steps={plan.data.steps} />
          </Box>
          <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
            <Button variant="contained" disabled={undecided > 0 || create.isPending || (plan.data.steps.length === 0 && plan.data.conflicts.length === 0)} onClick={() => { create.mutate(); }}>Create change</Button>
            {undecided > 0 && <Typography variant="body2" color="text.secondary">{counted(undecided, "conflict is", "conflicts are")} still to be decided.</Typography>}
          </Box>
        </Box>
      )}
      <ProblemNote error={create.error} />
    </Paper>
  );
}
