import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import MenuItem from "@mui/material/MenuItem";
import Popover from "@mui/material/Popover";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";

import { type Condition, type Entries, type EntryFilter, type Grouping, titleOf, TRAIL } from "./entryQuery";

interface Props {
  entries: Entries;
  filter: EntryFilter;
  onFilter: (filter: EntryFilter) => void;
  /** The field that the entries are grouped by, and the one whose sum is shown; empty for none. */
  grouping: Grouping;
  onGrouping: (grouping: Grouping) => void;
  /** Choose another kind; null where only this one is shown. */
  onKind: ((kind: string) => void) | null;
}

const ONLY: readonly { only: EntryFilter["only"]; word: string }[] = [
  { only: "", word: "all" },
  { only: "changed", word: "changed here" },
  { only: "findings", word: "with findings" },
];

/** Which kind of entries is shown, and which of them. */
export function FilterBar({ entries, filter, onFilter, grouping, onGrouping, onKind }: Props) {
  const fields = entries.columns.map((column) => column.field);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", px: 1, py: 0.75, flexWrap: "wrap", flexShrink: 0 }}>
      {onKind && (
        <TextField select label="Kind" disabled={Object.keys(entries.kinds).length < 2} value={entries.kind in entries.kinds ? entries.kind : ""} onChange={(event) => { onKind(event.target.value); }} sx={{ minWidth: 130 }}>
          {Object.entries(entries.kinds).map(([name, count]) => <MenuItem key={name} value={name}>{name} ({count.toLocaleString()})</MenuItem>)}
        </TextField>
      )}
      <TextField label="Search entries" placeholder="[kind=cloth] words" value={filter.search} onChange={(event) => { onFilter({ ...filter, search: event.target.value }); }} sx={{ width: 180 }} />
      <TextField select label="Only" value={filter.only} onChange={(event) => { onFilter({ ...filter, only: event.target.value as EntryFilter["only"] }); }} sx={{ width: 115 }} slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}>
        {ONLY.map(({ only, word }) => <MenuItem key={only} value={only}>{word}</MenuItem>)}
      </TextField>
      {filter.where.map((condition, index) => (
        <Chip key={`${condition.field} ${condition.text}`} size="small" label={`${titleOf(condition.field)} ${condition.text}`} onDelete={() => { onFilter({ ...filter, where: filter.where.filter((_, other) => other !== index) }); }} />
      ))}
      <Button color="inherit" onClick={(event) => { setAnchor(event.currentTarget); }}>Add a condition …</Button>
      <FieldChoice label="Group by" none="no groups" fields={fields} value={grouping.by} onChange={(by) => { onGrouping({ ...grouping, by }); }} />
      {grouping.by && <FieldChoice label="Sum of" none="nothing" fields={fields} value={grouping.sum} onChange={(sum) => { onGrouping({ ...grouping, sum }); }} />}
      <ConditionForm
        anchor={anchor}
        entries={entries}
        onClose={() => { setAnchor(null); }}
        onAdd={(condition) => {
          setAnchor(null);
          onFilter({ ...filter, where: [...filter.where.filter((one) => one.field !== condition.field), condition] });
        }}
      />
    </Box>
  );
}

function FieldChoice({ label, none, fields, value, onChange }: { label: string; none: string; fields: readonly string[]; value: string; onChange: (value: string) => void }) {
  return (
    <TextField select label={label} value={fields.includes(value) ? value : ""} onChange={(event) => { onChange(event.target.value); }} sx={{ width: 118 }} slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}>
      <MenuItem value="">{none}</MenuItem>
      {fields.map((field) => <MenuItem key={field} value={field}>{titleOf(field)}</MenuItem>)}
    </TextField>
  );
}

function ConditionForm({ anchor, entries, onClose, onAdd }: { anchor: HTMLElement | null; entries: Entries; onClose: () => void; onAdd: (condition: Condition) => void }) {
  const [field, setField] = useState(TRAIL);
  const [text, setText] = useState("");
  const names = [TRAIL, ...entries.columns.map((column) => column.field)];
  return (
    <Popover open={anchor !== null} anchorEl={anchor} onClose={onClose} anchorOrigin={{ vertical: "bottom", horizontal: "left" }}>
      <Box component="form" onSubmit={(event) => { event.preventDefault(); if (text.trim()) { onAdd({ field, text: text.trim() }); setText(""); } }} sx={{ p: 1.5, display: "flex", gap: 1, flexDirection: "column", width: 280 }}>
        <TextField select label="Column" value={names.includes(field) ? field : TRAIL} onChange={(event) => { setField(event.target.value); }}>
          {names.map((name) => <MenuItem key={name} value={name}>{name === TRAIL ? "entry" : titleOf(name)}</MenuItem>)}
        </TextField>
        <TextField autoFocus label="Condition" placeholder=">10, <=4, =cloth,silk, !=cloth" value={text} onChange={(event) => { setText(event.target.value); }} />
        <Typography variant="body2" color="text.secondary">Text alone is searched in the value.</Typography>
        <Button type="submit" variant="contained" disabled={!text.trim()}>Add the condition</Button>
      </Box>
    </Popover>
  );
}
