import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useFormContext, useWatch } from "react-hook-form";

import { PARTS, type Draft, type Part } from "./serverDraft";
import { kindCalled, sheetOf } from "./settings";
import { SettingsFields } from "./SettingsFields";

/** The kind of a connection, control or database, and the fields of that kind, in the form around them. */
export function PartFields({ which, isKnown }: { which: Part; isKnown: boolean }) {
  const form = useFormContext<Draft>();
  const kind = useWatch({ control: form.control, name: `${which}.kind` });
  const { label, kinds } = PARTS[which];
  const choose = (name: string) => {
    const before = form.getValues(which);
    form.setValue(which, { ...before, kind: name, sheet: sheetOf(kindCalled(kinds, name), { kind: kindCalled(kinds, before.kind), sheet: before.sheet }) });
  };
  return (
    <>
      <TextField select label={label} value={kind} onChange={(event) => { choose(event.target.value); }} sx={{ gridColumn: "1 / -1", mt: 1 }}>
        {kinds.map((one) => (
          <MenuItem key={one.kind} value={one.kind}>
            {one.label}
          </MenuItem>
        ))}
      </TextField>
      <SettingsFields key={kind} part={which} kind={kindCalled(kinds, kind)} isKnown={isKnown} />
    </>
  );
}
