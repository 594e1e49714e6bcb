import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import type { ReactNode } from "react";

/** A plain table of figures; `right` are the numbers of the columns that hold numbers. */
export function Rows({ heads, rows, right = [] }: { heads: readonly string[]; rows: readonly ReactNode[][]; right?: readonly number[] }) {
  const align = (index: number) => (right.includes(index) ? "right" : "left");
  return (
    <Paper sx={{ overflowX: "auto" }}>
      <Table>
        <TableHead>
          <TableRow>{heads.map((head, index) => <TableCell key={index} align={align(index)}>{head}</TableCell>)}</TableRow>
        </TableHead>
        <TableBody>
          {rows.map((cells, row) => (
            <TableRow key={row}>{cells.map((cell, index) => <TableCell key={index} align={align(index)}>{cell}</TableCell>)}</TableRow>
          ))}
        </TableBody>
      </Table>
    </Paper>
  );
}

/** A number with at most six digits; nothing for none. */
export function shown(number: number | null): string {
  return number === null ? "" : String(Number(number.toPrecision(6)));
}

/** A number, and in brackets what it was where that differs. */
export function nowAndBefore(now: number | null, before: number | null): string {
  return before === null || before === now ? shown(now) : `${shown(now)} (${shown(before)})`;
}
