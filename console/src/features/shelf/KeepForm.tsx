import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { MONO } from "../../theme";

const CODE = { htmlInput: { style: { fontFamily: MONO, fontSize: 12 } } };

/** `price=40, word` as names with their usual values. */
export function parametersIn(text: string): Record<string, string> {
  const pairs = text.split(",").map((part) => part.split("=")).filter(([name]) => name?.trim());
  return Object.fromEntries(pairs.map(([name, ...value]) => [name?.trim() ?? "", value.join("=").trim()]));
}

/** Keep a snippet; with `known`, a newer text of it. */
export function KeepForm({ known }: { known?: Schemas["KeptTextOut"] }) {
  const kept = known?.snippet;
  const [name, setName] = useState(kept?.name ?? "");
  const [title, setTitle] = useState(kept?.title ?? "");
  const [origin, setOrigin] = useState(kept?.origin ?? "");
  const [path, setPath] = useState(kept?.path ?? "");
  const [into, setInto] = useState(kept?.into ?? "");
  const [text, setText] = useState(known?.text ?? "");
  const [parameters, setParameters] = useState(Object.entries(kept?.parameters ?? {}).map(([word, usual]) => (usual ? `${word}=${usual}` : word)).join(", "));
  const queries = useQueryClient();
  const save = useMutation({
    mutationFn: () =>
      answer(api.PUT("/api/v1/shelf/{name}", { params: { path: { name: name.trim() } }, body: { text, title, origin, path: path.trim(), into: into.trim(), parameters: parametersIn(parameters) } })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["shelf"] });
      if (!known) [setName, setTitle, setOrigin, setPath, setInto, setText, setParameters].forEach((clear) => { clear(""); });
    },
  });
  const field = (label: string, value: string, set: (value: string) => void, width: number, placeholder = "") => (
    <TextField label={label} value={value} placeholder={placeholder} onChange={(event) => { set(event.target.value); }} sx={{ width }} />
  );
  return (
    <Paper sx={{ p: 1.5 }} component="section" aria-label={known ? "Change it" : "Keep a snippet"}>
      <Typography variant="h2" gutterBottom>{known ? "Change it" : "Keep a snippet"}</Typography>
      <Box component="form" sx={{ display: "grid", gap: 1 }} onSubmit={(event) => { event.preventDefault(); save.mutate(); }}>
        <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
          {!known && field("Name", name, setName, 170, "cold-start")}
          {field("Title", title, setTitle, 240)}
          {field("From (web address, author)", origin, setOrigin, 260)}
          {field("For the file", path, setPath, 240, "maps/*/items.xml")}
          {field("Group in it", into, setInto, 160)}
        </Box>
        <TextField label="Text" multiline minRows={4} maxRows={16} value={text} onChange={(event) => { setText(event.target.value); }} slotProps={CODE} />
        {field("Words in braces, with usual values", parameters, setParameters, 420, "word, price=40")}
        <ProblemNote error={save.error} />
        <Box><Button type="submit" variant="contained" disabled={save.isPending || !text.trim() || !name.trim()}>{known ? "Save the newer text" : "Keep it"}</Button></Box>
      </Box>
    </Paper>
  );
}
