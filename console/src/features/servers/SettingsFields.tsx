import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { Controller, useFormContext } from "react-hook-form";

import type { Part } from "./serverDraft";
import { inSheet, type Field, type Kind, type PartDraft } from "./settings";

type Form = Record<Part, PartDraft>;

/** The fields of one kind of connection, control or database, and its secret, in the form around them. */
export function SettingsFields({ part, kind, isKnown }: { part: Part; kind: Kind; isKnown: boolean }) {
  const { register } = useFormContext<Form>();
  return (
    <>
      {kind.fields.map((field) => <SettingsField key={field.name} part={part} field={field} />)}
      {kind.secret && (
        <TextField
          label={kind.secret.label}
          multiline={kind.secret.isLong}
          type={kind.secret.isLong ? "text" : "password"}
          helperText={isKnown ? "Leave it empty to use the saved one" : ""}
          {...register(`${part}.secret`)}
          autoComplete="off"
        />
      )}
    </>
  );
}

function SettingsField({ part, field }: { part: Part; field: Field }) {
  const { control } = useFormContext<Form>();
  return (
    <Controller
      name={`${part}.sheet.${inSheet(field)}`}
      control={control}
      render={({ field: { value, ...input } }) =>
        field.type === "switch" ? (
          <FormControlLabel control={<Switch {...input} checked={value === true} />} label={field.label} />
        ) : (
          <TextField select={field.type === "choice"} label={field.label} helperText={field.help} {...input} value={value ?? ""} autoComplete="off">
            {field.choices?.map((choice) => (
              <MenuItem key={choice} value={choice}>
                {choice}
              </MenuItem>
            ))}
          </TextField>
        )
      }
    />
  );
}
