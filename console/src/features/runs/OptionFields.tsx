import Box from "@mui/material/Box";
import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";

import type { Schemas } from "../../api/client";

type Options = Schemas["OptionsIn"];

/** How a run goes about it: a word to the players, waiting until no one plays, a rehearsal. */
export function OptionFields({ options, onChange, canRehearse = false }: { options: Options; onChange: (options: Options) => void; canRehearse?: boolean }) {
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", gap: 2, alignItems: "center", my: 1 }}>
      <TextField
        label="Warn players (minutes before)"
        type="number"
        value={options.announce}
        slotProps={{ htmlInput: { min: 0, max: 120 } }}
        onChange={(event) => { onChange({ ...options, announce: Math.max(0, Math.min(120, Number(event.target.value))) }); }}
        sx={{ width: 230 }}
      />
      <FormControlLabel
        control={<Switch checked={options.wait === "empty"} onChange={(_, on) => { onChange({ ...options, wait: on ? "empty" : "" }); }} />}
        label="Wait until no one plays"
      />
      {canRehearse && (
        <FormControlLabel
          control={<Switch checked={options.rehearse} onChange={(_, on) => { onChange({ ...options, rehearse: on }); }} />}
          label="Rehearse on a copy first"
        />
      )}
    </Box>
  );
}
