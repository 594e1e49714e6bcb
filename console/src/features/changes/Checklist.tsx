import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { effectWord } from "../../shared/effects";
import { KindMark } from "../../shared/KindMark";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { when } from "../../shared/when";

type Change = Schemas["ChangeDetail"];

/** After the start: what to look at in the game, ticked off one by one, and what written values still wait for. */
export function Checklist({ change }: { change: Change }) {
  if (change.state !== "deployed" && change.state !== "confirmed") return null;
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }} aria-label="Checklist">
      <Typography variant="h2" gutterBottom>
        In the game <KindMark kind={change.state} />
      </Typography>
      {change.checklist.map((look) => <LookRow key={look.id} change={change} look={look} />)}
      {change.checklist.length === 0 && change.state === "deployed" && <InOwnWords change={change} />}
      {change.pending.map((wait) => <WaitRow key={wait.id} change={change} wait={wait} />)}
    </Paper>
  );
}

function LookRow({ change, look }: { change: Change; look: Schemas["ChecklistItemOut"] }) {
  const [note, setNote] = useState("");
  const queries = useQueryClient();
  const say = useMutation({
    mutationFn: (isRight: boolean) =>
      answer(
        api.POST("/api/v1/changes/{change_id}/checklist/{item_id}", {
          params: { path: { change_id: change.id, item_id: look.id } },
          body: { is_right: isRight, note },
        }),
      ),
    onSuccess: () => askAgain(queries),
  });
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", gap: 1, alignItems: "center", py: 0.5 }}>
      <Box sx={{ width: 84 }}><KindMark kind={look.is_right === null ? "to do" : look.is_right ? "right" : "wrong"} /></Box>
      <Box sx={{ flex: 1, minWidth: 220 }}>
        {look.text}
        {look.at && <Typography variant="body2" color="text.secondary">{look.person}, {when(look.at)}{look.note && `: ${look.note}`}</Typography>}
      </Box>
      <TextField label="Note" value={note} onChange={(event) => { setNote(event.target.value); }} sx={{ width: 220 }} />
      <Button variant="outlined" color="success" disabled={say.isPending} onClick={() => { say.mutate(true); }}>Right</Button>
      <Button variant="outlined" color="error" disabled={say.isPending} onClick={() => { say.mutate(false); }}>Not right</Button>
      <ProblemNote error={say.error} />
    </Box>
  );
}

function InOwnWords({ change }: { change: Change }) {
  const [note, setNote] = useState("");
  const queries = useQueryClient();
  const prove = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/changes/{change_id}/confirm", { params: { path: { change_id: change.id } }, body: { note } })),
    onSuccess: () => askAgain(queries),
  });
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", gap: 1, alignItems: "center" }}>
      <Typography sx={{ flex: 1, minWidth: 220 }}>The gamebook has no checklist for this change. Write what you saw in the game.</Typography>
      <TextField label="What you saw" value={note} onChange={(event) => { setNote(event.target.value); }} sx={{ width: 260 }} />
      <Button variant="outlined" color="success" disabled={prove.isPending || note.trim() === ""} onClick={() => { prove.mutate(); }}>Confirm</Button>
      <ProblemNote error={prove.error} />
    </Box>
  );
}

function WaitRow({ change, wait }: { change: Change; wait: Schemas["PendingOut"] }) {
  const queries = useQueryClient();
  const came = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/changes/{change_id}/pending/{pending_id}", { params: { path: { change_id: change.id, pending_id: wait.id } } })),
    onSuccess: () => askAgain(queries),
  });
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", gap: 1, alignItems: "center", py: 0.5 }}>
      <Box sx={{ flex: 1, minWidth: 220 }}>
        {wait.in_effect_at ? `In effect since ${when(wait.in_effect_at)}` : `Written, pending: ${effectWord(wait.takes_effect)}`}
        {": "}<Mono>{wait.addresses.slice(0, 4).join(", ")}</Mono>
        {wait.addresses.length > 4 && ` and ${String(wait.addresses.length - 4)} others`}
      </Box>
      {!wait.in_effect_at && <Button variant="outlined" disabled={came.isPending} onClick={() => { came.mutate(); }}>Mark as in effect</Button>}
      <ProblemNote error={came.error} />
    </Box>
  );
}
