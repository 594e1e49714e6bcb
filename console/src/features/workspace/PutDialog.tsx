import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { EMPTY_STEP, type Schemas } from "../../api/client";
import { counted } from "../../shared/DifferenceTable";
import { KindMark } from "../../shared/KindMark";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { type Dropped, type DroppedFile, droppedFolder, MOST_DROPPED } from "./droppedFiles";
import { sentContents } from "./sentContents";
import type { Edits } from "./useEdits";

interface Props {
  list: Dropped;
  folder: string;
  /** Paths of the server's files. */
  present: ReadonlySet<string>;
  edits: Edits;
  onClose: () => void;
}

const LARGEST = 64_000_000; // bytes of a file that the service keeps
const LARGEST_TEXT = 4_000_000; // bytes that a step holds itself
const MOST_LISTED = 100;

interface Read {
  name: string;
  file: File;
  /** Null where it is not text: its bytes are sent apart from the step. */
  text: string | null;
  /** Why it cannot be put; empty where it can. */
  refused: string;
}

/** What was dropped, and what it becomes: new files, or new content of those that are there. One folder is one step. */
export function PutDialog({ list, folder, present, edits, onClose }: Props) {
  const [into, setInto] = useState(folder.replace(/\/$/, ""));
  const [replacesAll, setReplacesAll] = useState(false);
  const [sent, setSent] = useState("");
  const top = droppedFolder(list);
  const { files } = list;
  const read = useQuery({
    queryKey: ["dropped", files.map(({ path, file }) => [path, file.size, file.lastModified])],
    queryFn: () => Promise.all(files.map((one) => readFile(one, top !== ""))),
    gcTime: 0,
  });
  const below = (name: string) => (into.trim() ? `${into.trim().replace(/\/+$/, "")}/${name}` : name);
  const fine = read.data?.filter((one) => one.refused === "") ?? [];
  const gone = top && replacesAll ? [...present].filter((path) => path.startsWith(`${below(top)}/`) && !fine.some((one) => below(one.name) === path)) : [];
  const say = (done: number, of: number) => { setSent(`${(done / 1_000_000).toFixed(1)} of ${(of / 1_000_000).toFixed(1)} MB`); };
  const put = useMutation({
    mutationFn: async () => {
      const digests = await sentContents(fine.filter((one) => one.text === null).map((one) => one.file), say);
      const steps = top ? [folderStep(top, below(top), fine, list.folders, digests, replacesAll)] : fine.map((one) => fileStep(below(one.name), one, digests));
      await edits.add(steps, steps.length === 1 ? `Put ${steps[0]?.address ?? ""}` : `Put ${String(steps.length)} files`);
    },
    onSuccess: onClose,
  });
  const isNothing = fine.length === 0 && list.folders.length === 0;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>{top ? <>Put the folder <Mono>{top}</Mono> into the change</> : `Put ${files.length === 1 ? "a file" : `${String(files.length)} files`} into the change`}</DialogTitle>
      <DialogContent>
        <TextField label="Folder on the server" value={into} onChange={(event) => { setInto(event.target.value); }} fullWidth sx={{ mt: 1, mb: 1 }} />
        <ProblemNote error={read.error ?? put.error} />
        {files.length > MOST_DROPPED && <Alert severity="warning" variant="outlined" sx={{ mb: 1 }}>More than {MOST_DROPPED.toLocaleString()} files were dropped; no more are taken at once. Drop a folder further down.</Alert>}
        {top && (
          <>
            <Typography variant="body2">
              {counted(fine.length, "file", "files")}, {(fine.reduce((sum, one) => sum + one.file.size, 0) / 1_000_000).toFixed(1)} MB
              {list.folders.length > 0 && `, ${counted(list.folders.length, "empty folder", "empty folders")}`}. It becomes <Mono>{below(top)}</Mono>, as one step.
            </Typography>
            <FormControlLabel
              control={<Checkbox checked={replacesAll} onChange={(event) => { setReplacesAll(event.target.checked); }} />}
              label={replacesAll ? `Remove what else is in it on the server: ${counted(gone.length, "file", "files")}` : "Remove what else is in it on the server"}
            />
          </>
        )}
        <Table>
          <TableBody>
            {gone.slice(0, MOST_LISTED).map((path) => (
              <TableRow key={path}>
                <TableCell><Mono>{path}</Mono></TableCell>
                <TableCell><KindMark kind="removed" /></TableCell>
                <TableCell />
              </TableRow>
            ))}
            {read.data?.slice(0, MOST_LISTED).map((one) => (
              <TableRow key={one.name}>
                <TableCell><Mono>{below(one.name)}</Mono></TableCell>
                <TableCell>
                  {one.refused ? <Box component="span" sx={{ color: "error.main" }}>{one.refused}</Box> : <KindMark kind={present.has(below(one.name)) ? "replace" : "added"} />}
                </TableCell>
                <TableCell align="right">{one.file.size.toLocaleString()} bytes</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        {files.length > MOST_LISTED && <Typography variant="body2">and {(files.length - MOST_LISTED).toLocaleString()} more</Typography>}
        {fine.some((one) => present.has(below(one.name))) && <Alert severity="info" variant="outlined" sx={{ mt: 1 }}>A file that is there already gets the dropped content. To merge a snippet into it instead, open it and paste the snippet.</Alert>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={isNothing || files.length > MOST_DROPPED || edits.isBusy || put.isPending} onClick={() => { put.mutate(); }}>
          {put.isPending ? `Sending ${sent} …` : fine.length === files.length ? "Put" : `Put ${String(fine.length)} of ${String(files.length)}`}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

function fileStep(path: string, one: Read, digests: ReadonlyMap<File, string>): Schemas["StepIn"] {
  return { ...EMPTY_STEP, kind: "put-file", address: path, content: one.text ?? "", digest: digests.get(one.file) ?? "" };
}

function folderStep(top: string, path: string, files: readonly Read[], empty: readonly string[], digests: ReadonlyMap<File, string>, replacesAll: boolean): Schemas["StepIn"] {
  const inside = (name: string) => name.slice(top.length + 1);
  const found = Object.fromEntries(files.map((one) => [inside(one.name), digests.get(one.file) ?? ""]));
  const folders = empty.map(inside).filter(Boolean);
  if (files.length === 0 && folders.length === 0) return { ...EMPTY_STEP, kind: "add-folder", address: path };
  return { ...EMPTY_STEP, kind: "put-folder", address: path, files: found, folders, replace_all: replacesAll };
}

/** `isSent`: also text is sent as bytes, as all files of a folder are. */
async function readFile({ path: name, file }: DroppedFile, isSent: boolean): Promise<Read> {
  if (file.size > LARGEST) return { name, file, text: null, refused: `larger than ${(LARGEST / 1_000_000).toFixed()} MB` };
  if (isSent || file.size > LARGEST_TEXT) return { name, file, text: null, refused: "" };
  try {
    const text = new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }).decode(await file.arrayBuffer());
    return { name, file, text: text.includes("\0") ? null : text, refused: "" };
  } catch {
    return { name, file, text: null, refused: "" };
  }
}
