import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { DifferenceTable, summary } from "../../shared/DifferenceTable";
import { ProblemNote } from "../../shared/ProblemNote";
import { TextDifference } from "../../shared/TextDifference";

/** What the change makes different: by entry and as text; from its base, the live files or the defaults. */
export function DifferencePanel({ change }: { change: Schemas["ChangeDetail"] }) {
  const [against, setAgainst] = useState("base");
  const [shape, setShape] = useState("entries");
  const texts = shape === "text"; // the lines that differ are worked out only when they are asked for
  const comparison = useQuery({
    queryKey: ["change", change.id, "differences", against, change.version, texts],
    queryFn: () =>
      answer(
        api.GET("/api/v1/changes/{change_id}/differences", {
          params: { path: { change_id: change.id }, query: { against, texts } },
        }),
      ),
  });
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, mb: 1, alignItems: "center" }}>
        <TextField select label="Compare with" value={against} onChange={(event) => { setAgainst(event.target.value); }} sx={{ width: 240 }}>
          <MenuItem value="base">its base</MenuItem>
          <MenuItem value="live">the live files</MenuItem>
          <MenuItem value="defaults">the defaults</MenuItem>
        </TextField>
        <TextField select label="Shown" value={shape} onChange={(event) => { setShape(event.target.value); }} sx={{ width: 140 }}>
          <MenuItem value="entries">by entry</MenuItem>
          <MenuItem value="text">as text</MenuItem>
        </TextField>
        {comparison.data && (
          <Typography variant="body2" color="text.secondary">
            from {comparison.data.old} to {comparison.data.new}: {summary(comparison.data.differences)}
          </Typography>
        )}
      </Box>
      <ProblemNote error={comparison.error} />
      {comparison.data?.notes.map((note) => (
        <Alert key={note} severity="warning" variant="outlined" sx={{ mb: 1 }}>{note}</Alert>
      ))}
      {comparison.data && shape === "entries" && <DifferenceTable differences={comparison.data.differences} />}
      {comparison.data &&
        shape === "text" &&
        comparison.data.texts.map((one) => (
          <Paper key={one.path} sx={{ mb: 1 }}>
            <TextDifference text={one.text} />
          </Paper>
        ))}
    </>
  );
}
