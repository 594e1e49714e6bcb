import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { MONO } from "../../theme";
import { TrialTable } from "./TrialTable";

type Form = Schemas["FormOut"];

const LIKE = "";
const ACTS = { make: "Make a new one", rename: "Rename one that is there", remove: "Take one out" } as const;
const WORD = "word";
type Act = keyof typeof ACTS;

/** One sheet of questions that fills all places of a new thing: of the gamebook, or drafted from an existing entry. */
export function FormDialog({ change, onClose }: { change: Schemas["ChangeDetail"]; onClose: () => void }) {
  const queries = useQueryClient();
  const [name, setName] = useState(LIKE);
  const [like, setLike] = useState("");
  const [act, setAct] = useState<Act>("make");
  const [newWord, setNewWord] = useState("");
  const [answers, setAnswers] = useState<Record<string, string>>({});
  const forms = useQuery({
    queryKey: ["forms", change.server],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/forms", { params: { path: { server_id: change.server } } })),
  });
  const draft = useMutation({
    mutationFn: () =>
      answer(api.GET("/api/v1/servers/{server_id}/forms/draft", { params: { path: { server_id: change.server }, query: { address: like.trim() } } })),
  });
  const chosen: Form | undefined = name === LIKE ? draft.data?.form : forms.data?.find((one) => one.name === name);
  const fill = useMutation({
    mutationFn: (dryRun: boolean) =>
      answer(
        api.POST("/api/v1/changes/{change_id}/form", {
          params: { path: { change_id: change.id }, header: { "If-Match": `"${String(change.version)}"` } },
          body: { name, like: name === LIKE ? like.trim() : "", answers: given(chosen, answers, act), remove: act === "remove", rename_to: act === "rename" ? newWord.trim() : "", dry_run: dryRun },
        }),
      ),
    onSuccess: async (filled) => {
      if (!filled.is_saved) return;
      await askAgain(queries);
      onClose();
    },
  });
  const places = fill.data?.outcomes.flatMap((one) => one.changes) ?? [];
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md">
      <DialogTitle>Fill in a form</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 1.5, pt: "8px !important" }}>
        <TextField select label="Form" value={name} onChange={(event) => { setName(event.target.value); setAnswers({}); fill.reset(); }} slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}>
          <MenuItem value={LIKE}>like an existing entry …</MenuItem>
          {forms.data?.map((one) => <MenuItem key={one.name} value={one.name}>{one.name}</MenuItem>)}
        </TextField>
        {name === LIKE && (
          <TextField
            label="Address of an entry that the new one is like"
            value={like}
            onChange={(event) => { setLike(event.target.value); draft.reset(); fill.reset(); }}
            helperText="All places of that entry are looked for: scripts, lists, rows and files that are called so."
            slotProps={{ htmlInput: { style: { fontFamily: MONO } } }}
          />
        )}
        {name === LIKE && !draft.data && <Button sx={{ justifySelf: "start" }} variant="outlined" disabled={!like.trim() || draft.isPending} onClick={() => { draft.mutate(); }}>Find its places</Button>}
        {chosen && (
          <>
            <Typography variant="body2" color="text.secondary">{chosen.about && `${chosen.about}. `}It fills:</Typography>
            <Typography component="ul" variant="body2" sx={{ m: 0, pl: 2.5 }}>
              {chosen.places.map((place) => <li key={place}>{place}</li>)}
            </Typography>
            <TextField select label="Action" value={act} onChange={(event) => { setAct(event.target.value as Act); fill.reset(); }}>
              {Object.entries(ACTS).map(([key, label]) => <MenuItem key={key} value={key}>{label}</MenuItem>)}
            </TextField>
            {chosen.questions.filter((question) => act === "make" || question.name === WORD).map((question) => (
              <TextField
                key={question.name}
                label={question.title || question.name}
                value={answers[question.name] ?? question.answer}
                onChange={(event) => { setAnswers({ ...answers, [question.name]: event.target.value }); fill.reset(); }}
              />
            ))}
            {act === "rename" && <TextField label="New word" value={newWord} onChange={(event) => { setNewWord(event.target.value); fill.reset(); }} />}
          </>
        )}
        <ProblemNote error={forms.error ?? draft.error ?? fill.error} />
        {fill.data && <TrialTable outcome={{ kind: "done", message: "", notes: notesOf(fill.data), changes: places, places: places.length, offset: 0 }} />}
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>Cancel</Button>
        <Button disabled={!chosen || fill.isPending} onClick={() => { fill.mutate(true); }}>Show what it does</Button>
        <Button variant="contained" disabled={!fill.data || fill.isPending} onClick={() => { fill.mutate(false); }}>Add all steps</Button>
      </DialogActions>
    </Dialog>
  );
}

/** What the form leaves as it is. */
function notesOf(filled: Pick<Schemas["FilledFormOut"], "left" | "named">): string[] {
  return [
    ...filled.left.map((place) => `Not found there for sure, so it stays as it is: ${place}`),
    ...filled.named.map((place) => `Has the old word still: ${place}`),
  ];
}

/** The answers that were given, or are there already; those that are empty are left to the service. */
function given(form: Form | undefined, answers: Record<string, string>, act: Act): Record<string, string> {
  if (act !== "make") return { [WORD]: (answers[WORD] ?? "").trim() };
  const all = (form?.questions ?? []).map((one) => [one.name, (answers[one.name] ?? one.answer).trim()] as const);
  return Object.fromEntries(all.filter(([, value]) => value !== ""));
}
