import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../api/client";
import { KindMark } from "./KindMark";
import { ManyRows } from "./ManyRows";
import { Mono } from "./Mono";

type Difference = Schemas["DifferenceOut"];

/** Differences by file and entry: an entry with several of them has a line of its own above. */
export function DifferenceTable({ differences }: { differences: readonly Difference[] }) {
  if (differences.length === 0) return <Typography sx={{ p: 2 }}>No difference.</Typography>;
  return (
    <Paper sx={{ overflowX: "auto" }} tabIndex={0} role="group" aria-label="Differences">
      <Table>
        <TableHead>
          <TableRow>
            <TableCell>Kind</TableCell>
            <TableCell>Address</TableCell>
            <TableCell>Old</TableCell>
            <TableCell>New</TableCell>
            <TableCell align="right">Delta</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          <ManyRows rows={byEntry(differences)} word="entries" frame={(button) => <TableRow><TableCell colSpan={5}>{button}</TableCell></TableRow>}>{([entry, ones]) => (
            <>
              {ones.length > 1 && (
                <TableRow sx={{ bgcolor: "action.hover" }}>
                  <TableCell />
                  <TableCell colSpan={4}><Mono>{entry}</Mono></TableCell>
                </TableRow>
              )}
              {ones.map((one) => (
                <TableRow key={one.kind + one.address}>
                  <TableCell><KindMark kind={one.kind} /></TableCell>
                  <TableCell sx={{ minWidth: 200, ...(ones.length > 1 ? { pl: 4 } : {}) }}>
                    <Mono>{ones.length > 1 && one.address.startsWith(`${entry}/`) ? one.address.slice(entry.length + 1) : one.address}</Mono>
                  </TableCell>
                  <TableCell sx={{ minWidth: 110, maxWidth: 260 }}><Mono>{one.old ?? ""}</Mono></TableCell>
                  <TableCell sx={{ minWidth: 110, maxWidth: 360 }}><Mono>{one.new ?? ""}</Mono></TableCell>
                  <TableCell align="right">{one.delta}</TableCell>
                </TableRow>
              ))}
            </>
          )}</ManyRows>
        </TableBody>
      </Table>
    </Paper>
  );
}

/** How many differences in how many entries, in words. */
export function summary(differences: readonly Difference[]): string {
  const entries = new Set(differences.map((one) => one.entry)).size;
  return `${counted(differences.length, "difference", "differences")} in ${counted(entries, "entry", "entries")}`;
}

export function counted(number: number, word: string, several: string): string {
  return `${number.toLocaleString("en")} ${number === 1 ? word : several}`;
}

function byEntry(differences: readonly Difference[]): [string, Difference[]][] {
  const groups = new Map<string, Difference[]>();
  for (const one of differences) groups.set(one.entry, [...(groups.get(one.entry) ?? []), one]);
  return [...groups];
}
