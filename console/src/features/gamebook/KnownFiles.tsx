import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";

import type { Schemas } from "../../api/client";
import { Mono } from "../../shared/Mono";
import { effectWord } from "../../shared/effects";

interface Props {
  files: Schemas["KnownFileOut"][];
  unknown: string[];
  onLine: (line: number) => void;
}

/** What the gamebook says of each file, and the files that it does not know. */
export function KnownFiles({ files, unknown, onLine }: Props) {
  return (
    <>
      <Paper sx={{ overflowX: "auto" }}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>File</TableCell>
              <TableCell>What it is</TableCell>
              <TableCell>Takes effect</TableCell>
              <TableCell align="right">Files</TableCell>
              <TableCell align="right">Rules</TableCell>
              <TableCell align="right">Line</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {files.map((file) => (
              <TableRow key={file.pattern} hover>
                <TableCell><Mono>{file.pattern}</Mono></TableCell>
                <TableCell>{file.purpose}</TableCell>
                <TableCell>{effectWord(file.takes_effect)}</TableCell>
                <TableCell align="right">{file.files}</TableCell>
                <TableCell align="right">{file.rules}</TableCell>
                <TableCell align="right"><Link component="button" onClick={() => { onLine(file.line); }}>{file.line}</Link></TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Paper>
      {unknown.length > 0 && (
        <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
          No rule knows {unknown.length} of the files: <Mono>{unknown.join(", ")}</Mono>
        </Typography>
      )}
    </>
  );
}
