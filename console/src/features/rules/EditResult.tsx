import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";

import type { Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Mono } from "../../shared/Mono";
import { MONO } from "../../theme";

const MOST = 8; // findings that are named

/** What an edit of the gamebook changes in its text, and what it finds in the latest files. */
export function EditResult({ edit }: { edit: Schemas["GamebookEditOut"] }) {
  const { rule } = edit;
  return (
    <Box>
      {rule && (
        <Typography sx={{ mb: 1 }}>
          The rule: {rule.text}.{rule.places !== null && ` It speaks of ${rule.places.toLocaleString()} ${rule.places === 1 ? "place" : "places"}.`}
          {rule.unmeasured && ` It is not measured: ${rule.unmeasured}.`}
        </Typography>
      )}
      <Typography sx={{ mb: 1 }}>{verdictOf(edit)}</Typography>
      <Findings kind="comes" findings={edit.appeared} />
      <Findings kind="goes" findings={edit.gone} />
      <Typography sx={{ color: "text.secondary", fontSize: 11.5 }}>In the gamebook {edit.name}</Typography>
      <Box tabIndex={0} role="group" aria-label="Lines of the gamebook" sx={{ fontFamily: MONO, fontSize: 12, overflow: "auto", maxHeight: 200, border: 1, borderColor: "divider", borderRadius: 1, p: 1 }}>
        {edit.lines.map((line, index) => (
          <Box key={index} sx={{ whiteSpace: "pre", color: LINES[line.kind].color }}>{LINES[line.kind].sign} {line.text}</Box>
        ))}
      </Box>
    </Box>
  );
}

const LINES = {
  added: { sign: "▲", color: "success.main" },
  removed: { sign: "▼", color: "error.main" },
  same: { sign: " ", color: "text.secondary" },
  gap: { sign: "…", color: "text.secondary" },
} as const;

function verdictOf(edit: Schemas["GamebookEditOut"]): string {
  const come = edit.appeared.length;
  const go = edit.gone.length;
  if (come === 0 && go === 0) return "In the latest files nothing more and nothing less is found with it.";
  const parts = [come > 0 && `${come.toLocaleString()} more ${come === 1 ? "finding" : "findings"}`, go > 0 && `${go.toLocaleString()} fewer`].filter(Boolean);
  return `In the latest files: ${parts.join(", ")}.`;
}

function Findings({ kind, findings }: { kind: string; findings: readonly Schemas["FindingOut"][] }) {
  return (
    <>
      {findings.slice(0, MOST).map((finding, index) => (
        <Box key={index} sx={{ mb: 0.75, fontSize: 12.5 }}>
          <KindMark kind={kind} /> {finding.message} <Box component="span" sx={{ color: "text.secondary" }}><Mono>{finding.address || finding.path}</Mono></Box>
        </Box>
      ))}
      {findings.length > MOST && <Typography variant="body2" color="text.secondary" sx={{ mb: 0.75 }}>and {(findings.length - MOST).toLocaleString()} more</Typography>}
    </>
  );
}
