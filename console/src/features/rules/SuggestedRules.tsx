import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { addressLink } from "../workspace/links";
import { useWorkbench } from "../workspace/workbench";
import { EditDialog } from "./EditDialog";
import { RuleDialog } from "./RuleDialog";

type Suggestion = Schemas["SuggestionOut"];

const STEP = 30; // that are shown at once

/** The rules that no one has decided about, the most certain first: accept, change, reject, or later. */
export function SuggestedRules({ serverId }: { serverId: string }) {
  const [words, setWords] = useState("");
  const [most, setMost] = useState(STEP);
  const [isAccepting, setAccepting] = useState(false);
  const later = useWorkbench((state) => state.later[serverId]) ?? NONE;
  const putOff = useWorkbench((state) => state.putOff);
  const found = useQuery({
    queryKey: ["suggestions", serverId],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/suggestions", { params: { path: { server_id: serverId } } })),
  });
  if (found.error) return <ProblemNote error={found.error} />;
  if (!found.data) return <Loading />;
  const wanted = words.toLowerCase();
  const fitting = found.data.filter((one) => `${one.rule.text} ${one.evidence}`.toLowerCase().includes(wanted));
  const now = fitting.filter((one) => !later.includes(one.id));
  // A guess, such as the line that says a game is ready, can lead a deploy back where it is wrong; each is decided about alone.
  const sound = now.filter((one) => one.rule.part !== "guesses" && one.rule.violations === 0 && !one.rule.unmeasured && one.elsewhere === 0);
  const put = fitting.filter((one) => later.includes(one.id));
  return (
    <>
      <Typography variant="body2" sx={{ mb: 1, maxWidth: 860 }}>
        These rules were seen in the files that the game ships, in the logs of its starts and at its stops. An accepted rule counts from now on, and an error that it finds
        blocks a deploy. A rejected one is not suggested again.
      </Typography>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 1 }}>
        <TextField label="Search suggestions" value={words} onChange={(event) => { setWords(event.target.value); }} sx={{ width: 280 }} />
        <Typography variant="body2" color="text.secondary" role="status">
          {now.length === 0 ? "No rule waits for a decision." : `${String(now.length)} to decide`}{put.length > 0 && `, ${String(put.length)} for later`}
        </Typography>
        {put.length > 0 && <Button color="inherit" onClick={() => { putOff(serverId, null); }}>Show those again</Button>}
        {sound.length > 1 && <Button variant="outlined" onClick={() => { setAccepting(true); }}>Accept the {sound.length} without exceptions …</Button>}
      </Box>
      {now.slice(0, most).map((one) => <SuggestionCard key={one.id} serverId={serverId} suggestion={one} onLater={() => { putOff(serverId, one.id); }} />)}
      {isAccepting && (
        <EditDialog
          title={`Accept ${String(sound.length)} suggested rules`}
          saveWord="Accept them"
          send={(isDry) => answer(api.POST("/api/v1/servers/{server_id}/suggestions", { params: { path: { server_id: serverId } }, body: { suggestions: sound.map((one) => one.id), accept: true, dry_run: isDry } }))}
          onClose={() => { setAccepting(false); }}
        />
      )}
      {now.length > most && <Button onClick={() => { setMost(most + STEP); }}>Show {Math.min(STEP, now.length - most)} more</Button>}
    </>
  );
}

const NONE: string[] = [];

function SuggestionCard({ serverId, suggestion, onLater }: { serverId: string; suggestion: Suggestion; onLater: () => void }) {
  const [isChanging, setChanging] = useState(false);
  const queries = useQueryClient();
  const { rule } = suggestion;
  const decide = useMutation({
    mutationFn: (accept: boolean) =>
      answer(api.POST("/api/v1/servers/{server_id}/suggestions", { params: { path: { server_id: serverId } }, body: { suggestions: [suggestion.id], accept, dry_run: false } })),
    onSettled: () => askAgain(queries),
  });
  const isDone = decide.isPending || decide.isSuccess;
  return (
    <Paper component="section" aria-label={rule.text} sx={{ p: 1.25, mb: 1, opacity: isDone ? 0.55 : 1 }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "flex-start", flexWrap: "wrap" }}>
        <Box sx={{ flex: 1, minWidth: 280 }}>
          <Box sx={{ fontWeight: 600, overflowWrap: "anywhere" }}>{rule.text}</Box>
          <Box sx={{ color: "text.secondary", fontSize: 12.5 }}>
            {suggestion.evidence ? `Seen: ${suggestion.evidence}` : "Seen in the files, without a count"}
            {rule.places !== null && ` · ${rule.places.toLocaleString()} ${rule.places === 1 ? "place" : "places"} on this server`}
          </Box>
        </Box>
        <Button variant="contained" disabled={isDone} onClick={() => { decide.mutate(true); }}>Accept</Button>
        <Button variant="outlined" disabled={isDone} onClick={() => { setChanging(true); }}>Change …</Button>
        <Button color="inherit" disabled={isDone} onClick={() => { decide.mutate(false); }}>Reject</Button>
        <Button color="inherit" disabled={isDone} onClick={onLater}>Later</Button>
      </Box>
      {suggestion.samples.length > 0 && (
        <Box sx={{ mt: 0.5, fontSize: 12.5, display: "flex", gap: 1.25, flexWrap: "wrap" }}>
          <Box component="span" sx={{ color: "text.secondary" }}>Examples</Box>
          {suggestion.samples.map((sample) => (
            <Link key={sample.address} component={RouterLink} to={addressLink(serverId, sample.address, { line: sample.line })} title={sample.address}>
              <Mono>{sample.value || "an entry"}</Mono>{sample.count > 1 && ` ×${sample.count.toLocaleString()}`}
            </Link>
          ))}
        </Box>
      )}
      {rule.violations > 0 && (
        <Box sx={{ mt: 0.5, fontSize: 12.5 }}>
          <KindMark kind="outside" /> does not hold at {rule.violations.toLocaleString()} {rule.violations === 1 ? "place" : "places"} on this server:{" "}
          {suggestion.exceptions.map((finding) => (
            <Link key={finding.address + finding.message} component={RouterLink} to={addressLink(serverId, finding.address || finding.path, { line: finding.line })} sx={{ mr: 1 }}><Mono>{finding.address || finding.path}</Mono></Link>
          ))}
        </Box>
      )}
      {rule.unmeasured && <Box sx={{ mt: 0.5, fontSize: 12.5, color: "text.secondary" }}>On this server it is not measured: {rule.unmeasured}.</Box>}
      <ProblemNote error={decide.error} />
      {isChanging && <RuleDialog serverId={serverId} title="Change the suggested rule" rule={rule} suggestion={suggestion.id} onClose={() => { setChanging(false); }} />}
    </Paper>
  );
}
