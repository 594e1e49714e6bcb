import Box from "@mui/material/Box";
import Chip from "@mui/material/Chip";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";

const FILTERS: readonly { kind: string; word: string }[] = [
  { kind: "", word: "all" },
  { kind: "findings", word: "with findings" },
  { kind: "changed", word: "changed" },
  { kind: "own", word: "own files" },
  { kind: "as-shipped", word: "as shipped" },
  { kind: "watched", word: "watched" },
];

function matches(file: Schemas["FileStateOut"], kind: string): boolean {
  return kind === "" || (kind === "findings" ? file.errors + file.warnings > 0 : file.state === kind);
}

/** All files of a server, with their state against the defaults and what is wrong in them. */
export function FilesTab({ serverId, hasFiles }: { serverId: string; hasFiles: boolean }) {
  const [search, setSearch] = useState("");
  const [only, setOnly] = useState("");
  const files = useQuery({
    queryKey: ["files", serverId],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/files", { params: { path: { server_id: serverId } } })),
    enabled: hasFiles,
  });
  if (!hasFiles) return <Typography sx={{ p: 2 }}>No files are known yet. Press “Fetch files” to take the first snapshot.</Typography>;
  const shown = files.data?.filter(
    (file) => matches(file, only) && `${file.path} ${file.purpose} ${file.state}`.toLowerCase().includes(search.toLowerCase()),
  );
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", mb: 1, flexWrap: "wrap" }}>
        <TextField label="Search files" value={search} onChange={(event) => { setSearch(event.target.value); }} sx={{ width: 320 }} />
        {FILTERS.map(({ kind, word }) => {
          const count = files.data?.filter((file) => matches(file, kind)).length ?? 0;
          return kind === "" || count > 0 ? (
            <Chip
              key={kind}
              label={`${word} ${String(count)}`}
              size="small"
              color={kind === only ? "primary" : "default"}
              variant={kind === only ? "filled" : "outlined"}
              onClick={() => { setOnly(kind); }}
            />
          ) : null;
        })}
      </Box>
      <ProblemNote error={files.error} />
      <Paper sx={{ overflowX: "auto" }}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>File</TableCell>
              <TableCell>Against defaults</TableCell>
              <TableCell>Findings</TableCell>
              <TableCell align="right">Bytes</TableCell>
              <TableCell>What it is</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {shown?.map((file) => (
              <FileRow key={file.path} serverId={serverId} file={file} />
            ))}
          </TableBody>
        </Table>
      </Paper>
    </>
  );
}

function FileRow({ serverId, file }: { serverId: string; file: Schemas["FileStateOut"] }) {
  return (
    <TableRow hover>
      <TableCell>
        {file.state === "watched" ? (
          <Mono>{file.path}</Mono>
        ) : (
          <Link component={RouterLink} to={`/servers/${serverId}/file/${file.path}`}>
            <Mono>{file.path}</Mono>
          </Link>
        )}
      </TableCell>
      <TableCell><KindMark kind={file.state} /></TableCell>
      <TableCell>
        {file.errors > 0 && <><KindMark kind="error" /> {file.errors} </>}
        {file.warnings > 0 && <><KindMark kind="warning" /> {file.warnings}</>}
      </TableCell>
      <TableCell align="right">{file.size.toLocaleString()}</TableCell>
      <TableCell sx={{ color: "text.secondary" }}>{file.purpose}</TableCell>
    </TableRow>
  );
}
