import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { seconds, when } from "../../shared/when";
import { MONO } from "../../theme";
import { ManualRequest } from "./ManualRequest";
import { RunNews } from "./RunNews";

type Run = Schemas["RunOut"];

/** What the button says, where cancelling does something. */
const CANCELS: Partial<Record<Run["on_cancel"], string>> = {
  "revert": "Cancel and revert what was written",
  "abandon": "Give up, and leave the server as it is",
};

const TITLES: Record<Run["kind"], string> = { deploy: "Deploy", rollback: "Rollback", restart: "Restart" };

/** The stages of a run as they happen, what a person is asked to do, and what is kept of it afterwards. */
export function RunProgress({ runId }: { runId: number }) {
  const queries = useQueryClient();
  const run = useQuery({
    queryKey: ["run", runId],
    queryFn: () => answer(api.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: runId } } })),
    // The event stream says when to look; this only covers a stream that broke.
    refetchInterval: (query) => (query.state.data?.state === "running" ? 1000 : false),
  });
  const cancel = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/runs/{run_id}/cancel", { params: { path: { run_id: runId } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["run", runId] }),
  });
  if (run.error) return <ProblemNote error={run.error} />;
  if (!run.data) return <Loading lines={3} />;
  const { kind, outcome, state, result, cancelled_by: cancelledBy, on_cancel: onCancel } = run.data;
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }} aria-label={`Run ${String(runId)}`}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap" }}>
        <Typography variant="h2" gutterBottom sx={{ flex: 1, minWidth: 160 }}>
          {TITLES[kind]} {runId} <KindMark kind={result} />
        </Typography>
        <RunNews run={run.data} title={`${TITLES[kind]} ${String(runId)}`} />
        {state === "running" && (
          <Button color="error" variant="outlined" disabled={cancel.isPending || !CANCELS[onCancel]} onClick={() => { cancel.mutate(); }}>
            {CANCELS[onCancel] ?? (cancelledBy ? `Cancelled by ${cancelledBy}; what was written is reverted` : "What was written is reverted")}
          </Button>
        )}
      </Box>
      <ProblemNote error={cancel.error} />
      {outcome && <Typography sx={{ mb: 0.5, fontWeight: 600 }}>{outcome}</Typography>}
      {run.data.asks && <ManualRequest run={run.data} />}
      <Stages stages={run.data.stages} />
      {state === "running" && run.data.live_log && <LiveLog text={run.data.live_log} />}
      {state !== "running" && <Evidence run={run.data} />}
    </Paper>
  );
}

function Stages({ stages }: { stages: Run["stages"] }) {
  return (
    <Box component="ol" sx={{ listStyle: "none", m: 0, p: 0 }}>
      {stages.map((stage, index) => (
        <Box
          component="li"
          key={index}
          sx={{ display: "grid", gridTemplateColumns: { xs: "104px 88px 1fr", sm: "120px 100px 64px 1fr" }, columnGap: 1, py: 0.25, alignItems: "baseline" }}
        >
          <Box sx={{ fontWeight: 600 }}>{stage.name}</Box>
          <KindMark kind={stage.state} />
          <Box sx={{ textAlign: "right" }}>{seconds(stage.started_at, stage.ended_at)}</Box>
          <Box sx={{ gridColumn: { xs: "1 / -1", sm: "auto" }, color: { xs: "text.secondary", sm: "inherit" }, overflowWrap: "anywhere" }}>{stage.detail}</Box>
        </Box>
      ))}
    </Box>
  );
}

function Evidence({ run }: { run: Run }) {
  const seen = run.evidence;
  const crashFiles = Object.entries(seen.crash_files ?? {});
  const notes = [
    ...(seen.doubts ?? []),
    ...written("stopped", seen.written_at_stop),
    ...written("started", seen.written_at_start),
    ...(seen.log_new ?? []).map((line) => `Its log says now, and did not at run ${String(seen.log_against)}: ${line}`),
    ...(seen.log_gone ?? []).map((line) => `Its log does not say any more what it said at run ${String(seen.log_against)}: ${line}`),
    ...Object.entries(seen.refused ?? {}).map(([path, reason]) => `Left out, refused by the host: ${path}: ${reason}`),
    ...Object.entries(seen.left_out ?? {}).map(([path, reason]) => `Left out: ${path}: ${reason}`),
  ];
  return (
    <>
      {seen.culprit && <Alert severity="warning" variant="outlined" sx={{ mt: 1 }}>{seen.culprit}</Alert>}
      {notes.length > 0 && (
        <Box component="ul" sx={{ m: 0, mt: 1, pl: 2.5 }}>{notes.slice(0, 12).map((note) => <li key={note}>{note}</li>)}</Box>
      )}
      {run.evidence_files.length > 0 && (
        <Box sx={{ mt: 1 }}>
          <Typography variant="body2" color="text.secondary">Files that the start wrote (saved before they were removed)</Typography>
          <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
            {run.evidence_files.map((file) => (
              <li key={file.path}>
                {file.is_kept ? <Link href={evidenceLink(run.id, file.path)} download>{file.path}</Link> : file.path} ({file.kind}, {file.size.toLocaleString()} bytes){file.note && `; ${file.note}`}
              </li>
            ))}
          </Box>
        </Box>
      )}
      {crashFiles.map(([path, text]) => (
        <Box key={path} sx={{ mt: 1 }}>
          <Typography variant="body2" color="error">Crash file: {path}{seen.crash_times?.[path] && `, written ${when(seen.crash_times[path])} by its host’s clock`}</Typography>
          <Text label={`Crash file ${path}`}>{text}</Text>
        </Box>
      ))}
      {crashFiles.length > 0 && seen.old_crash_files > 0 && (
        <Typography variant="body2" color="text.secondary">{seen.old_crash_files} older ones lay there before and say nothing of this start; the newest: {seen.newest_old_crash}.</Typography>
      )}
      {seen.rehearsal?.log && <Log of="Log of the rehearsal’s copy">{seen.rehearsal.log}</Log>}
      {seen.log && <Log of="Log excerpt">{seen.log}</Log>}
    </>
  );
}

function written(word: string, paths: readonly string[] | undefined): string[] {
  return paths?.length ? [`Written by the game or its host while it ${word}: ${paths.join(", ")}`] : [];
}

function evidenceLink(runId: number, path: string): string {
  return `/api/v1/runs/${String(runId)}/evidence/${path.split("/").map(encodeURIComponent).join("/")}`;
}

function Log({ of, children }: { of: string; children: string }) {
  return (
    <Box sx={{ mt: 1 }}>
      <Typography variant="body2" color="text.secondary">{of}</Typography>
      <Text label={of}>{children}</Text>
    </Box>
  );
}

/** The log as it arrives; the newest line stays in sight unless someone scrolled up to read. */
function LiveLog({ text }: { text: string }) {
  const box = useRef<HTMLPreElement>(null);
  const follows = useRef(true);
  useEffect(() => {
    if (box.current && follows.current) box.current.scrollTop = box.current.scrollHeight;
  }, [text]);
  return (
    <Box sx={{ mt: 1 }}>
      <Typography variant="body2" color="text.secondary">Log of the game, as it arrives</Typography>
      <Box
        component="pre"
        ref={box}
        tabIndex={0}
        aria-label="Log as it arrives"
        onScroll={(event) => { follows.current = event.currentTarget.scrollTop + event.currentTarget.clientHeight > event.currentTarget.scrollHeight - 24; }}
        sx={{ fontFamily: MONO, fontSize: 12, m: 0, mt: 0.5, p: 1, height: 160, overflow: "auto", bgcolor: "action.hover", whiteSpace: "pre-wrap", overflowWrap: "anywhere" }}
      >
        {text}
      </Box>
    </Box>
  );
}

function Text({ label, children }: { label: string; children: string }) {
  return (
    <Box component="pre" aria-label={label} sx={{ fontFamily: MONO, fontSize: 12, m: 0, mt: 0.5, p: 1, maxHeight: 160, overflow: "auto", bgcolor: "action.hover", whiteSpace: "pre-wrap", overflowWrap: "anywhere" }}>
      {children}
    </Box>
  );
}
