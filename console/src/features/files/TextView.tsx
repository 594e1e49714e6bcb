import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { ProblemNote } from "../../shared/ProblemNote";
import { MONO } from "../../theme";

interface Props {
  serverId: string;
  path: string;
  changeId: number | undefined;
  /** The line to show first, 1-based; 0 for the start. */
  line: number;
}

/** The text of a file with line numbers, and each finding below the line that it is about. */
export function TextView({ serverId, path, changeId, line }: Props) {
  const file = useQuery({
    queryKey: ["file", serverId, path, changeId],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/file", {
          params: { path: { server_id: serverId }, query: { path, change: changeId ?? null } },
        }),
      ),
  });
  const wanted = useRef<HTMLDivElement>(null);
  useEffect(() => {
    wanted.current?.scrollIntoView({ block: "center" });
  }, [file.data, line]);
  const findings = useMemo(() => byLine(file.data?.findings ?? []), [file.data]);
  if (file.error) return <ProblemNote error={file.error} />;
  if (!file.data) return null;
  const lines = file.data.text.replace(/(\r\n|\r|\n)$/, "").split(/\r\n|\r|\n/);
  return (
    <Paper sx={{ overflow: "auto", maxHeight: "calc(100vh - 170px)" }} aria-label="Text of the file">
      <Box sx={{ fontFamily: MONO, fontSize: 12.5, lineHeight: "19px", width: "max-content", minWidth: "100%" }}>
        {lines.map((text, index) => (
          // Lines out of sight are not laid out; a long file stays light.
          <Box key={index} ref={index + 1 === line ? wanted : undefined} sx={{ contentVisibility: "auto", containIntrinsicHeight: "19px" }}>
            <Box sx={{ display: "flex", ...(index + 1 === line && { bgcolor: "action.selected" }) }}>
              <Box component="span" sx={{ width: 52, flexShrink: 0, textAlign: "right", pr: 1.5, color: "text.secondary", userSelect: "none" }}>
                {index + 1}
              </Box>
              <Box component="span" sx={{ whiteSpace: "pre" }}>
                <Marked text={text} columns={(findings.get(index + 1) ?? []).map((finding) => finding.column)} />
              </Box>
            </Box>
            {findings.get(index + 1)?.map((finding) => (
              <Box
                key={finding.code + String(finding.column) + finding.message}
                sx={{ ml: "52px", pl: 1, borderLeft: 3, borderColor: LINE_COLOUR[finding.severity] ?? "divider", whiteSpace: "normal", maxWidth: 1150 }}
              >
                <KindMark kind={finding.severity} /> column {finding.column}: {finding.message} {finding.hint}{" "}
                <Box component="span" sx={{ color: "text.secondary" }}>{finding.code}</Box>
              </Box>
            ))}
          </Box>
        ))}
      </Box>
    </Paper>
  );
}

const LINE_COLOUR: Readonly<Record<string, string>> = { error: "error.main", warning: "warning.main" };

/** A line whose faulty places are underlined; a place behind the end of the line shows as a mark of its own. */
function Marked({ text, columns }: { text: string; columns: readonly number[] }) {
  if (columns.length === 0) return text;
  const places = new Set(columns.map((column) => Math.min(column, text.length + 1) - 1));
  return [...text, " "].map((sign, index) =>
    places.has(index) ? (
      <Box key={index} component="mark" sx={{ bgcolor: "transparent", color: "inherit", borderBottom: 2, borderColor: "error.main" }}>
        {sign === "\t" ? "→" : sign}
      </Box>
    ) : (
      sign
    ),
  );
}

function byLine(findings: readonly Schemas["FindingOut"][]): Map<number, Schemas["FindingOut"][]> {
  const lines = new Map<number, Schemas["FindingOut"][]>();
  for (const finding of findings) lines.set(finding.line, [...(lines.get(finding.line) ?? []), finding]);
  return lines;
}
