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
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, EMPTY_STEP } from "../../api/client";
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

const LARGEST = 64_000_000; // bytes of a file that the service keeps
const LARGEST_TEXT = 4_000_000; // bytes that a step holds itself
const SENT_AT_ONCE = 16_000_000; // bytes

interface Dropped {
  name: string;
  file: File;
  /** Null where it is not text: its bytes are sent apart from the step. */
  text: string | null;
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
  const put = useMutation({
    mutationFn: async () => {
      const digests = await sent(fine.filter((one) => one.text === null).map((one) => one.file));
      const steps = fine.map((one) => ({ ...EMPTY_STEP, kind: "put-file" as const, address: pathOf(one), content: one.text ?? "", digest: digests.get(one.file) ?? "" }));
      await edits.add(steps, steps.length === 1 ? `Put ${steps[0]?.address ?? ""}` : `Put ${String(steps.length)} files`);
    },
    onSuccess: onClose,
  });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>Put {files.length === 1 ? "a file" : `${String(files.length)} files`} into the change</DialogTitle>
      <DialogContent>
        <TextField label="Folder on the server" value={into} onChange={(event) => { setInto(event.target.value); }} fullWidth sx={{ mt: 1, mb: 1 }} />
        <ProblemNote error={read.error ?? put.error} />
        {files.length > MOST_DROPPED && <Alert severity="warning" variant="outlined" sx={{ mb: 1 }}>More than {MOST_DROPPED} files were dropped; only the first are listed. Drop a folder further down.</Alert>}
        <Table>
          <TableBody>
            {read.data?.map((one) => (
              <TableRow key={one.name}>
                <TableCell><Mono>{pathOf(one)}</Mono></TableCell>
                <TableCell>
                  {one.refused ? <Box component="span" sx={{ color: "error.main" }}>{one.refused}</Box> : <KindMark kind={present.has(pathOf(one)) ? "replace" : "added"} />}
                </TableCell>
                <TableCell align="right">{one.file.size.toLocaleString()} bytes</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        {fine.some((one) => present.has(pathOf(one))) && <Alert severity="info" variant="outlined" sx={{ mt: 1 }}>A file that is there already gets the dropped content. To merge a snippet into it instead, open it and paste the snippet.</Alert>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={fine.length === 0 || edits.isBusy || put.isPending} onClick={() => { put.mutate(); }}>
          {put.isPending ? "Sending …" : fine.length === files.length ? "Put" : `Put ${String(fine.length)} of ${String(files.length)}`}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

async function dropped({ path: name, file }: DroppedFile): Promise<Dropped> {
  if (file.size > LARGEST) return { name, file, text: null, refused: `larger than ${(LARGEST / 1_000_000).toFixed()} MB` };
  if (file.size > LARGEST_TEXT) return { name, file, text: null, refused: "" };
  try {
    const text = new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }).decode(await file.arrayBuffer());
    return { name, file, text: text.includes("\0") ? null : text, refused: "" };
  } catch {
    return { name, file, text: null, refused: "" };
  }
}

/** Send the bytes of files, some at a time; the digest of each, by which a step names it. */
async function sent(files: readonly File[]): Promise<Map<File, string>> {
  const digests = new Map<File, string>();
  const left = [...files];
  while (left.length > 0) {
    const part: File[] = [];
    for (let weight = 0; left[0] && (part.length === 0 || weight + left[0].size <= SENT_AT_ONCE) && part.length < 200; ) {
      weight += left[0].size;
      part.push(left.shift() as File);
    }
    const form = new FormData();
    for (const file of part) form.append("files", file);
    const stored = await answer(api.POST("/api/v1/contents", { body: { files: [] }, bodySerializer: () => form }));
    part.forEach((file, index) => { digests.set(file, stored[index]?.digest ?? ""); });
  }
  return digests;
}
