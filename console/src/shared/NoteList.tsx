import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { askAgain } from "../api/askAgain";
import { answer, api, type Schemas } from "../api/client";
import { Mono } from "./Mono";
import { ProblemNote } from "./ProblemNote";
import { when } from "./when";
import { useMe } from "./useMe";

interface Props {
  notes: readonly Schemas["NoteOut"][];
  /** What is written goes there. */
  onWrite: (text: string) => Promise<unknown>;
  label: string;
  button: string;
  withAddresses?: boolean;
  /** Each note can be put into the gamebook. */
  canKeep?: boolean;
}

/** What people wrote beside a place, and a field to write more. */
export function NoteList({ notes, onWrite, label, button, withAddresses = false, canKeep = false }: Props) {
  const [text, setText] = useState("");
  const queries = useQueryClient();
  const me = useMe();
  const write = useMutation({
    mutationFn: () => onWrite(text),
    onSuccess: async () => {
      setText("");
      await askAgain(queries);
    },
  });
  const remove = useMutation({
    mutationFn: (id: number) => answer(api.DELETE("/api/v1/notes/{note_id}", { params: { path: { note_id: id } } })),
    onSuccess: () => askAgain(queries),
  });
  const keep = useMutation({
    mutationFn: (id: number) => answer(api.POST("/api/v1/notes/{note_id}/decision", { params: { path: { note_id: id } }, body: { dry_run: false } })),
    onSuccess: () => askAgain(queries),
  });
  return (
    <Box>
      {notes.map((note) => (
        <Box key={note.id} sx={{ mb: 0.75 }}>
          {withAddresses && note.address && <Box sx={{ fontSize: 12 }}><Mono>{note.address}</Mono></Box>}
          <Box sx={{ whiteSpace: "pre-wrap", overflowWrap: "anywhere" }}>{note.text}</Box>
          <Box sx={{ color: "text.secondary", fontSize: 11.5 }}>
            {note.author}, {when(note.created_at)}
            {me.data?.name === note.author && <Button size="small" color="inherit" sx={{ py: 0, ml: 0.5, minWidth: 0 }} disabled={remove.isPending} onClick={() => { remove.mutate(note.id); }}>Remove</Button>}
            {canKeep && keep.isSuccess && keep.variables === note.id && " · It is in the gamebook now."}
            {canKeep && !(keep.isSuccess && keep.variables === note.id) && <Button size="small" color="inherit" sx={{ py: 0, ml: 0.5, minWidth: 0 }} disabled={keep.isPending} title="Whoever changes the value is told it, on every server with this gamebook" onClick={() => { keep.mutate(note.id); }}>Into the gamebook</Button>}
          </Box>
        </Box>
      ))}
      <Box component="form" sx={{ display: "flex", gap: 0.75, alignItems: "flex-start" }} onSubmit={(event) => { event.preventDefault(); write.mutate(); }}>
        <TextField label={label} multiline maxRows={6} value={text} onChange={(event) => { setText(event.target.value); }} sx={{ flex: 1, minWidth: 0 }} />
        <Button type="submit" variant="outlined" disabled={!text.trim() || write.isPending}>{button}</Button>
      </Box>
      <ProblemNote error={write.error ?? remove.error ?? keep.error} />
    </Box>
  );
}
