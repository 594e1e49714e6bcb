import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";

import type { Kind, Sheet } from "./settings";

/** The fields of one kind of connection or control, and its secret. */
export function SettingsFields({ kind, sheet, secret, isKnown, onChange, onSecret }: {
  kind: Kind;
  sheet: Sheet;
  secret: string;
  isKnown: boolean;
  onChange: (sheet: Sheet) => void;
  onSecret: (secret: string) => void;
}) {
  return (
    <>
      {kind.fields.map((field) =>
        field.type === "switch" ? (
          <FormControlLabel
            key={field.name}
            control={<Switch checked={sheet[field.name] === true} onChange={(_, on) => { onChange({ ...sheet, [field.name]: on }); }} />}
            label={field.label}
          />
        ) : (
          <TextField
            key={field.name}
            select={field.type === "choice"}
            label={field.label}
            helperText={field.help}
            value={sheet[field.name] ?? ""}
            onChange={(event) => { onChange({ ...sheet, [field.name]: event.target.value }); }}
            autoComplete="off"
          >
            {field.choices?.map((choice) => (
              <MenuItem key={choice} value={choice}>
                {choice}
              </MenuItem>
            ))}
          </TextField>
        ),
      )}
      {kind.secret && (
        <TextField
          label={kind.secret.label}
          multiline={kind.secret.isLong}
          type={kind.secret.isLong ? "text" : "password"}
          helperText={isKnown ? "Leave it empty to use the saved one" : ""}
          value={secret}
          onChange={(event) => { onSecret(event.target.value); }}
          autoComplete="off"
        />
      )}
    </>
  );
}
