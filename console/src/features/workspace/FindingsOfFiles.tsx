import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import type { FilePlace } from "./links";
import type { ChosenChange } from "./useChosenChange";

const MOST = 300; // findings of a file that are listed

interface Props {
  serverId: string;
  path: string;
  change: ChosenChange;
  onOpen: (path: string, view?: FilePlace) => void;
}

/** What is found in the open file, as the chosen change leaves it. */
export function FindingsOfFiles({ serverId, path, change, onOpen }: Props) {
  const found = useQuery({
    queryKey: ["findings", serverId, path, change.id],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/findings", { params: { path: { server_id: serverId }, query: { path, change: change.id ?? null, limit: MOST } } })),
    enabled: path !== "",
    retry: false,
  });
  const { findings, total } = found.data ?? { findings: null, total: 0 };
  if (path === "") {
    return (
      <Typography variant="body2" sx={{ p: 1.5 }}>
        Open a file to see what is found in it. <Link component={RouterLink} to={`/servers/${serverId}/findings`}>All findings of this server</Link>
      </Typography>
    );
  }
  if (found.error) return <Box sx={{ px: 1 }}><ProblemNote error={found.error} /></Box>;
  if (!findings) return <Loading lines={3} />;
  if (findings.length === 0) return <Typography variant="body2" sx={{ p: 1.5 }}>Nothing was found in this file.</Typography>;
  return (
    <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none" }}>
      {findings.map((finding) => (
        <FindingLine key={`${String(finding.line)}:${String(finding.column)}:${finding.code}:${finding.message}`} finding={finding} onOpen={onOpen} />
      ))}
      {total > findings.length && <Box component="li" sx={{ px: 1.5, py: 0.5, color: "text.secondary" }}>and {(total - findings.length).toLocaleString()} more, marked in the text</Box>}
    </Box>
  );
}

function FindingLine({ finding, onOpen }: { finding: Schemas["FindingOut"]; onOpen: (path: string, view?: FilePlace) => void }) {
  return (
    <li>
      <ButtonBase
        onClick={() => { onOpen(finding.path, { view: "text", line: finding.line }); }}
        sx={{ display: "flex", gap: 1, alignItems: "baseline", justifyContent: "flex-start", textAlign: "left", width: "100%", px: 1.5, py: 0.5, fontSize: 12.5, "&:hover, &:focus-visible": { bgcolor: "action.hover" } }}
      >
        <Box component="span" sx={{ width: 84, flexShrink: 0 }}><KindMark kind={finding.waived ? "waived" : finding.is_shipped ? "as-shipped" : finding.severity} /></Box>
        <Box component="span" sx={{ width: 62, flexShrink: 0, color: "text.secondary" }}>{finding.line > 0 ? `line ${String(finding.line)}` : "the file"}</Box>
        <Box component="span">{finding.message} <strong>{finding.hint}</strong></Box>
      </ButtonBase>
    </li>
  );
}
