import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";

import type { Schemas } from "../../api/client";
import { effectWord } from "../../shared/effects";
import { Mono } from "../../shared/Mono";

const FEW = 4;

/** Written is not in effect: what the values of a change wait for, and what to look at in the game then. */
export function EffectNote({ change }: { change: Schemas["ChangeDetail"] }) {
  if (change.effects.length === 0) return null;
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }}>
      <Typography variant="h2" gutterBottom>After it is written</Typography>
      {change.effects.map((effect) => (
        <Box key={effect.takes_effect} sx={{ mb: 0.5 }}>
          <strong>{effectWord(effect.takes_effect)}</strong>: <Mono>{effect.addresses.slice(0, FEW).join(", ")}</Mono>
          {effect.addresses.length > FEW && ` and ${String(effect.addresses.length - FEW)} others`}
        </Box>
      ))}
      {change.checklist_preview.length > 0 && (
        <>
          <Typography variant="h2" gutterBottom sx={{ mt: 1 }}>Checklist</Typography>
          <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
            {change.checklist_preview.slice(0, FEW).map((look) => <li key={look}>{look}</li>)}
          </Box>
          {change.checklist_preview.length > FEW && <Typography variant="body2">and {change.checklist_preview.length - FEW} others</Typography>}
        </>
      )}
    </Paper>
  );
}
