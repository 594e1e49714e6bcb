import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link as RouterLink } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { ProblemNote } from "../../shared/ProblemNote";
import { GuideStep } from "./GuideStep";
import { useImportDefaults } from "./useImportDefaults";

/** What follows once a server is known: its first snapshot, the defaults, a gamebook, and a first report. */
export function FirstSteps({ server }: { server: Schemas["ServerOut"] }) {
  const known = useQuery({
    queryKey: ["servers", server.id],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}", { params: { path: { server_id: server.id } } })),
    initialData: server,
  });
  const { data } = known;
  const hasFiles = data.last_snapshot !== null;
  return (
    <>
      <SnapshotStep server={data} />
      {hasFiles && <DefaultsStep server={data} />}
      {hasFiles && <GamebookStep server={data} />}
      {hasFiles && <ReportStep server={data} />}
    </>
  );
}

function SnapshotStep({ server }: { server: Schemas["ServerOut"] }) {
  const queries = useQueryClient();
  const isManual = server.connection.kind === "manual";
  const began = useRef(false);
  const take = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/servers/{server_id}/fetch", { params: { path: { server_id: server.id } } })),
    onSuccess: () => askAgain(queries),
  });
  const progress = useQuery<{ done: number; of: number } | null>({ queryKey: ["fetching", server.id], queryFn: () => null, enabled: false });
  const { mutate } = take;
  useEffect(() => {
    if (isManual || began.current) return;
    began.current = true; // once, however often the page is drawn
    mutate();
  }, [isManual, mutate]);
  const of = progress.data?.of ?? 0;
  return (
    <GuideStep number={4} title="First snapshot">
      {isManual && server.last_snapshot === null && (
        <Typography>
          Show Zerrit the files: <Button component={RouterLink} to={`/servers/${server.id}/maintenance`}>Upload files</Button>
        </Typography>
      )}
      <Box role="status">
        {take.isPending && (
          <>
            <Typography>{of > 0 ? `Reading files: ${String(progress.data?.done ?? 0)} of ${String(of)}` : "Reading the files …"}</Typography>
            <LinearProgress aria-label="Files read" variant={of > 0 ? "determinate" : "indeterminate"} value={of > 0 ? ((progress.data?.done ?? 0) / of) * 100 : 0} />
          </>
        )}
        {server.last_snapshot && !take.isPending && <Typography><KindMark kind="done" /> Snapshot {server.last_snapshot.id} with {server.files.toLocaleString()} files. Whatever you change later can be brought back to it.</Typography>}
      </Box>
      <ProblemNote error={take.error} />
      {take.error && <Button variant="outlined" onClick={() => { take.mutate(); }}>Try again</Button>}
    </GuideStep>
  );
}

function DefaultsStep({ server }: { server: Schemas["ServerOut"] }) {
  const [label, setLabel] = useState("");
  const [archive, setArchive] = useState<File | null>(null);
  const send = useImportDefaults(server.id);
  return (
    <GuideStep number={5} title="What the game ships">
      {server.defaults.length > 0 ? (
        <Typography><KindMark kind="done" /> Defaults {server.defaults.join(", ")} are imported. Every file shows how it differs from them.</Typography>
      ) : (
        <>
          <Typography variant="body2" sx={{ mb: 1 }}>
            A ZIP of the files as the game ships them, if you have one at hand. With it Zerrit shows what differs on this server, and
            drafts rules. Without it, go on; you can import it at any time.
          </Typography>
          <Box component="form" sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }} onSubmit={(event) => { event.preventDefault(); if (archive) send.mutate({ label, archive }); }}>
            <TextField label="Version" value={label} onChange={(event) => { setLabel(event.target.value); }} sx={{ width: 140 }} />
            <input type="file" accept=".zip" aria-label="ZIP of the defaults" onChange={(event) => { setArchive(event.target.files?.[0] ?? null); }} />
            <Button type="submit" variant="outlined" disabled={!archive || !label || send.isPending}>Import</Button>
          </Box>
          <ProblemNote error={send.error} />
        </>
      )}
    </GuideStep>
  );
}

function GamebookStep({ server }: { server: Schemas["ServerOut"] }) {
  const queries = useQueryClient();
  const params = { path: { server_id: server.id } };
  const draft = useMutation({
    mutationFn: async () => {
      const made = await answer(api.POST("/api/v1/servers/{server_id}/gamebook/draft", { params }));
      return answer(api.PUT("/api/v1/servers/{server_id}/gamebook", { params, body: { text: made.text } }));
    },
    onSuccess: () => askAgain(queries),
  });
  const suggested = useQuery({
    queryKey: ["suggestions", server.id],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/suggestions", { params })),
    enabled: server.defaults.length > 0,
  });
  const count = suggested.data?.length ?? 0;
  return (
    <GuideStep number={6} title="What the game accepts">
      {server.gamebook ? (
        <Typography><KindMark kind="done" /> The gamebook {server.gamebook} says what the files may hold.</Typography>
      ) : (
        <Typography variant="body2">Without a gamebook Zerrit checks the syntax of the files, and not what is in them.</Typography>
      )}
      <Box sx={{ display: "flex", gap: 1.5, mt: 1, alignItems: "center", flexWrap: "wrap" }}>
        {!server.gamebook && server.defaults.length > 0 && (
          <Button variant="outlined" disabled={draft.isPending} onClick={() => { draft.mutate(); }}>{draft.isPending ? "Drafting …" : "Draft a gamebook from the defaults"}</Button>
        )}
        {!server.gamebook && server.defaults.length === 0 && <Typography variant="body2">One can be drafted once the defaults are imported.</Typography>}
        {count > 0 && <Button component={RouterLink} to={`/servers/${server.id}/gamebook?view=suggested`}>{count.toLocaleString()} suggested rules to decide about</Button>}
      </Box>
      <ProblemNote error={draft.error} />
    </GuideStep>
  );
}

function ReportStep({ server }: { server: Schemas["ServerOut"] }) {
  const check = useQuery({
    queryKey: ["check", server.id, server.last_snapshot?.id, server.gamebook],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/check", { params: { path: { server_id: server.id } } })),
  });
  const own = (check.data?.findings ?? []).filter((finding) => !finding.is_shipped && !finding.waived);
  const of = (severity: string) => (check.data?.by_severity[severity] ?? 0).toLocaleString();
  return (
    <GuideStep number={7} title="First report">
      <ProblemNote error={check.error} />
      {check.data && (
        <Box role="status">
          <Typography sx={{ mb: 0.5 }}>
            {check.data.files.toLocaleString()} files were checked: {of("error")} errors, {of("warning")} warnings, {of("notice")} notices
            {check.data.shipped > 0 ? `, and ${check.data.shipped.toLocaleString()} that the game ships itself` : ""}.
          </Typography>
          {own.slice(0, 5).map((finding, index) => (
            <Box key={index} sx={{ fontSize: 12.5, mb: 0.5 }}><KindMark kind={finding.severity} /> {finding.path}{finding.line > 0 && `, line ${String(finding.line)}`}: {finding.message}</Box>
          ))}
        </Box>
      )}
      <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
        <Button variant="contained" component={RouterLink} to={`/servers/${server.id}/files`}>Open the files</Button>
        <Button variant="outlined" component={RouterLink} to={`/servers/${server.id}/findings`}>All findings</Button>
      </Box>
    </GuideStep>
  );
}
