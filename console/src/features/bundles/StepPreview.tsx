import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";

import type { Schemas } from "../../api/client";
import { ManyRows } from "../../shared/ManyRows";
import { Mono } from "../../shared/Mono";

/** The steps of a change that is not there yet. */
export function StepPreview({ steps }: { steps: readonly Schemas["PlannedStepOut"][] }) {
  if (steps.length === 0) return <Typography variant="body2">Nothing would change.</Typography>;
  return (
    <Box component="ol" sx={{ m: 0, pl: 3 }}>
      <ManyRows rows={steps} word="steps">
        {(step) => (
          <Box component="li" sx={{ py: 0.25, overflowWrap: "anywhere" }}>
            {step.kind} <Mono>{step.address}</Mono> {step.summary}
          </Box>
        )}
      </ManyRows>
    </Box>
  );
}
