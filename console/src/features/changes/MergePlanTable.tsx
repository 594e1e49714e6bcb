import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import Select from "@mui/material/Select";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";

import type { Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Mono } from "../../shared/Mono";

type Action = Schemas["MergeActionOut"];
type Choices = Record<string, string>;

/** What merging a snippet does, entry by entry: each action can be another one, and shows the places that it touches. */
export function MergePlanTable({ plan, choices, onChoose }: { plan: Schemas["MergePlanOut"]; choices: Choices; onChoose: (choices: Choices) => void }) {
  return (
    <Box>
      {plan.notes.map((note) => (
        <Typography key={note} variant="body2" color="text.secondary">note: {note}</Typography>
      ))}
      <Typography variant="body2" sx={{ mt: 0.5 }}>{plan.words}</Typography>
      <Paper sx={{ mt: 1, overflowX: "auto" }}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Action</TableCell>
              <TableCell>Entry</TableCell>
              <TableCell>What changes</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {plan.actions.filter((action) => action.is_taken).map((action) => (
              <TableRow key={action.address + String(action.line)}>
                <TableCell sx={{ verticalAlign: "top" }}>
                  <ActionField action={action} chosen={choices[action.address] ?? action.kind} onChoose={(kind) => { onChoose({ ...choices, [action.address]: kind }); }} />
                </TableCell>
                <TableCell sx={{ verticalAlign: "top" }}>
                  <Mono>{action.address}</Mono>
                  <Box sx={{ color: "text.secondary", fontSize: 12 }}>line {action.line} of the snippet{action.reason && `: ${action.reason}`}</Box>
                  {action.older && <Box sx={{ color: "warning.main", fontSize: 12 }}>It is as in {action.older}, so this goes back.</Box>}
                </TableCell>
                <TableCell sx={{ verticalAlign: "top" }}>
                  <Preview action={action} kind={choices[action.address] ?? action.kind} />
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Paper>
    </Box>
  );
}

function ActionField({ action, chosen, onChoose }: { action: Action; chosen: string; onChoose: (kind: string) => void }) {
  const isNew = action.kind === "add";
  const kinds = [action.kind, ...(isNew ? ["skip"] : ["combine", "replace", "skip"])];
  if (action.kind === "same") return <KindMark kind="same" />;
  return (
    <Select size="small" variant="standard" value={chosen} onChange={(event) => { onChoose(event.target.value); }} inputProps={{ "aria-label": `Action for ${action.address}` }}>
      {[...new Set(kinds)].map((kind) => <MenuItem key={kind} value={kind}><KindMark kind={kind} /></MenuItem>)}
    </Select>
  );
}

function Preview({ action, kind }: { action: Action; kind: string }) {
  if (kind === "skip") return <Typography variant="body2" color="text.secondary">left out</Typography>;
  if (kind === "replace") return <Typography variant="body2" color="text.secondary">the whole entry becomes the snippet’s</Typography>;
  return action.changes.map((change) => (
    <Box key={change.address} sx={{ whiteSpace: "pre-wrap" }}>
      {change.old !== null && (
        <>
          <Mono>{change.address === action.address ? "" : `${change.address.slice(action.address.length + 1)}: `}{change.old}</Mono>
          {" → "}
        </>
      )}
      <Mono>{change.new ?? "(gone)"}</Mono>
    </Box>
  ));
}
