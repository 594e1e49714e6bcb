import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { summary } from "../../shared/DifferenceTable";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { ComparisonView, SHAPES, type Shape } from "../compare/ComparisonView";

/** What the change makes different: by entry and as text; from its base, the live files or the defaults. */
export function DifferencePanel({ change }: { change: Schemas["ChangeDetail"] }) {
  const [against, setAgainst] = useState("base");
  const [shape, setShape] = useState<Shape>("entries");
  const texts = shape === "text"; // the lines that differ are worked out only when they are asked for
  const queryKey = ["change", change.id, "differences", against, change.version];
  const ask = (more: { texts?: boolean; sides?: string }) =>
    answer(api.GET("/api/v1/changes/{change_id}/differences", { params: { path: { change_id: change.id }, query: { against, ...more } } }));
  const comparison = useQuery({ queryKey: [...queryKey, texts], queryFn: () => ask({ texts }) });
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, mb: 1, alignItems: "center" }}>
        <TextField select label="Compare with" value={against} onChange={(event) => { setAgainst(event.target.value); }} sx={{ width: 240 }}>
          <MenuItem value="base">its base</MenuItem>
          <MenuItem value="live">the live files</MenuItem>
          <MenuItem value="defaults">the defaults</MenuItem>
        </TextField>
        <TextField select label="Shown" value={shape} onChange={(event) => { setShape(event.target.value as Shape); }} sx={{ width: 140 }}>
          {SHAPES.map((one) => <MenuItem key={one.shape} value={one.shape}>{one.word}</MenuItem>)}
        </TextField>
        {comparison.data && (
          <Typography variant="body2" color="text.secondary">
            from {comparison.data.old} to {comparison.data.new}: {summary(comparison.data.differences)}
          </Typography>
        )}
      </Box>
      <ProblemNote error={comparison.error} />
      {comparison.isLoading && <Loading />}
      {comparison.data && <ComparisonView found={comparison.data} shape={shape} queryKey={queryKey} ask={(sides) => ask({ sides })} />}
    </>
  );
}
