import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { ProblemNote } from "../../shared/ProblemNote";
import { when } from "../../shared/when";
import { RunProgress } from "../changes/RunProgress";

type Moment = { at: string; snapshot: Schemas["SnapshotOut"] } | { at: string; run: Schemas["RunOut"] };

/** Snapshots, deploys and rollbacks of a server, the newest first; any snapshot can be put back. */
export function TimelineTab({ serverId }: { serverId: string }) {
  const [asked, setAsked] = useState<Schemas["SnapshotOut"] | null>(null);
  const [runId, setRunId] = useState<number | null>(null);
  const queries = useQueryClient();
  const params = { path: { server_id: serverId } };
  const moments = useQuery({
    queryKey: ["timeline", serverId],
    queryFn: async (): Promise<Moment[]> => {
      const [snapshots, runs] = await Promise.all([
        answer(api.GET("/api/v1/servers/{server_id}/snapshots", { params })),
        answer(api.GET("/api/v1/servers/{server_id}/runs", { params })),
      ]);
      const all: Moment[] = [
        ...snapshots.map((snapshot) => ({ at: snapshot.taken_at, snapshot })),
        ...runs.map((run) => ({ at: run.started_at, run })),
      ];
      return all.sort((a, b) => Date.parse(b.at) - Date.parse(a.at));
    },
  });
  const rollBack = useMutation({
    mutationFn: (snapshot: number) => answer(api.POST("/api/v1/servers/{server_id}/rollback", { params, body: { snapshot } })),
    onSuccess: async (run) => {
      setRunId(run.id);
      await queries.invalidateQueries();
    },
    onSettled: () => { setAsked(null); },
  });
  const newest = moments.data?.find((moment) => "snapshot" in moment && moment.snapshot.kind === "server");
  return (
    <>
      <ProblemNote error={moments.error ?? rollBack.error} />
      {runId !== null && <RunProgress runId={runId} />}
      {moments.data?.length === 0 && <Typography sx={{ p: 2 }}>Nothing has happened yet. Fetch the files to take the first snapshot.</Typography>}
      <Paper sx={{ overflowX: "auto" }}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>When</TableCell>
              <TableCell sx={{ minWidth: 340 }}>What</TableCell>
              <TableCell>Result</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {moments.data?.map((moment) =>
              "snapshot" in moment ? (
                <TableRow key={`s${String(moment.snapshot.id)}`} hover>
                  <TableCell sx={{ whiteSpace: "nowrap" }}>{when(moment.at)}</TableCell>
                  <TableCell>
                    {moment.snapshot.kind === "defaults" ? "Defaults" : `Snapshot ${String(moment.snapshot.id)}`}: {moment.snapshot.reason}
                  </TableCell>
                  <TableCell>{moment.snapshot.files} files</TableCell>
                  <TableCell align="right">
                    {moment.snapshot.kind === "server" && moment !== newest && (
                      <Button variant="outlined" aria-label={`Roll back to snapshot ${String(moment.snapshot.id)}`} onClick={() => { setAsked(moment.snapshot); }}>
                        Roll back to this
                      </Button>
                    )}
                  </TableCell>
                </TableRow>
              ) : (
                <TableRow key={`r${String(moment.run.id)}`} hover sx={{ bgcolor: "action.hover" }}>
                  <TableCell sx={{ whiteSpace: "nowrap" }}>{when(moment.at)}</TableCell>
                  <TableCell>
                    <KindMark kind={moment.run.state} />{" "}
                    {moment.run.change !== null ? (
                      <Link component={RouterLink} to={`/changes/${String(moment.run.change)}`}>Deploy of change {moment.run.change}</Link>
                    ) : (
                      `Rollback to snapshot ${String(moment.run.target)}`
                    )}{" "}
                    by {moment.run.person}
                  </TableCell>
                  <TableCell colSpan={2}>{moment.run.outcome || "under way"}</TableCell>
                </TableRow>
              ),
            )}
          </TableBody>
        </Table>
      </Paper>
      <Dialog open={asked !== null} onClose={() => { setAsked(null); }}>
        <DialogTitle>Roll back to snapshot {asked?.id}?</DialogTitle>
        <DialogContent>
          <Typography>
            The game is stopped, what it holds now is kept as a snapshot, the files of “{asked?.reason}” are put back and compared,
            and the game is started again.
          </Typography>
        </DialogContent>
        <DialogActions>
          <Button onClick={() => { setAsked(null); }}>Cancel</Button>
          <Button variant="contained" color="error" onClick={() => { if (asked) rollBack.mutate(asked.id); }}>
            Roll back
          </Button>
        </DialogActions>
      </Dialog>
    </>
  );
}
