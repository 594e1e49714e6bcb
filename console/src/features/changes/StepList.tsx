import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { ManyRows } from "../../shared/ManyRows";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";

const SHOWN = 10;

/** The steps of a change in their order, each with the places that it touches. */
export function StepList({ change, isEditable }: { change: Schemas["ChangeDetail"]; isEditable: boolean }) {
  const queries = useQueryClient();
  const drop = useMutation({
    mutationFn: (stepId: number) =>
      answer(
        api.DELETE("/api/v1/changes/{change_id}/steps", {
          params: { path: { change_id: change.id }, query: { step: [stepId] }, header: { "If-Match": `"${String(change.version)}"` } },
        }),
      ),
    onSettled: () => askAgain(queries),
  });
  if (change.step_list.length === 0) {
    return <Typography sx={{ p: 2 }}>No steps yet. Press “Add a step”, or open a file of the server and edit a cell there.</Typography>;
  }
  return (
    <Paper>
      <ProblemNote error={drop.error} />
      <ManyRows rows={change.step_list} word="steps">{(step) => (
        <Box key={step.id} sx={{ display: "flex", gap: 1.5, px: 1.5, py: 1, borderBottom: 1, borderColor: "divider" }}>
          <Box sx={{ width: 24, textAlign: "right", color: "text.secondary" }}>{step.position}.</Box>
          <Box sx={{ flex: 1, minWidth: 0 }}>
            <Box sx={{ fontWeight: 600 }}>
              {step.kind} <Mono>{step.address}</Mono> {step.summary}
            </Box>
            {step.outcome.kind !== "done" && <Box><KindMark kind={step.outcome.kind} /> {step.outcome.message}</Box>}
            {step.outcome.notes.map((note) => (
              <Box key={note} sx={{ color: "text.secondary" }}>note: {note}</Box>
            ))}
            {step.outcome.changes.slice(0, SHOWN).map((one, index) => (
              <Box key={index} sx={{ color: "text.secondary", fontSize: 12 }}>
                <Mono>{one.address}</Mono>{" "}
                {one.old !== null && <><Mono>{shorten(one.old)}</Mono> → </>}
                <Box component="span" sx={{ color: "text.primary" }}><Mono>{one.new === null ? "gone" : shorten(one.new)}</Mono></Box>
              </Box>
            ))}
            {step.outcome.places > SHOWN && <Box sx={{ color: "text.secondary" }}>and {step.outcome.places - SHOWN} more places</Box>}
          </Box>
          {isEditable && (
            <Button color="inherit" aria-label={`Remove step ${String(step.position)}`} disabled={drop.isPending} onClick={() => { drop.mutate(step.id); }}>
              Remove
            </Button>
          )}
        </Box>
      )}</ManyRows>
    </Paper>
  );
}

function shorten(text: string): string {
  const line = text.replace(/\s+/g, " ");
  return line.length > 110 ? `${line.slice(0, 109)}…` : line;
}
