import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { askAgain } from "../../api/askAgain";
import { answer, api, ApiProblem, EMPTY_STEP, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { MONO } from "../../theme";
import { MergePlanTable } from "./MergePlanTable";
import { TrialTable } from "./TrialTable";

type StepIn = Schemas["StepIn"];
type Kind = StepIn["kind"];

const KINDS: readonly { kind: Kind; label: string; address: string }[] = [
  { kind: "set", label: "Change values", address: "Address: FILE#ENTRY[KEY]/FIELD, as the tables show it" },
  { kind: "add", label: "Add an entry", address: "Address of the entry or group that it goes into" },
  { kind: "copy", label: "Copy an entry", address: "Address of the entry" },
  { kind: "copy-fields", label: "Copy fields to siblings", address: "Address of the entry to copy from" },
  { kind: "remove", label: "Remove", address: "Address to remove" },
  { kind: "rename", label: "Rename", address: "Address of the entry or field; throughout also of a value, file or folder" },
  { kind: "move", label: "Move an entry", address: "Address of the entry" },
  { kind: "comment-out", label: "Make it a comment", address: "Address of the entry or setting" },
  { kind: "comment-in", label: "Bring back from a comment", address: "What it is called without the comment signs" },
  { kind: "merge", label: "Merge a published snippet", address: "File (path on the server)" },
  { kind: "move-file", label: "Move a file or folder", address: "Path of the file or folder on the server" },
  { kind: "remove-file", label: "Remove a file or folder", address: "Path of the file or folder on the server" },
  { kind: "add-folder", label: "Add an empty folder", address: "Path of the new folder on the server" },
  { kind: "set-executable", label: "Make a file executable, or not", address: "Path of the file on the server" },
];

/** One more step: what to do, and where. A snippet's plan is shown before it becomes a step. */
export function AddStepDialog({ change, initial = EMPTY_STEP, onClose }: { change: Schemas["ChangeDetail"]; initial?: StepIn; onClose: () => void }) {
  const [step, setStep] = useState(initial);
  const [fields, setFields] = useState("");
  const [taken, setTaken] = useState((initial.take ?? []).join(" "));
  const queries = useQueryClient();
  const params = { path: { change_id: change.id } };
  const whole = { ...step, executable: step.kind === "set-executable" ? step.executable !== false : null, fields: step.kind === "add" ? fieldsOf(fields) : {}, names: step.kind === "copy-fields" ? namesOf(fields) : [] };
  const tried = useMutation({
    mutationFn: (body: StepIn) => answer(api.POST("/api/v1/changes/{change_id}/try", { params, body })),
  });
  const add = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/changes/{change_id}/steps", {
          params: { ...params, header: { "If-Match": `"${String(change.version)}"` } },
          body: whole,
        }),
      ),
    onSuccess: async () => {
      await askAgain(queries);
      onClose();
    },
  });
  const plan = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/changes/{change_id}/merge-plan", {
          params,
          body: { path: step.address, snippet: step.snippet ?? "", into: step.into ?? "", take: step.take ?? [], existing: step.existing ?? "" },
        }),
      ),
  });
  const planned = useRef(false);
  useEffect(() => {
    // What was pasted is planned at once.
    if (initial.kind !== "merge" || !initial.snippet || planned.current) return;
    planned.current = true;
    plan.mutate();
  }, [initial, plan]);
  const set = (field: keyof StepIn) => (event: { target: { value: string } }) => {
    setStep({ ...step, choices: {}, [field]: event.target.value });
    plan.reset();
    tried.reset();
  };
  const leave = (left: string[]) => {
    const smaller = { ...whole, leave: left };
    setStep(smaller);
    tried.mutate(smaller);
  };
  const places = plan.error instanceof ApiProblem ? (plan.error.facts["places"] as string[] | undefined) ?? [] : [];
  const isOpen = plan.data?.actions.some((action) => (step.choices?.[action.address] ?? action.kind) === "ask") ?? false;
  const isIdle = plan.data?.actions.every((action) => action.kind === "same") ?? false;
  const kind = KINDS.find((one) => one.kind === step.kind);
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md">
      <DialogTitle>Add a step</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 1.5, pt: "8px !important" }}>
        <TextField select label="What to do" value={step.kind} onChange={set("kind")}>
          {KINDS.map((one) => (
            <MenuItem key={one.kind} value={one.kind}>{one.label}</MenuItem>
          ))}
        </TextField>
        <TextField label={kind?.address} value={step.address} onChange={set("address")} slotProps={{ htmlInput: { style: { fontFamily: MONO } } }} />
        {step.kind === "set" && <TextField label="Operation: =40, +10, -10, *1.5, *1.5 from 0 to 400, on or off" value={step.operation} onChange={set("operation")} />}
        {step.kind === "add" && (
          <>
            <TextField label="Name of the new entry" value={step.name} onChange={set("name")} />
            <TextField label="Fields, one per line: name=value" multiline minRows={4} value={fields} onChange={(event) => { setFields(event.target.value); }} />
          </>
        )}
        {step.kind === "copy-fields" && (
          <>
            <TextField label="Target entries (address pattern)" value={step.target} onChange={set("target")} slotProps={{ htmlInput: { style: { fontFamily: MONO } } }} />
            <TextField label="Fields, separated by spaces (empty: all)" value={fields} onChange={(event) => { setFields(event.target.value); tried.reset(); }} />
          </>
        )}
        {step.kind === "copy" && (
          <>
            <TextField label="Key of the copy" value={step.key} onChange={set("key")} />
            <FormControlLabel
              control={<Checkbox checked={step.throughout} onChange={(event) => { setStep({ ...step, throughout: event.target.checked }); tried.reset(); }} />}
              label="Throughout: the new word for the old one all over the copy, in each of its letter cases"
            />
          </>
        )}
        {step.kind === "move-file" && <TextField label="New path" value={step.target} onChange={set("target")} slotProps={{ htmlInput: { style: { fontFamily: MONO } } }} />}
        {step.kind === "set-executable" && (
          <TextField select label="It may be run as a program" value={step.executable === false ? "off" : "on"} onChange={(event) => { setStep({ ...step, executable: event.target.value === "on" }); tried.reset(); }}>
            <MenuItem value="on">yes</MenuItem>
            <MenuItem value="off">no</MenuItem>
          </TextField>
        )}
        {step.kind === "rename" && (
          <>
            <TextField label="New key or name" value={step.name} onChange={set("name")} />
            <FormControlLabel
              control={<Checkbox checked={step.throughout} onChange={(event) => { setStep({ ...step, throughout: event.target.checked, leave: [] }); tried.reset(); }} />}
              label="Throughout: with everything that the gamebook ties to the old word, in all files"
            />
          </>
        )}
        {step.kind === "move" && (
          <>
            <TextField select label="Where to" value={step.where} onChange={set("where")}>
              <MenuItem value="before">before another entry</MenuItem>
              <MenuItem value="after">after another entry</MenuItem>
              <MenuItem value="into">to the end of a group</MenuItem>
            </TextField>
            <TextField label="Address of that entry or group, in the same file" value={step.target} onChange={set("target")} slotProps={{ htmlInput: { style: { fontFamily: MONO } } }} />
          </>
        )}
        {step.kind === "merge" && (
          <>
            <TextField label="Paste the snippet here" multiline minRows={plan.data ? 3 : 6} maxRows={plan.data ? 4 : 14} value={step.snippet} onChange={set("snippet")} slotProps={{ htmlInput: { style: { fontFamily: MONO, fontSize: 12 } } }} />
            <TextField label="Source: web address and author (saved with the step)" value={step.origin} onChange={set("origin")} />
            {places.length > 1 ? (
              <TextField select label="It fits several places. Which one?" value={step.into} onChange={set("into")}>
                {places.map((place) => <MenuItem key={place} value={place}>{place || "the top of the file"}</MenuItem>)}
              </TextField>
            ) : (
              <TextField label="Target group (only if it is not clear)" value={step.into} onChange={set("into")} />
            )}
            <TextField label="Of a large pack take only (addresses)" placeholder="thing[kind=cloth]" value={taken} onChange={(event) => { setTaken(event.target.value); setStep({ ...step, choices: {}, take: addressesIn(event.target.value) }); plan.reset(); }} slotProps={{ htmlInput: { style: { fontFamily: MONO } } }} />
            <TextField select label="Entries that are there already" value={step.existing || "combine"} onChange={set("existing")}>
              <MenuItem value="combine">are overridden where the snippet says something</MenuItem>
              <MenuItem value="replace">become those of the snippet</MenuItem>
              <MenuItem value="skip">stay; only what is new is added</MenuItem>
            </TextField>
          </>
        )}
        {plan.data && <MergePlanTable plan={plan.data} choices={step.choices ?? {}} onChoose={(choices) => { setStep({ ...step, choices }); }} />}
        {tried.data && tried.data.kind !== "impossible" && (
          <TrialTable outcome={tried.data} leaving={step.throughout ? { left: step.leave ?? [], onLeave: leave } : undefined} />
        )}
        {tried.data?.kind === "impossible" && <ProblemNote error={new Error(tried.data.message)} />}
        {isIdle && <Typography>Nothing to do: everything is there already.</Typography>}
        <ProblemNote error={plan.error ?? tried.error ?? add.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        {step.kind !== "merge" && (
          <Button disabled={tried.isPending || !step.address} onClick={() => { tried.mutate(whole); }}>Dry run</Button>
        )}
        {step.kind === "merge" && !plan.data ? (
          <Button variant="contained" disabled={plan.isPending || !step.address} onClick={() => { plan.mutate(); }}>Show the plan</Button>
        ) : (
          <Button variant="contained" disabled={add.isPending || !step.address || isIdle || isOpen} onClick={() => { add.mutate(); }}>Add step</Button>
        )}
      </DialogActions>
    </Dialog>
  );
}

/** Addresses with blanks between them; a blank in a bracket is part of one. */
function addressesIn(text: string): string[] {
  return text.match(/(?:\[(?:"[^"]*"|[^\]"])*\]|[^\s[])+/g) ?? [];
}

function namesOf(text: string): string[] {
  return text.split(/[\s,]+/).filter(Boolean);
}

function fieldsOf(text: string): Record<string, string> {
  const pairs = text.split("\n").map((line) => line.split(/=(.*)/s));
  return Object.fromEntries(pairs.filter((pair) => pair[0]?.trim()).map((pair) => [pair[0]?.trim() ?? "", (pair[1] ?? "").trim()]));
}
