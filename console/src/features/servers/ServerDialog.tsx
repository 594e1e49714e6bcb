import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { useNavigate } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api, ApiProblem, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { SettingsFields } from "./SettingsFields";
import { CONNECTIONS, CONTROLS, MAINTENANCE, kindCalled, settingsOf, sheetOf, sheetOfSettings, type Kind, type Sheet } from "./settings";

const PARTS = [
  { which: "connection", label: "Connection", kinds: CONNECTIONS },
  { which: "control", label: "Control", kinds: CONTROLS },
] as const;

/** A server as it stands in the form. */
type Draft = { id: string; title: string; gamebook: string; connection: Part; control: Part };
type Part = { kind: Kind; sheet: Sheet; secret: string };

function part(kinds: Kind[], settings?: { kind: string }): Part {
  const kind = kindCalled(kinds, settings?.kind ?? "");
  return { kind, sheet: settings ? sheetOfSettings(kind, settings) : sheetOf(kind), secret: "" };
}

function draftOf(server?: Schemas["ServerOut"]): Draft {
  return {
    id: server?.id ?? "",
    title: server?.title ?? "",
    gamebook: server?.gamebook ?? "",
    connection: part(CONNECTIONS, server?.connection),
    control: part(CONTROLS, server?.control),
  };
}

function serverOf(draft: Draft, known: Schemas["ServerOut"] | undefined): Schemas["ServerIn"] {
  const { connection, control } = draft;
  return {
    id: draft.id,
    title: draft.title,
    gamebook: draft.gamebook || null,
    connection: settingsOf(connection.kind, connection.sheet) as Schemas["ServerIn"]["connection"],
    connection_secret: connection.secret,
    control: settingsOf(control.kind, control.sheet) as Schemas["ServerIn"]["control"],
    control_secret: control.secret,
    maintenance: known?.maintenance ?? MAINTENANCE,
  };
}

/** How a server's files are reached, and how its game is stopped and started: of a new one, or of one that is known. */
export function ServerDialog({ server, onClose }: { server?: Schemas["ServerOut"]; onClose: () => void }) {
  const [draft, setDraft] = useState(() => draftOf(server));
  const navigate = useNavigate();
  const queries = useQueryClient();
  const gamebooks = useQuery({ queryKey: ["gamebooks"], queryFn: () => answer(api.GET("/api/v1/gamebooks")) });
  const keep = useMutation({
    mutationFn: () =>
      answer(
        server
          ? api.PUT("/api/v1/servers/{server_id}", { params: { path: { server_id: server.id } }, body: serverOf(draft, server) })
          : api.POST("/api/v1/servers", { body: serverOf(draft, undefined) }),
      ),
    onSuccess: async (kept) => {
      await askAgain(queries);
      if (server) onClose();
      else await navigate(`/servers/${kept.id}`);
    },
  });
  const shown = keep.error instanceof ApiProblem ? String(keep.error.facts["identity"] ?? "") : "";
  const choose = (which: "connection" | "control", kinds: Kind[]) => (event: { target: { value: string } }) => {
    const kind = kindCalled(kinds, event.target.value);
    setDraft({ ...draft, [which]: { ...draft[which], kind, sheet: sheetOf(kind, draft[which]) } });
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <form
        style={{ display: "flex", flexDirection: "column", minHeight: 0 }}
        onSubmit={(event) => {
          event.preventDefault();
          keep.mutate();
        }}
      >
        <DialogTitle>{server ? `Settings of ${server.id}` : "Add a server"}</DialogTitle>
        <DialogContent sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "1fr 1fr", pt: "8px !important" }}>
          {!server && (
            <TextField
              label="Server id"
              helperText="Small letters, digits and hyphens, such as my-server"
              value={draft.id}
              onChange={(event) => { setDraft({ ...draft, id: event.target.value }); }}
              autoComplete="off"
            />
          )}
          <TextField label="Title" value={draft.title} onChange={(event) => { setDraft({ ...draft, title: event.target.value }); }} autoComplete="off" />
          <TextField select label="Gamebook" value={draft.gamebook} onChange={(event) => { setDraft({ ...draft, gamebook: event.target.value }); }}>
            <MenuItem value="">None</MenuItem>
            {gamebooks.data?.map((book) => (
              <MenuItem key={book.name} value={book.name}>
                {book.name}
              </MenuItem>
            ))}
          </TextField>
          {PARTS.map(({ which, label, kinds }) => (
            <Fragment key={which}>
              <TextField select label={label} value={draft[which].kind.kind} onChange={choose(which, kinds)} sx={{ gridColumn: "1 / -1", mt: 1 }}>
                {kinds.map((kind) => (
                  <MenuItem key={kind.kind} value={kind.kind}>
                    {kind.label}
                  </MenuItem>
                ))}
              </TextField>
              <SettingsFields
                kind={draft[which].kind}
                sheet={draft[which].sheet}
                secret={draft[which].secret}
                isKnown={server !== undefined}
                onChange={(sheet) => { setDraft({ ...draft, [which]: { ...draft[which], sheet } }); }}
                onSecret={(secret) => { setDraft({ ...draft, [which]: { ...draft[which], secret } }); }}
              />
            </Fragment>
          ))}
          <div style={{ gridColumn: "1 / -1" }}>
            <ProblemNote error={keep.error} />
            {shown && (
              <Button variant="outlined" color="warning" onClick={() => { setDraft({ ...draft, connection: { ...draft.connection, sheet: { ...draft.connection.sheet, identity: shown } } }); keep.reset(); }}>
                The host says that this is right: accept it
              </Button>
            )}
          </div>
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={keep.isPending}>
            {server ? "Save" : "Add server"}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
