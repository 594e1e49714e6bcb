import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
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

interface Leaving {
  left: readonly string[];
  onLeave: (left: string[]) => void;
}

/** What a step would do, each place with its old and new value; with `leaving`, a place can be left as it is. */
export function TrialTable({ outcome, leaving }: { outcome: Schemas["OutcomeOut"]; leaving?: Leaving | undefined }) {
  const { changes } = outcome;
  if (outcome.kind === "same") return <Typography>Nothing to do: these values are set already.</Typography>;
  return (
    <Box>
      <Typography variant="body2" color="text.secondary" gutterBottom>{counted(outcome.places, "place changes", "places change")}:</Typography>
      <Paper sx={{ maxHeight: 260, overflow: "auto" }}>
        <Table stickyHeader>
          <TableHead>
            <TableRow>
              <TableCell>Address</TableCell>
              <TableCell>Now</TableCell>
              <TableCell>Then</TableCell>
              {leaving && <TableCell />}
            </TableRow>
          </TableHead>
          <TableBody>
            {changes.slice(0, MOST_SHOWN).map((change) => (
              <TableRow key={change.address}>
                <TableCell><Mono>{change.address}</Mono></TableCell>
                <TableCell><Mono>{change.old ?? ""}</Mono></TableCell>
                <TableCell><Mono>{change.new ?? "(gone)"}</Mono></TableCell>
                {leaving && (
                  <TableCell sx={{ py: 0 }}>
                    {change.address.includes("#") && (
                      <Button size="small" aria-label={`Leave ${change.address} as it is`} onClick={() => { leaving.onLeave([...leaving.left, change.address]); }}>Leave</Button>
                    )}
                  </TableCell>
                )}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Paper>
      {outcome.places > MOST_SHOWN && <Typography variant="body2">and {(outcome.places - MOST_SHOWN).toLocaleString()} more</Typography>}
      {outcome.notes.map((note) => <Typography key={note} variant="body2" sx={{ mt: 0.5 }}>Note: {note}</Typography>)}
      {leaving && leaving.left.length > 0 && (
        <Box sx={{ display: "flex", gap: 0.5, flexWrap: "wrap", alignItems: "center", mt: 0.5 }}>
          <Typography variant="body2">Left as it is:</Typography>
          {leaving.left.map((address) => (
            <Chip key={address} label={address} onDelete={() => { leaving.onLeave(leaving.left.filter((one) => one !== address)); }} />
          ))}
        </Box>
      )}
    </Box>
  );
}
