import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { NoteList } from "../../shared/NoteList";
import { ProblemNote } from "../../shared/ProblemNote";

/** What people say of a change: of a place in it, or of the change as a whole. */
export function Comments({ change }: { change: Schemas["ChangeDetail"] }) {
  const [address, setAddress] = useState("");
  const params = { path: { change_id: change.id } };
  const found = useQuery({ queryKey: ["comments", change.id], queryFn: () => answer(api.GET("/api/v1/changes/{change_id}/comments", { params })) });
  const places = [...new Set(change.step_list.map((step) => step.address))];
  return (
    <Paper component="section" aria-label="Comments" sx={{ p: 1.5, mb: 1.5 }}>
      <Typography variant="h2" gutterBottom>Comments</Typography>
      <ProblemNote error={found.error} />
      {found.data?.length === 0 && <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>No one has said anything yet.</Typography>}
      <Box sx={{ mb: 1 }}>
        <Autocomplete freeSolo options={places} inputValue={address} onInputChange={(_, value) => { setAddress(value); }} renderInput={(input) => <TextField {...input} label="About the place (empty: the complete change)" />} />
      </Box>
      <NoteList
        notes={found.data ?? []}
        withAddresses
        label="Comment"
        button="Write"
        onWrite={(text) => answer(api.POST("/api/v1/changes/{change_id}/comments", { params, body: { address, text } }))}
      />
    </Paper>
  );
}
