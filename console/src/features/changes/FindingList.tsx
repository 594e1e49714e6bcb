import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { ManyRows } from "../../shared/ManyRows";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { FindingActions } from "../rules/FindingActions";
import { fileLink } from "../workspace/links";

type Finding = Schemas["FindingOut"];

/** What the change brings in that is not right, and why it may not be deployed. */
export function FindingList({ change }: { change: Schemas["ChangeDetail"] }) {
  const broken = change.step_list.filter((step) => step.outcome.kind === "impossible");
  return (
    <>
      {broken.map((step) => (
        <Box key={step.id}><KindMark kind="impossible" /> Step {step.position}: {step.outcome.message}</Box>
      ))}
      <ManyRows rows={change.findings} word="findings">{(finding) => (
        <FindingRow key={`${finding.code} ${finding.waiver_address} ${finding.message}`} change={change} finding={finding} />
      )}</ManyRows>
      <ManyRows rows={change.fixed} word="findings">{(finding) => (
        <Box sx={{ mb: 0.5 }}>
          <KindMark kind="fixes" /> {finding.message} <Box component="span" sx={{ color: "text.secondary" }}><Mono>{finding.address || finding.path}</Mono></Box>
        </Box>
      )}</ManyRows>
      <Typography variant="body2" color="text.secondary">
        {verdictOf(change)}
        {change.old_findings === 1 && " An older one in these files is not counted."}
        {change.old_findings > 1 && ` ${String(change.old_findings)} older ones in these files are not counted.`}
      </Typography>
    </>
  );
}

function verdictOf(change: Schemas["ChangeDetail"]): string {
  if (change.steps === 0) return "Nothing to check yet.";
  if (change.blocking.length === 0) return "Nothing blocks this change.";
  return `${String(change.blocking.length)} to fix or waive before this can be deployed.`;
}

function FindingRow({ change, finding }: { change: Schemas["ChangeDetail"]; finding: Finding }) {
  const [reason, setReason] = useState<string | null>(null);
  const queries = useQueryClient();
  const waive = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/changes/{change_id}/waivers", {
          params: { path: { change_id: change.id } },
          body: { code: finding.code, address: finding.waiver_address ?? "", reason: reason ?? "" },
        }),
      ),
    onSuccess: () => askAgain(queries),
  });
  const place = fileLink(change.server, finding.path, { view: "text", change: change.id, line: finding.line });
  return (
    <Box sx={{ py: 0.75, borderBottom: 1, borderColor: "divider", mb: 0.75 }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap" }}>
        <KindMark kind={finding.waived ? "waived" : finding.is_shipped ? "as-shipped" : finding.severity} />
        <Link component={RouterLink} to={place}>
          <Mono>{finding.path}</Mono>{finding.line > 0 && ` line ${String(finding.line)}, column ${String(finding.column)}`}
        </Link>
        <Box sx={{ flex: 1 }}>
          {finding.message} <strong>{finding.hint}</strong>
        </Box>
        {finding.blocks && reason === null && <Button color="inherit" onClick={() => { setReason(""); }}>Waive …</Button>}
        {!finding.is_shipped && !finding.waived && <FindingActions serverId={change.server} finding={finding} change={change.id} />}
      </Box>
      {finding.address && <Box sx={{ color: "text.secondary", fontSize: 12 }}><Mono>{finding.address}</Mono></Box>}
      {finding.reason && <Box sx={{ color: "text.secondary", fontSize: 12 }}>reason: {finding.reason}</Box>}
      {finding.waived && <Box sx={{ color: "text.secondary" }}>waived by {finding.waived}</Box>}
      {finding.blocks && reason !== null && (
        <Box sx={{ display: "flex", gap: 1, mt: 0.5 }}>
          <TextField label="Reason for the waiver" value={reason} onChange={(event) => { setReason(event.target.value); }} sx={{ width: 420 }} />
          <Button variant="outlined" disabled={!reason.trim()} onClick={() => { waive.mutate(); }}>Waive</Button>
          <Button color="inherit" onClick={() => { setReason(null); }}>Cancel</Button>
        </Box>
      )}
      <ProblemNote error={waive.error} />
    </Box>
  );
}
