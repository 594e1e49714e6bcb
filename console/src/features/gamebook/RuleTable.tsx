import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { RuleDialog } from "../rules/RuleDialog";

type Rule = Schemas["RuleOut"];

interface Props {
  serverId: string;
  rules: Rule[];
  onLine: (line: number) => void;
}

/** Every rule in words, how many places it speaks of, and at how many it does not hold; those that do not come first. */
export function RuleTable({ serverId, rules, onLine }: Props) {
  const [search, setSearch] = useState("");
  const [only, setOnly] = useState("");
  const [edited, setEdited] = useState<Rule | "new" | null>(null);
  const parts = [...new Set(rules.map((rule) => rule.part))];
  const wanted = search.toLowerCase();
  const shown = rules
    .filter((rule) => (only === "" || rule.part === only) && `${rule.text} ${rule.reason} ${rule.id}`.toLowerCase().includes(wanted))
    .sort((a, b) => b.violations - a.violations || a.line - b.line);
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, mb: 1, flexWrap: "wrap", alignItems: "center" }}>
        <TextField label="Search rules" value={search} onChange={(event) => { setSearch(event.target.value); }} sx={{ width: 280 }} />
        {["", ...parts].map((part) => (
          <Chip
            key={part}
            size="small"
            label={`${part === "" ? "all" : part.replace("_", " ")} ${String(part === "" ? rules.length : rules.filter((rule) => rule.part === part).length)}`}
            color={part === only ? "primary" : "default"}
            variant={part === only ? "filled" : "outlined"}
            onClick={() => { setOnly(part); }}
          />
        ))}
        <Button variant="outlined" sx={{ ml: "auto" }} onClick={() => { setEdited("new"); }}>New rule …</Button>
      </Box>
      <Paper sx={{ overflowX: "auto" }}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Rule</TableCell>
              <TableCell>Severity</TableCell>
              <TableCell align="right">Places</TableCell>
              <TableCell align="right">Satisfied</TableCell>
              <TableCell align="right">Line</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {shown.map((rule) => (
              <TableRow key={rule.id} hover>
                <TableCell sx={{ minWidth: 220, overflowWrap: "anywhere" }}>
                  <Link component="button" color="inherit" sx={{ textAlign: "left", font: "inherit" }} title="Edit this rule" onClick={() => { setEdited(rule); }}>{rule.text}</Link>
                  {rule.reason && <Box sx={{ color: "text.secondary", fontSize: 12 }}>reason: {rule.reason}</Box>}
                </TableCell>
                <TableCell>{rule.severity ? <KindMark kind={rule.severity} /> : ""}</TableCell>
                <TableCell align="right">{rule.places?.toLocaleString("en") ?? ""}</TableCell>
                <TableCell align="right">{rule.unmeasured ? `not measured: ${rule.unmeasured}` : rule.violations > 0 ? <Breaches rule={rule} /> : "everywhere"}</TableCell>
                <TableCell align="right">
                  <Link component="button" onClick={() => { onLine(rule.line); }}>{rule.line}</Link>
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Paper>
      {edited === "new" && <RuleDialog serverId={serverId} title="New rule" counts={Object.fromEntries(parts.map((part) => [part, numberBehind(rules, part)]))} onClose={() => { setEdited(null); }} />}
      {edited !== null && edited !== "new" && <RuleDialog serverId={serverId} title="Edit the rule" rule={edited} onClose={() => { setEdited(null); }} />}
    </>
  );
}

/** The number that a new rule of a part gets: behind the last one that stands in a part of its own. */
function numberBehind(rules: Rule[], part: string): number {
  return rules.filter((rule) => rule.location[0] === part).length;
}

function Breaches({ rule }: { rule: Rule }) {
  const places = rule.places === null ? "" : ` of ${rule.places.toLocaleString("en")}`;
  return <Box component="span" sx={{ color: "error.main", fontWeight: 600 }}>not at {rule.violations}{places}</Box>;
}
