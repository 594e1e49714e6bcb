import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { useMe } from "../../shared/useMe";

type Person = Schemas["PersonOut"];
type Asked = { what: "add" } | { what: "places" | "password" | "remove"; person: Person };

/** Who may sign in: admins, and helpers with the places that they may change. Admins add, edit and remove them here. */
export function People() {
  const me = useMe();
  const people = useQuery({ queryKey: ["people"], queryFn: () => answer(api.GET("/api/v1/people")) });
  const [asked, setAsked] = useState<Asked | null>(null);
  const isAdmin = me.data?.role === "admin";
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }}>
      <Typography variant="h2" gutterBottom>People</Typography>
      <Typography color="text.secondary" gutterBottom>
        An admin may do everything. A helper sees everything and prepares any change; what they deploy or queue has to stay at their places.
      </Typography>
      <ProblemNote error={people.error} />
      <Box sx={{ overflowX: "auto" }}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Name</TableCell>
              <TableCell>Role</TableCell>
              <TableCell>May change</TableCell>
              <TableCell component="td" />
            </TableRow>
          </TableHead>
          <TableBody>
            {people.data?.map((person) => (
              <TableRow key={person.name} hover>
                <TableCell sx={{ overflowWrap: "anywhere" }}>{person.name}{person.name === me.data?.name && " (you)"}</TableCell>
                <TableCell>{person.role === "admin" ? "Admin" : "Helper"}</TableCell>
                <TableCell sx={{ overflowWrap: "anywhere" }}><Places person={person} /></TableCell>
                <TableCell align="right" sx={{ whiteSpace: "nowrap" }}>
                  {isAdmin && person.role === "helper" && <Button onClick={() => { setAsked({ what: "places", person }); }}>Places …</Button>}
                  {isAdmin && person.name !== me.data?.name && (
                    <>
                      <Button onClick={() => { setAsked({ what: "password", person }); }}>Password …</Button>
                      <Button onClick={() => { setAsked({ what: "remove", person }); }}>Remove …</Button>
                    </>
                  )}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Box>
      {isAdmin && <Button variant="outlined" sx={{ mt: 1 }} onClick={() => { setAsked({ what: "add" }); }}>Add someone …</Button>}
      {asked && <PersonDialog asked={asked} onClose={() => { setAsked(null); }} />}
    </Paper>
  );
}

function Places({ person }: { person: Person }) {
  if (person.role === "admin") return "everything";
  if (person.may_change.length === 0) return "nothing; prepares changes for an admin";
  return person.may_change.map((place) => <Box key={place}><Mono>{place}</Mono></Box>);
}

const TITLES = { add: "Add someone", places: "Places of", password: "Another password for", remove: "Remove" };

function PersonDialog({ asked, onClose }: { asked: Asked; onClose: () => void }) {
  const queries = useQueryClient();
  const person = asked.what === "add" ? null : asked.person;
  const [name, setName] = useState("");
  const [role, setRole] = useState<"helper" | "admin">("helper");
  const [places, setPlaces] = useState(person?.may_change.join("\n") ?? "");
  const [password, setPassword] = useState("");
  const listed = places.split("\n").map((line) => line.trim()).filter((line) => line !== "");
  const path = { name: person?.name ?? "" };
  const save = useMutation({
    mutationFn: async () => {
      if (asked.what === "add") {
        await answer(api.POST("/api/v1/people", { body: { name, password, role, may_change: role === "helper" ? listed : [] } }));
      } else if (asked.what === "remove") {
        await answer(api.DELETE("/api/v1/people/{name}", { params: { path } }));
      } else {
        const body = asked.what === "places" ? { may_change: listed } : { password };
        await answer(api.PATCH("/api/v1/people/{name}", { params: { path }, body }));
      }
    },
    onSuccess: () => { onClose(); return queries.invalidateQueries({ queryKey: ["people"] }); },
  });
  const asksPassword = asked.what === "add" || asked.what === "password";
  const asksPlaces = asked.what === "places" || (asked.what === "add" && role === "helper");
  const isReady = (asked.what !== "add" || name.trim() !== "") && (!asksPassword || password.length >= 8);
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <form onSubmit={(event) => { event.preventDefault(); save.mutate(); }}>
        <DialogTitle>{TITLES[asked.what]} {person?.name}</DialogTitle>
        <DialogContent sx={{ display: "flex", flexDirection: "column", gap: 1.5 }}>
          <ProblemNote error={save.error} />
          {asked.what === "add" && (
            <>
              <TextField label="Name" value={name} autoFocus sx={{ mt: 1 }} onChange={(event) => { setName(event.target.value); }} />
              <TextField select label="Role" value={role} onChange={(event) => { setRole(event.target.value as "helper" | "admin"); }}>
                <MenuItem value="helper">Helper</MenuItem>
                <MenuItem value="admin">Admin</MenuItem>
              </TextField>
            </>
          )}
          {asksPlaces && (
            <TextField
              label="Places that they may change, one in a line"
              multiline
              minRows={3}
              sx={{ mt: 1 }}
              value={places}
              onChange={(event) => { setPlaces(event.target.value); }}
              helperText="Addresses and patterns, such as events.yml, stalls/*.xml#ware[kind=cloth]/price or reef:world.ini#Sky. Without any, an admin deploys their changes."
              slotProps={{ htmlInput: { spellCheck: false } }}
            />
          )}
          {asksPassword && (
            <TextField label="Password" type="password" autoComplete="new-password" sx={{ mt: 1 }} value={password} onChange={(event) => { setPassword(event.target.value); }} helperText="At least 8 characters. They can change it on this page." />
          )}
          {asked.what === "password" && <Alert severity="info">All their sessions and tokens end.</Alert>}
          {asked.what === "remove" && <Alert severity="warning">They may not sign in any more. What they did stays.</Alert>}
        </DialogContent>
        <DialogActions>
          <Button color="inherit" onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={!isReady || save.isPending}>{asked.what === "add" ? "Add" : asked.what === "remove" ? "Remove" : "Save"}</Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
