import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";

import type { Schemas } from "../../api/client";
import { counted } from "../../shared/DifferenceTable";
import { Mono } from "../../shared/Mono";

const MOST_SHOWN = 200;

/** What a step would do, each place with its old and new value. */
export function TrialTable({ outcome }: { outcome: Schemas["OutcomeOut"] }) {
  const { changes } = outcome;
  if (outcome.kind === "same") return <Typography>Nothing to do: these values are set already.</Typography>;
  return (
    <Box>
      <Typography variant="body2" color="text.secondary" gutterBottom>{counted(changes.length, "place changes", "places change")}:</Typography>
      <Paper sx={{ maxHeight: 260, overflow: "auto" }}>
        <Table stickyHeader>
          <TableHead>
            <TableRow>
              <TableCell>Address</TableCell>
              <TableCell>Now</TableCell>
              <TableCell>Then</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {changes.slice(0, MOST_SHOWN).map((change) => (
              <TableRow key={change.address}>
                <TableCell><Mono>{change.address}</Mono></TableCell>
                <TableCell><Mono>{change.old ?? ""}</Mono></TableCell>
                <TableCell><Mono>{change.new ?? "(gone)"}</Mono></TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Paper>
      {changes.length > MOST_SHOWN && <Typography variant="body2">and {changes.length - MOST_SHOWN} more</Typography>}
    </Box>
  );
}
