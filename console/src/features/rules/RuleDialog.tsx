import Box from "@mui/material/Box";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { EditDialog } from "./EditDialog";
import { dataOf, fieldsOf, GUESSES, KINDS, labelOf, sheetOf, TROUBLE, type RuleData, type RuleField } from "./ruleForm";

type Location = (string | number)[];

interface Props {
  serverId: string;
  title: string;
  /** The rule that is edited; without one a new rule is made. */
  rule?: { part: string; location: Location; data: RuleData };
  /** How many rules each part of the gamebook has: a new one goes behind them. */
  counts?: Record<string, number>;
  /** The id of the suggestion that this rule is accepted from. */
  suggestion?: string;
  onClose: () => void;
}

const NEW_KINDS = KINDS.filter((kind) => kind.part !== "field" && kind.part !== TROUBLE && kind.part !== GUESSES); // the rule of a field is made where the field is

/** A rule as a form. What it would find is shown before it is saved. */
export function RuleDialog({ serverId, title, rule, counts = {}, suggestion, onClose }: Props) {
  const [part, setPart] = useState(rule?.part ?? NEW_KINDS[0]?.part ?? "");
  const [sheet, setSheet] = useState(() => sheetOf(part, rule?.data ?? {}));
  const send = async (isDry: boolean): Promise<Schemas["GamebookEditOut"]> => {
    const data = dataOf(part, sheet, rule?.data ?? {});
    const path = { server_id: serverId };
    if (suggestion !== undefined) return answer(api.POST("/api/v1/servers/{server_id}/suggestions", { params: { path }, body: { suggestions: [suggestion], accept: true, data, dry_run: isDry } }));
    const location = rule?.location ?? [part, counts[part] ?? 0];
    return answer(api.PUT("/api/v1/servers/{server_id}/gamebook/rule", { params: { path }, body: { location, data, dry_run: isDry } }));
  };
  const isLacking = fieldsOf(part).some((field) => field.needed && sheet[field.name] === "");
  return (
    <EditDialog
      title={title}
      saveWord={part === TROUBLE ? "Save" : suggestion === undefined ? "Save the rule" : "Accept the rule"}
      send={send}
      form={JSON.stringify([part, sheet])}
      isReady={!isLacking}
      isWide
      onClose={onClose}
    >
      <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: { xs: "1fr", sm: "1fr 1fr" }, pt: 1, alignItems: "start" }}>
        {!rule && (
          <TextField select label="Kind of rule" value={part} onChange={(event) => { setPart(event.target.value); setSheet(sheetOf(event.target.value, {})); }} sx={{ gridColumn: "1 / -1" }}>
            {NEW_KINDS.map((kind) => <MenuItem key={kind.part} value={kind.part}>{labelOf(kind.part)}: {kind.about}</MenuItem>)}
          </TextField>
        )}
        {fieldsOf(part).map((field) => (
          <RuleInput key={field.name} field={field} value={sheet[field.name] ?? ""} onChange={(value) => { setSheet((before) => ({ ...before, [field.name]: value })); }} />
        ))}
      </Box>
    </EditDialog>
  );
}

const MANY_LINES: readonly string[] = ["texts", "names", "places", "words", "long", "data"];
const MORE: Record<string, string> = {
  texts: "one in each line",
  places: "one in each line",
  names: "a line for each: name = address",
  words: "the name of a list; or words, one in each line",
  data: "as JSON",
};

function RuleInput({ field, value, onChange }: { field: RuleField; value: string | boolean; onChange: (value: string | boolean) => void }) {
  const label = `${labelOf(field.name)}${field.needed ? " (needed)" : ""}`;
  if (field.type === "switch") {
    return (
      <Box>
        <FormControlLabel control={<Switch checked={value === true} onChange={(event) => { onChange(event.target.checked); }} />} label={label} />
        <Box sx={{ color: "text.secondary", fontSize: 12 }}>{field.help}</Box>
      </Box>
    );
  }
  const help = [field.help.replace(/`([^`]*)`/g, "“$1”"), MORE[field.type]].filter(Boolean).join("; ");
  return (
    <TextField
      label={label}
      helperText={help}
      value={value}
      onChange={(event) => { onChange(event.target.value); }}
      select={field.type === "choice"}
      multiline={MANY_LINES.includes(field.type)}
      maxRows={6}
      autoComplete="off"
    >
      {field.choices && ["", ...field.choices].map((choice) => <MenuItem key={choice} value={choice}>{choice || (field.default === null ? "not said" : `as usual (${String(field.default)})`)}</MenuItem>)}
    </TextField>
  );
}
