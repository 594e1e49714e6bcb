import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableRow from "@mui/material/TableRow";

import { Mono } from "../../shared/Mono";

const KEYS: readonly [string, string][] = [
  ["Ctrl+K", "Go to a file, entry, setting, word, finding, change, server or page, or do a command"],
  ["Ctrl+Shift+F", "Search in the files of the server"],
  ["Ctrl+Shift+E", "From the entries of a file to its text, and back"],
  ["Ctrl+S", "Save typed text as steps"],
  ["Ctrl+Z, Ctrl+Shift+Z", "Undo and redo: of typing in the text, of steps elsewhere"],
  ["Ctrl+F", "Search in the text, and replace"],
  ["F12, Shift+F12", "In the text: to what a value refers to, and to what refers to it"],
  ["Enter, or typing", "Edit a cell; Enter goes down, Tab to the right, Escape leaves the old value"],
  ["Space", "In a table: select the cell for the inspector"],
  ["Ctrl+D", "Fill the selected rows with the value of the first one"],
  ["Ctrl+C, Ctrl+V", "Copy and paste cells as a table"],
  ["?", "This table"],
];

/** The keys of the console. */
export function KeyboardHelp({ onClose }: { onClose: () => void }) {
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>Keys</DialogTitle>
      <DialogContent>
        <Table>
          <TableBody>
            {KEYS.map(([keys, what]) => (
              <TableRow key={keys}><TableCell sx={{ whiteSpace: "nowrap" }}><Mono>{keys}</Mono></TableCell><TableCell>{what}</TableCell></TableRow>
            ))}
          </TableBody>
        </Table>
      </DialogContent>
      <DialogActions><Button onClick={onClose}>Close</Button></DialogActions>
    </Dialog>
  );
}
