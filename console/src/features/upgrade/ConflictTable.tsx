import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";

import type { Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Mono } from "../../shared/Mono";

type Choices = Record<string, string>;

/** Places that both sides changed differently, each with its three values, to be decided one by one or all alike. */
export function ConflictTable({ conflicts, names, words, choices, onChoose }: {
  conflicts: readonly Schemas["ConflictOut"][];
  names: readonly [string, string, string];
  words: { title: string; mine: string; theirs: string };
  choices: Choices;
  onChoose: (choices: Choices) => void;
}) {
  const all = (side: string) => { onChoose(Object.fromEntries(conflicts.map((conflict) => [conflict.address, side]))); };
  return (
    <Paper sx={{ p: 1.5, overflowX: "auto" }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, mb: 0.5 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>{words.title}</Typography>
        <Button onClick={() => { all("mine"); }}>All {words.mine}</Button>
        <Button onClick={() => { all("theirs"); }}>All {words.theirs}</Button>
      </Box>
      <Table>
        <TableHead>
          <TableRow>
            <TableCell>Address</TableCell>
            <TableCell align="right">{names[0]}</TableCell>
            <TableCell align="right">{names[1]}</TableCell>
            <TableCell align="right">{names[2]}</TableCell>
            <TableCell>Decide</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {conflicts.map((conflict) => (
            <Row key={conflict.address} conflict={conflict} words={words} choice={choices[conflict.address] ?? ""} onChoose={(choice) => { onChoose({ ...choices, [conflict.address]: choice }); }} />
          ))}
        </TableBody>
      </Table>
    </Paper>
  );
}

function Row({ conflict, words, choice, onChoose }: { conflict: Schemas["ConflictOut"]; words: { mine: string; theirs: string }; choice: string; onChoose: (choice: string) => void }) {
  const hasOwn = choice.startsWith("=");
  const mayType = conflict.mine !== null && !conflict.mine.includes("\n");
  return (
    <TableRow>
      <TableCell sx={{ minWidth: 220 }}>
        <KindMark kind={choice ? "done" : "conflict"} /> <Mono>{conflict.address}</Mono>
      </TableCell>
      {[conflict.base, conflict.mine, conflict.theirs].map((value, index) => (
        <TableCell key={index} align="right" sx={{ minWidth: 80, maxWidth: 220 }}>{value === null ? "gone" : <Mono>{value}</Mono>}</TableCell>
      ))}
      <TableCell sx={{ whiteSpace: "nowrap" }}>
        <ToggleButtonGroup size="small" exclusive value={hasOwn ? "own" : choice} onChange={(_, side: string | null) => { if (side) onChoose(side === "own" ? `=${conflict.mine ?? ""}` : side); }} aria-label={`Decide ${conflict.address}`}>
          <ToggleButton value="mine" sx={{ textTransform: "none", py: 0.25 }}>{words.mine}</ToggleButton>
          <ToggleButton value="theirs" sx={{ textTransform: "none", py: 0.25 }}>{words.theirs}</ToggleButton>
          {mayType && <ToggleButton value="own" sx={{ textTransform: "none", py: 0.25 }}>other value</ToggleButton>}
        </ToggleButtonGroup>
        {hasOwn && (
          <TextField value={choice.slice(1)} onChange={(event) => { onChoose(`=${event.target.value}`); }} sx={{ ml: 1, width: 110 }} slotProps={{ htmlInput: { "aria-label": `Value for ${conflict.address}` } }} />
        )}
      </TableCell>
    </TableRow>
  );
}
