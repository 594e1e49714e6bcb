import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { ManyRows } from "../../shared/ManyRows";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { FindingActions } from "../rules/FindingActions";
import { fileLink } from "../workspace/links";
import { WaiverTable } from "./WaiverTable";

type Finding = Schemas["FindingOut"];

const MOST = 2000; // findings that are sent to the browser

/** What is found in the files as they are on the server, and the waivers of it. */
export function ChecksTab({ server }: { server: Schemas["ServerOut"] }) {
  const params = { path: { server_id: server.id } };
  const found = useQuery({
    queryKey: ["check", server.id, server.last_snapshot?.id],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/check", { params: { ...params, query: { limit: MOST } } })),
    enabled: server.last_snapshot !== null,
  });
  if (server.last_snapshot === null) return <Typography sx={{ p: 2 }}>No files are known yet. Press “Fetch files” first.</Typography>;
  return (
    <>
      <ProblemNote error={found.error} />
      {found.isLoading && <Loading />}
      {found.data && (
        <Paper sx={{ p: 1.5, mb: 1.5 }}>
          <Typography gutterBottom>{verdictOf(found.data)}</Typography>
          <ManyRows rows={found.data.findings} word="findings">{(finding) => (
            <FindingRow key={`${finding.code} ${finding.waiver_address ?? ""} ${finding.message}`} serverId={server.id} finding={finding} />
          )}</ManyRows>
          {found.data.total > found.data.findings.length && (
            <Typography variant="body2" color="text.secondary">These are the first {MOST.toLocaleString()} of {found.data.total.toLocaleString()} findings. `zerrit check {server.id}:` lists all.</Typography>
          )}
        </Paper>
      )}
      <WaiverTable serverId={server.id} />
    </>
  );
}

function verdictOf(check: Schemas["CheckOut"]): string {
  const { shipped } = check;
  const where = `${String(check.files)} files of snapshot ${String(check.snapshot)}`;
  const rest = shipped === 0 ? "" : shipped === 1 ? " One finding is in the defaults too and blocks no one." : ` ${String(shipped)} findings are in the defaults too and block no one.`;
  if (check.blocking === 0) return `No error in ${where} that is neither waived nor the vendor's own.${rest}`;
  return `${check.blocking === 1 ? "One error" : `${String(check.blocking)} errors`} in ${where}.${rest}`;
}

function FindingRow({ serverId, finding }: { serverId: string; finding: Finding }) {
  const [isOpen, setOpen] = useState(false);
  const place = fileLink(serverId, finding.path, { view: "text", line: finding.line });
  return (
    <Box sx={{ py: 0.75, borderTop: 1, borderColor: "divider" }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap" }}>
        <KindMark kind={finding.waived ? "waived" : finding.is_shipped ? "as-shipped" : finding.severity} />
        <Link component={RouterLink} to={place}>
          <Mono>{finding.path}</Mono>{finding.line > 0 && ` line ${String(finding.line)}`}
        </Link>
        <Box sx={{ flex: 1, minWidth: 260 }}>{finding.message} <strong>{finding.hint}</strong></Box>
        {!finding.waived && finding.severity !== "notice" && !isOpen && (
          <Button color="inherit" onClick={() => { setOpen(true); }}>Waive …</Button>
        )}
        {!finding.waived && finding.severity !== "notice" && <FindingActions serverId={serverId} finding={finding} />}
      </Box>
      {finding.address && <Box sx={{ color: "text.secondary", fontSize: 12 }}><Mono>{finding.address}</Mono></Box>}
      {finding.reason && <Box sx={{ color: "text.secondary", fontSize: 12 }}>reason: {finding.reason}</Box>}
      {finding.waived && <Box sx={{ color: "text.secondary" }}>waived by {finding.waived}</Box>}
      {isOpen && <AcceptForm serverId={serverId} finding={finding} onClose={() => { setOpen(false); }} />}
    </Box>
  );
}

function AcceptForm({ serverId, finding, onClose }: { serverId: string; finding: Finding; onClose: () => void }) {
  const [reason, setReason] = useState("");
  const [until, setUntil] = useState("");
  const queries = useQueryClient();
  const waive = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/servers/{server_id}/waivers", {
          params: { path: { server_id: serverId } },
          body: { code: finding.code, address: finding.waiver_address ?? "", reason, until: until ? endOf(until) : null },
        }),
      ),
    onSuccess: () => askAgain(queries),
  });
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, mt: 0.75, flexWrap: "wrap" }}>
        <TextField label="Reason for the waiver" value={reason} onChange={(event) => { setReason(event.target.value); }} sx={{ width: 420 }} />
        <TextField
          label="Last day (empty: no end)"
          type="date"
          value={until}
          onChange={(event) => { setUntil(event.target.value); }}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <Button variant="outlined" disabled={!reason.trim() || waive.isPending} onClick={() => { waive.mutate(); }}>Waive</Button>
        <Button color="inherit" onClick={onClose}>Cancel</Button>
      </Box>
      <ProblemNote error={waive.error} />
    </>
  );
}

/** The end of a day in the reader's own time. */
function endOf(day: string): string {
  const end = new Date(`${day}T00:00:00`);
  end.setDate(end.getDate() + 1);
  return end.toISOString();
}
