import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { MONO } from "../../theme";

interface Props {
  serverId: string;
  name: string;
  text: string;
  /** A line to begin at, 1-based; 0 for the top. */
  line: number;
  /** The server has no gamebook yet, and this text would become it. */
  isNew?: boolean;
}

const LINE_HEIGHT = 18;

/** The text of the gamebook. What an edit would find in the files is shown before it is kept. */
export function GamebookEditor({ serverId, name, text, line, isNew = false }: Props) {
  const [draft, setDraft] = useState(text);
  const area = useRef<HTMLTextAreaElement>(null);
  const queries = useQueryClient();
  const params = { path: { server_id: serverId } };
  const trial = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/servers/{server_id}/gamebook/test", { params, body: { text: draft } })),
  });
  const keep = useMutation({
    mutationFn: () => answer(api.PUT("/api/v1/servers/{server_id}/gamebook", { params, body: { text: draft } })),
    onSuccess: () => askAgain(queries),
  });
  const goTo = useCallback((wanted: number) => {
    const element = area.current;
    if (!element || wanted < 1) return;
    const lines = element.value.split("\n");
    const start = lines.slice(0, wanted - 1).reduce((sum, one) => sum + one.length + 1, 0);
    element.focus();
    element.setSelectionRange(start, start + (lines[wanted - 1]?.length ?? 0));
    element.scrollTop = Math.max(0, (wanted - 6) * LINE_HEIGHT);
  }, []);
  useEffect(() => { goTo(line); }, [line, goTo]);
  const isEdited = isNew || draft !== text;
  return (
    <Box sx={{ display: "flex", gap: 1.5, alignItems: "stretch", flexWrap: "wrap" }}>
      <Box sx={{ flex: 3, minWidth: 420 }}>
        <Box
          component="textarea"
          ref={area}
          aria-label="Text of the gamebook"
          spellCheck={false}
          value={draft}
          onChange={(event: React.ChangeEvent<HTMLTextAreaElement>) => { setDraft(event.target.value); }}
          sx={{
            width: "100%", height: "calc(100vh - 250px)", minHeight: 320, resize: "vertical", p: 1, whiteSpace: "pre", overflow: "auto",
            fontFamily: MONO, fontSize: 12, lineHeight: `${String(LINE_HEIGHT)}px`,
            color: "text.primary", bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1,
          }}
        />
        <Box sx={{ display: "flex", gap: 1, mt: 0.5, alignItems: "center" }}>
          <Button variant="outlined" disabled={trial.isPending} onClick={() => { trial.mutate(); }}>Test on the files</Button>
          <Button variant="contained" disabled={!isEdited || keep.isPending} onClick={() => { keep.mutate(); }}>Save as {name}</Button>
          {isEdited && !isNew && <Button color="inherit" onClick={() => { setDraft(text); }}>Discard edits</Button>}
          {keep.isSuccess && <Typography variant="body2" color="text.secondary">Saved.</Typography>}
        </Box>
        <ProblemNote error={trial.error ?? keep.error} />
      </Box>
      <Paper sx={{ flex: 2, minWidth: 320, p: 1.5, maxHeight: "calc(100vh - 210px)", overflow: "auto" }}>
        <Typography variant="h2" gutterBottom>What it would report</Typography>
        {trial.data ? <TrialResult trial={trial.data} onLine={goTo} /> : (
          <Typography variant="body2" color="text.secondary">
            Edit a rule and press “Test on the files”: what the text as it is here finds in the latest files is shown
            beside what the saved one finds. Nothing is saved by that.
          </Typography>
        )}
      </Paper>
    </Box>
  );
}

function TrialResult({ trial, onLine }: { trial: Schemas["GamebookTrial"]; onLine: (line: number) => void }) {
  if (trial.faults.length > 0) {
    return (
      <>
        <Alert severity="error" variant="outlined" sx={{ mb: 1 }}>This gamebook is not valid.</Alert>
        {trial.faults.map((fault) => (
          <Box key={`${String(fault.line)} ${fault.message}`} sx={{ mb: 0.75 }}>
            <Link component="button" onClick={() => { onLine(fault.line); }}>line {fault.line}</Link> {fault.message} <strong>{fault.hint}</strong>
          </Box>
        ))}
      </>
    );
  }
  return (
    <>
      <Typography gutterBottom>
        {trial.appeared.length === 0 && trial.gone.length === 0
          ? "The same as the gamebook that is kept."
          : `${String(trial.appeared.length)} findings would come, ${String(trial.gone.length)} would go.`}
      </Typography>
      <Findings kind="comes" findings={trial.appeared} />
      <Findings kind="goes" findings={trial.gone} />
    </>
  );
}

const MOST = 60;

function Findings({ kind, findings }: { kind: string; findings: Schemas["FindingOut"][] }) {
  if (findings.length === 0) return null;
  return (
    <Box sx={{ mb: 1.5 }}>
      {findings.slice(0, MOST).map((finding) => (
        <Box key={`${finding.code} ${finding.waiver_address ?? ""} ${finding.message}`} sx={{ py: 0.5, borderBottom: 1, borderColor: "divider" }}>
          <KindMark kind={kind} /> <KindMark kind={finding.severity} /> {finding.message} <strong>{finding.hint}</strong>
          <Box sx={{ color: "text.secondary", fontSize: 12 }}><Mono>{finding.address || finding.path}</Mono></Box>
        </Box>
      ))}
      {findings.length > MOST && <Typography variant="body2">and {findings.length - MOST} others</Typography>}
    </Box>
  );
}
