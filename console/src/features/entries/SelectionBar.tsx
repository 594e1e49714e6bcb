import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";

import { EMPTY_STEP, type Schemas } from "../../api/client";
import { type Entries, type Row, titleOf } from "./entryQuery";
import { operationStep } from "./steps";

interface Props {
  path: string;
  entries: Entries;
  rows: readonly Row[];
  isBusy: boolean;
  onSteps: (steps: Schemas["StepIn"][], title: string) => void;
}

/** What can be done with the selected rows together. */
export function SelectionBar({ path, entries, rows, isBusy, onSteps }: Props) {
  const [chosen, setField] = useState("");
  const [operation, setOperation] = useState("");
  const [name, setName] = useState("");
  const fields = entries.columns.map((column) => column.field);
  const field = fields.includes(chosen) ? chosen : (fields[0] ?? "");
  const having = rows.filter((row) => row.cells[field] !== undefined);
  const numbers = having.map((row) => row.cells[field]?.trim() ?? "").filter(Boolean).map(Number).filter((number) => !Number.isNaN(number));
  const sum = numbers.reduce((total, number) => total + number, 0);
  const [only] = rows;
  return (
    <Box role="toolbar" aria-label="Selected rows" sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap", px: 1, py: 0.75, borderTop: 1, borderColor: "divider", bgcolor: "action.hover" }}>
      <strong>{rows.length === 1 ? "1 row" : `${String(rows.length)} rows`}</strong>
      {fields.length > 0 && (
        <TextField select label="Column" value={field} onChange={(event) => { setField(event.target.value); }} sx={{ width: 140 }}>
          {fields.map((one) => <MenuItem key={one} value={one}>{titleOf(one)}</MenuItem>)}
        </TextField>
      )}
      {numbers.length > 0 && <Box component="span" sx={{ color: "text.secondary" }}>sum {Number(sum.toFixed(6)).toLocaleString()}{numbers.length < rows.length && ` of ${String(numbers.length)} with a plain number`}</Box>}
      <Box
        component="form"
        onSubmit={(event) => {
          event.preventDefault();
          onSteps(having.map((row) => operationStep(path, entries.kind, row, field, operation.trim())), `${titleOf(field)} ${operation.trim()} in ${String(having.length)} entries`);
        }}
        sx={{ display: "flex", gap: 1, alignItems: "center" }}
      >
        <TextField label="Change to" placeholder="=5, +10, *1.2" value={operation} onChange={(event) => { setOperation(event.target.value); }} sx={{ width: 120 }} />
        <Button type="submit" variant="outlined" disabled={isBusy || !operation.trim() || having.length === 0}>Change {having.length === rows.length ? "" : `${String(having.length)} of them`}</Button>
      </Box>
      {rows.length === 1 && only && (
        <Box component="form" onSubmit={(event) => { event.preventDefault(); onSteps([{ ...EMPTY_STEP, kind: "copy", address: `${path}#${only.address}`, key: name.trim() }], `Copy ${only.trail}`); setName(""); }} sx={{ display: "flex", gap: 1, alignItems: "center" }}>
          <TextField label="Copy as" value={name} onChange={(event) => { setName(event.target.value); }} sx={{ width: 140 }} />
          <Button type="submit" variant="outlined" disabled={isBusy || !name.trim()}>Copy</Button>
        </Box>
      )}
      <Button color="error" disabled={isBusy} onClick={() => { onSteps(rows.map((row) => ({ ...EMPTY_STEP, kind: "remove", address: `${path}#${row.address}` })), rows.length === 1 ? `Remove ${only?.trail ?? ""}` : `Remove ${String(rows.length)} entries`); }}>Remove</Button>
    </Box>
  );
}
