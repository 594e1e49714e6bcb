import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { EMPTY_STEP } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { type DroppedFile, MOST_DROPPED } from "./droppedFiles";
import type { Edits } from "./useEdits";

interface Props {
  files: readonly DroppedFile[];
  folder: string;
  /** Paths of the server's files. */
  present: ReadonlySet<string>;
  edits: Edits;
  onClose: () => void;
}

const LARGEST = 4_000_000; // characters that a step takes

interface Dropped {
  name: string;
  text: string;
  /** Why it cannot be put; empty where it can. */
  refused: string;
}

/** What was dropped, and what it becomes: new files, or new content of those that are there. */
export function PutDialog({ files, folder, present, edits, onClose }: Props) {
  const [into, setInto] = useState(folder.replace(/\/$/, ""));
  const read = useQuery({
    queryKey: ["dropped", files.map(({ path, file }) => [path, file.size, file.lastModified])],
    queryFn: () => Promise.all(files.map(dropped)),
    gcTime: 0,
  });
  const pathOf = (one: Dropped) => (into.trim() ? `${into.trim().replace(/\/+$/, "")}/${one.name}` : one.name);
  const fine = read.data?.filter((one) => one.refused === "") ?? [];
  const put = () => {
    const steps = fine.map((one) => ({ ...EMPTY_STEP, kind: "put-file" as const, address: pathOf(one), content: one.text }));
    edits.add(steps, steps.length === 1 ? `Put ${steps[0]?.address ?? ""}` : `Put ${String(steps.length)} files`).then(onClose, () => undefined);
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>Put {files.length === 1 ? "a file" : `${String(files.length)} files`} into the change</DialogTitle>
      <DialogContent>
        <TextField label="Folder on the server" value={into} onChange={(event) => { setInto(event.target.value); }} fullWidth sx={{ mt: 1, mb: 1 }} />
        <ProblemNote error={read.error ?? edits.error} />
        {files.length > MOST_DROPPED && <Alert severity="warning" variant="outlined" sx={{ mb: 1 }}>More than {MOST_DROPPED} files were dropped; only the first are listed. Drop a folder further down.</Alert>}
        <Table>
          <TableBody>
            {read.data?.map((one) => (
              <TableRow key={one.name}>
                <TableCell><Mono>{pathOf(one)}</Mono></TableCell>
                <TableCell>
                  {one.refused ? <Box component="span" sx={{ color: "error.main" }}>{one.refused}</Box> : <KindMark kind={present.has(pathOf(one)) ? "replace" : "added"} />}
                </TableCell>
                <TableCell align="right">{one.text.length.toLocaleString()}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        {fine.some((one) => present.has(pathOf(one))) && <Alert severity="info" variant="outlined" sx={{ mt: 1 }}>A file that is there already gets the dropped content. To merge a snippet into it instead, open it and paste the snippet.</Alert>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={fine.length === 0 || edits.isBusy} onClick={put}>
          {fine.length === files.length ? "Put" : `Put ${String(fine.length)} of ${String(files.length)}`}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

async function dropped({ path: name, file }: DroppedFile): Promise<Dropped> {
  if (file.size > LARGEST) return { name, text: "", refused: `larger than ${(LARGEST / 1_000_000).toFixed()} MB` };
  try {
    const text = new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }).decode(await file.arrayBuffer());
    if (text.includes("\0")) return { name, text: "", refused: "is not text" };
    return { name, text, refused: "" };
  } catch {
    return { name, text: "", refused: "is not text in UTF-8" };
  }
}
