import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { MONO } from "../../theme";

/** What the change means for the players: read it over, edit it, copy it. */
export function PlayerNotes({ change }: { change: Schemas["ChangeDetail"] }) {
  const [edited, setEdited] = useState<string | null>(null);
  const [isCopied, setCopied] = useState(false);
  const found = useQuery({
    queryKey: ["change", change.id, "player-notes"],
    queryFn: () => answer(api.GET("/api/v1/changes/{change_id}/player-notes", { params: { path: { change_id: change.id } } })),
  });
  const text = edited ?? found.data?.text ?? "";
  return (
    <Paper component="section" aria-label="Notes for players" sx={{ p: 1.5 }}>
      <Typography variant="h2" gutterBottom>Notes for players</Typography>
      <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>Made from what differs. Read it over before you post it; what you edit here is not saved.</Typography>
      <ProblemNote error={found.error} />
      <TextField
        label="Text of the notes"
        multiline
        fullWidth
        minRows={6}
        maxRows={24}
        value={text}
        onChange={(event) => { setEdited(event.target.value); setCopied(false); }}
        slotProps={{ htmlInput: { style: { fontFamily: MONO, fontSize: 12.5 } } }}
      />
      <Box sx={{ display: "flex", gap: 1, mt: 1, alignItems: "center" }} role="status">
        <Button variant="outlined" onClick={() => { void navigator.clipboard.writeText(text).then(() => { setCopied(true); }); }}>Copy</Button>
        {edited !== null && <Button color="inherit" onClick={() => { setEdited(null); }}>Begin again</Button>}
        {isCopied && "Copied."}
      </Box>
    </Paper>
  );
}
