import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";

import { answer, api } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { ProblemNote } from "../../shared/ProblemNote";
import { seconds } from "../../shared/when";
import { MONO } from "../../theme";

/** The stages of a deploy or rollback as they happen, and what is kept of it afterwards. */
export function RunProgress({ runId }: { runId: number }) {
  const run = useQuery({
    queryKey: ["run", runId],
    queryFn: () => answer(api.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: runId } } })),
    // The event stream says when to look; this only covers a stream that broke.
    refetchInterval: (query) => (query.state.data?.state === "running" ? 1000 : false),
  });
  if (run.error) return <ProblemNote error={run.error} />;
  if (!run.data) return null;
  const { stages, outcome, state, log, crash_files: crashFiles } = run.data;
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }} aria-label={`Run ${String(runId)}`}>
      <Typography variant="h2" gutterBottom>
        {run.data.kind === "deploy" ? "Deploy" : "Rollback"} {runId} <KindMark kind={state} />
      </Typography>
      {outcome && <Typography sx={{ mb: 0.5, fontWeight: 600 }}>{outcome}</Typography>}
      <Table sx={{ "& td": { py: 0.25, px: 0, pr: 2, borderBottom: 0, verticalAlign: "baseline" } }}>
        <TableBody>
          {stages.map((stage, index) => (
            <TableRow key={index}>
              <TableCell sx={{ width: 120, fontWeight: 600 }}>{stage.name}</TableCell>
              <TableCell sx={{ width: 100 }}><KindMark kind={stage.state} /></TableCell>
              <TableCell align="right" sx={{ width: 70 }}>{seconds(stage.started_at, stage.ended_at)}</TableCell>
              <TableCell>{stage.detail}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {state !== "running" && log && (
        <Box component="pre" aria-label="Log excerpt" sx={{ fontFamily: MONO, fontSize: 12, m: 0, mt: 1, p: 1, maxHeight: 160, overflow: "auto", bgcolor: "action.hover" }}>
          {log}
        </Box>
      )}
      {Object.keys(crashFiles).length > 0 && (
        <Typography variant="body2" color="error" sx={{ mt: 0.5 }}>Crash file kept: {Object.keys(crashFiles).join(", ")}</Typography>
      )}
    </Paper>
  );
}
