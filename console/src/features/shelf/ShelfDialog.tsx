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
import { MergePlanTable } from "../changes/MergePlanTable";

/** Put a snippet of the shelf into a change: its words are filled in, and its plan is shown first. */
export function ShelfDialog({ change, onClose }: { change: Schemas["ChangeDetail"]; onClose: () => void }) {
  const [name, setName] = useState("");
  const [values, setValues] = useState<Record<string, string>>({});
  const [path, setPath] = useState("");
  const [choices, setChoices] = useState<Record<string, string>>({});
  const queries = useQueryClient();
  const found = useQuery({ queryKey: ["shelf"], queryFn: () => answer(api.GET("/api/v1/shelf")) });
  const kept = found.data?.find((one) => one.name === name);
  const params = { path: { change_id: change.id } };
  const body: Schemas["PlacedIn"] = { name, values, path: path.trim(), into: "", take: [], existing: "combine", choices };
  const plan = useMutation({ mutationFn: () => answer(api.POST("/api/v1/changes/{change_id}/shelf-plan", { params, body: { ...body, choices: {} } })) });
  const put = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/changes/{change_id}/shelf", { params, body })),
    onSuccess: async () => { await askAgain(queries); onClose(); },
  });
  const changed = () => { plan.reset(); setChoices({}); };
  const isOpen = plan.data?.actions.some((action) => (choices[action.address] ?? action.kind) === "ask") ?? false;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md">
      <DialogTitle>Put from the shelf</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 1.5, pt: "8px !important" }}>
        <TextField select label="Snippet" value={name} onChange={(event) => { setName(event.target.value); setValues({}); setPath(""); changed(); }}>
          {(found.data ?? []).map((one) => <MenuItem key={one.name} value={one.name}>{one.title}</MenuItem>)}
        </TextField>
        {found.data?.length === 0 && <Typography variant="body2">The shelf is empty. Keep snippets on the page Shelf.</Typography>}
        {kept && Object.entries(kept.parameters).map(([word, usual]) => (
          <TextField key={word} label={word} placeholder={usual} value={values[word] ?? ""} onChange={(event) => { setValues(filledIn(values, word, event.target.value)); changed(); }} slotProps={{ inputLabel: { shrink: true } }} />
        ))}
        {kept && <TextField label={`File (${kept.path || "the snippet names none"})`} value={path} onChange={(event) => { setPath(event.target.value); changed(); }} slotProps={{ htmlInput: { style: { fontFamily: MONO } } }} />}
        {plan.data && <MergePlanTable plan={plan.data} choices={choices} onChoose={setChoices} />}
        <ProblemNote error={plan.error ?? put.error ?? found.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        {plan.data ? (
          <Button variant="contained" disabled={put.isPending || isOpen} onClick={() => { put.mutate(); }}>Add step</Button>
        ) : (
          <Button variant="contained" disabled={plan.isPending || !kept} onClick={() => { plan.mutate(); }}>Show the plan</Button>
        )}
      </DialogActions>
    </Dialog>
  );
}

/** The values with one more; an empty one is left out, so that the usual one holds. */
function filledIn(values: Record<string, string>, word: string, value: string): Record<string, string> {
  return Object.fromEntries(Object.entries({ ...values, [word]: value }).filter(([, one]) => one));
}
