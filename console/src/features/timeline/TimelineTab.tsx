import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useRef, useState } from "react";
import { Link as RouterLink, useNavigate } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api, AT_ONCE, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { usePageQuery } from "../../shared/usePageQuery";
import { when } from "../../shared/when";
import { OptionFields } from "../runs/OptionFields";
import { RunProgress } from "../runs/RunProgress";
import { RestoreDialog } from "./RestoreDialog";
import { fits, type Moment, personOf, type Snapshot, SORTS } from "./timelineFilter";

/** Snapshots, deploys and rollbacks of a server, the newest first; any snapshot can be restored with one press. */
export function TimelineTab({ server }: { server: Schemas["ServerOut"] }) {
  const serverId = server.id;
  const [asked, setAsked] = useState<Snapshot | "restart" | null>(null);
  const [runId, setRunId] = useState<number | null>(null);
  const [restored, setRestored] = useState<Snapshot | null>(null);
  const [first, setFirst] = useState<Snapshot | null>(null);
  const [search, turn] = usePageQuery();
  // The address bar follows a moment later; a field that waited for it would lose letters.
  const [words, setWords] = useState(search.get("words") ?? "");
  const navigate = useNavigate();
  const top = useRef<HTMLDivElement>(null);
  const filter = { sort: search.get("show") ?? "", person: search.get("person") ?? "", words: search.get("words") ?? "" };
  const compare = (snapshot: Snapshot) => {
    if (first === null || first.id === snapshot.id) {
      setFirst(first === null ? snapshot : null);
      return;
    }
    const [old, fresh] = [first, snapshot].sort((one, other) => Date.parse(one.taken_at) - Date.parse(other.taken_at));
    if (old && fresh) void navigate(`/servers/${serverId}/compare?${new URLSearchParams({ old: stateOf(old), new: stateOf(fresh) }).toString()}`);
  };
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
  const snapshots = moments.data?.flatMap((moment) => ("snapshot" in moment ? [moment.snapshot] : [])) ?? [];
  const newest = snapshots.find((one) => one.kind === "server");
  const lastGood = snapshots.find((one) => one.is_good && one.id !== newest?.id);
  const current = runId ?? moments.data?.flatMap((moment) => ("run" in moment && moment.run.state === "running" ? [moment.run.id] : []))[0] ?? null;
  const people = [...new Set(moments.data?.map(personOf).filter(Boolean) ?? [])].sort();
  const shown = moments.data?.filter((moment) => fits(moment, filter)) ?? [];
  return (
    <>
      <ProblemNote error={moments.error} />
      <Box ref={top} sx={{ display: "flex", flexWrap: "wrap", gap: 1, mb: 1.5, alignItems: "center" }}>
        {lastGood && (
          <Button variant="contained" color="error" size="medium" onClick={() => { setAsked(lastGood); }}>
            Roll back to the last good one ({lastGood.id})
          </Button>
        )}
        <TakeSnapshot serverId={serverId} />
        <Button variant="outlined" onClick={() => { setAsked("restart"); }}>Restart the game …</Button>
      </Box>
      {current !== null && <RunProgress runId={current} />}
      {moments.isLoading && <Loading />}
      {moments.data?.length === 0 && <Typography sx={{ p: 2 }}>Nothing has happened yet. Fetch the files to take the first snapshot.</Typography>}
      {(moments.data?.length ?? 0) > 0 && (
        <Box sx={{ display: "flex", flexWrap: "wrap", gap: 1, mb: 1, alignItems: "center" }}>
          <TextField select label="Show" value={filter.sort} onChange={(event) => { turn({ show: event.target.value }); }} sx={{ width: 230 }} slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}>
            {SORTS.map(({ sort, word }) => <MenuItem key={sort} value={sort}>{word}</MenuItem>)}
          </TextField>
          <TextField select label="Person" value={people.includes(filter.person) ? filter.person : ""} onChange={(event) => { turn({ person: event.target.value }); }} sx={{ width: 150 }} slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}>
            <MenuItem value="">everyone</MenuItem>
            {people.map((person) => <MenuItem key={person} value={person}>{person}</MenuItem>)}
          </TextField>
          <TextField label="Words" value={words} onChange={(event) => { setWords(event.target.value); turn({ words: event.target.value }); }} sx={{ width: 180 }} />
          <Typography variant="body2" color="text.secondary" role="status">
            {first ? `Choose the state to compare ${nameOf(first).toLowerCase()} with.` : `${String(shown.length)} of ${String(moments.data?.length ?? 0)}`}
          </Typography>
          {first && <Button color="inherit" onClick={() => { setFirst(null); }}>Cancel the comparison</Button>}
        </Box>
      )}
      <Box component="ol" aria-label="Timeline" sx={{ listStyle: "none", m: 0, p: 0 }}>
        {shown.map((moment) =>
          "snapshot" in moment ? (
            <SnapshotRow
              key={`s${String(moment.snapshot.id)}`}
              snapshot={moment.snapshot}
              isNewest={moment.snapshot === newest}
              first={first}
              onCompare={() => { compare(moment.snapshot); }}
              onRestore={() => { setRestored(moment.snapshot); }}
              onRollBack={() => { setAsked(moment.snapshot); }}
            />
          ) : (
            <RunRow key={`r${String(moment.run.id)}`} run={moment.run} onShow={() => { setRunId(moment.run.id); top.current?.scrollIntoView(); }} />
          ),
        )}
      </Box>
      {restored && <RestoreDialog snapshot={restored} onClose={() => { setRestored(null); }} />}
      {asked !== null && (
        <RunDialog serverId={serverId} snapshot={asked === "restart" ? null : asked} onClose={() => { setAsked(null); }} onBegun={setRunId} />
      )}
    </>
  );
}

/** One line on a wide screen, three on a narrow one: when, what, and what can be done with it. */
function Row({ at, isRun, what, more, acts }: { at: string; isRun?: boolean; what: ReactNode; more: ReactNode; acts: ReactNode }) {
  return (
    <Paper
      component="li"
      sx={{
        display: "grid", gridTemplateColumns: { xs: "1fr", md: "180px minmax(180px, 1fr) minmax(150px, 1.1fr) 440px" }, columnGap: 2, rowGap: 0.25,
        px: 1.5, py: 0.75, mb: 0.5, alignItems: "center", bgcolor: isRun ? "action.hover" : undefined,
      }}
    >
      <Box sx={{ color: "text.secondary", whiteSpace: "nowrap" }}>{when(at)}</Box>
      <Box sx={{ overflowWrap: "anywhere" }}>{what}</Box>
      <Box sx={{ overflowWrap: "anywhere" }}>{more}</Box>
      <Box sx={{ display: "flex", gap: 0.5, flexWrap: "wrap", justifyContent: { md: "flex-end" } }}>{acts}</Box>
    </Paper>
  );
}

function nameOf(snapshot: Snapshot): string {
  return snapshot.kind === "defaults" ? `Defaults ${snapshot.label ?? ""}`.trim() : `Snapshot ${String(snapshot.id)}`;
}

/** A snapshot as a comparison names it. */
function stateOf(snapshot: Snapshot): string {
  return snapshot.kind === "defaults" ? `${snapshot.server}@defaults:${snapshot.label ?? ""}` : `${snapshot.server}@${String(snapshot.id)}`;
}

interface SnapshotProps {
  snapshot: Snapshot;
  isNewest: boolean;
  /** The first of two that are to be compared. */
  first: Snapshot | null;
  onCompare: () => void;
  onRestore: () => void;
  onRollBack: () => void;
}

function SnapshotRow({ snapshot, isNewest, first, onCompare, onRestore, onRollBack }: SnapshotProps) {
  const queries = useQueryClient();
  const keep = useMutation({
    mutationFn: (reason: string) =>
      answer(
        api.PUT("/api/v1/servers/{server_id}/snapshots/{snapshot_id}/pin", {
          params: { path: { server_id: snapshot.server, snapshot_id: snapshot.id } },
          body: { reason },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["timeline"] }),
  });
  const name = nameOf(snapshot);
  const isFirst = first?.id === snapshot.id;
  const comparing = (
    <Button color={isFirst ? "primary" : "inherit"} variant={isFirst ? "contained" : "text"} aria-label={first && !isFirst ? `Compare with ${name}` : `Compare ${name}`} onClick={onCompare}>
      {first && !isFirst ? "Compare with" : "Compare"}
    </Button>
  );
  return (
    <Row
      at={snapshot.taken_at}
      what={<>{name}: {snapshot.reason}</>}
      more={
        <>
          {snapshot.files} files {snapshot.is_good && <KindMark kind="good" />} {snapshot.pinned && <KindMark kind="pinned" />} {snapshot.pinned}
          <ProblemNote error={keep.error} />
        </>
      }
      acts={
        snapshot.kind === "defaults" ? comparing : (
          <>
            {comparing}
            <Button color="inherit" aria-label={`Restore a part of snapshot ${String(snapshot.id)}`} onClick={onRestore}>Restore a part …</Button>
            <Button color="inherit" href={`/api/v1/servers/${snapshot.server}/snapshots/${String(snapshot.id)}/export`}>ZIP</Button>
            <Button color="inherit" disabled={keep.isPending} onClick={() => { keep.mutate(snapshot.pinned ? "" : "from the timeline"); }}>
              {snapshot.pinned ? "Unpin" : "Pin"}
            </Button>
            {!isNewest && (
              <Button variant="outlined" aria-label={`Roll back to snapshot ${String(snapshot.id)}`} onClick={onRollBack}>Roll back to this</Button>
            )}
          </>
        )
      }
    />
  );
}

function RunRow({ run, onShow }: { run: Schemas["RunOut"]; onShow: () => void }) {
  return (
    <Row
      at={run.started_at}
      isRun
      what={
        <>
          <KindMark kind={run.result} />{" "}
          {run.changes.length > 0 ? (
            <>
              Deploy of {run.changes.map((change) => <Link key={change} component={RouterLink} to={`/changes/${String(change)}`} sx={{ mr: 0.5 }}>change {change}</Link>)}
            </>
          ) : run.target === null ? (
            "Restart "
          ) : (
            `Rollback to snapshot ${String(run.target)} `
          )}
          by {run.person}
        </>
      }
      more={run.outcome || `under way: ${run.stage}`}
      acts={<Button color="inherit" aria-label={`Show run ${String(run.id)}`} onClick={onShow}>Stages</Button>}
    />
  );
}

function TakeSnapshot({ serverId }: { serverId: string }) {
  const [reason, setReason] = useState("");
  const queries = useQueryClient();
  const take = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/servers/{server_id}/snapshots", { params: { path: { server_id: serverId } }, body: { reason, pin: reason !== "" } })),
    onSuccess: async () => {
      setReason("");
      await askAgain(queries);
    },
  });
  return (
    <>
      <TextField label="Reason for the snapshot" value={reason} onChange={(event) => { setReason(event.target.value); }} sx={{ width: 220 }} />
      <Button variant="outlined" disabled={take.isPending} onClick={() => { take.mutate(); }}>Take snapshot</Button>
      <ProblemNote error={take.error} />
    </>
  );
}

/** Asks once before the game is stopped: to go back to a snapshot, or to start it again as it is. */
function RunDialog({ serverId, snapshot, onClose, onBegun }: { serverId: string; snapshot: Snapshot | null; onClose: () => void; onBegun: (run: number) => void }) {
  const [options, setOptions] = useState(AT_ONCE);
  const queries = useQueryClient();
  const params = { path: { server_id: serverId } };
  const begin = useMutation({
    mutationFn: () =>
      answer(
        snapshot === null
          ? api.POST("/api/v1/servers/{server_id}/restart", { params, body: options })
          : api.POST("/api/v1/servers/{server_id}/rollback", { params, body: { snapshot: snapshot.id, options } }),
      ),
    onSuccess: async (run) => {
      onBegun(run.id);
      onClose();
      await askAgain(queries);
    },
  });
  return (
    <Dialog open onClose={onClose}>
      <DialogTitle>{snapshot === null ? "Restart the game?" : `Roll back to snapshot ${String(snapshot.id)}?`}</DialogTitle>
      <DialogContent>
        <Typography>
          {snapshot === null
            ? "The game is stopped, what it holds then is kept as a snapshot, and the game is started again and watched."
            : `The game is stopped, a snapshot of its current files is taken, the files of “${snapshot.reason}” are restored and verified, and the game is started again.`}
        </Typography>
        <OptionFields options={options} onChange={setOptions} />
        <ProblemNote error={begin.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" color="error" disabled={begin.isPending} onClick={() => { begin.mutate(); }}>
          {snapshot === null ? "Restart" : "Roll back"}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
