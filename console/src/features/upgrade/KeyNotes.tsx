import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";

import type { Schemas } from "../../api/client";
import { Mono } from "../../shared/Mono";

/** Keys that another version has more or less, each with its value and its comment. */
export function KeyNotes({ title, notes }: { title: string; notes: readonly Schemas["KeyNoteOut"][] }) {
  if (notes.length === 0) return null;
  return (
    <Paper sx={{ p: 1.5 }}>
      <Typography variant="h2" gutterBottom>{title}</Typography>
      {notes.map((note) => (
        <Box key={note.address} sx={{ py: 0.25, display: "grid", gridTemplateColumns: "minmax(260px, 2fr) minmax(120px, 2fr) 3fr", gap: 1.5, alignItems: "baseline" }}>
          <Mono>{note.address}</Mono>
          <Mono>{note.value.length > 90 ? `${note.value.slice(0, 90)} …` : note.value}</Mono>
          <Typography variant="body2" color="text.secondary">{note.comment}</Typography>
        </Box>
      ))}
    </Paper>
  );
}
