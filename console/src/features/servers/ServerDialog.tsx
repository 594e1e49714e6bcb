import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";

const EMPTY = { id: "", title: "", gamebook: "", kind: "ftp", host: "127.0.0.1", port: "21", user: "", password: "", folder: "/", url: "", token: "" };
type Sheet = typeof EMPTY;

const QUESTIONS: readonly { field: keyof Sheet; label: string; help?: string; only?: "ftp"; secret?: boolean }[] = [
  { field: "id", label: "Server id", help: "Small letters, digits and hyphens, such as coral-gate" },
  { field: "title", label: "Title" },
  { field: "host", label: "FTP host", only: "ftp" },
  { field: "port", label: "FTP port", only: "ftp" },
  { field: "user", label: "FTP user", only: "ftp" },
  { field: "password", label: "FTP password", only: "ftp", secret: true },
  { field: "folder", label: "Folder of the game" },
  { field: "url", label: "Address of the control", help: "Answers state, stop and start, such as https://host/coral-gate" },
  { field: "token", label: "Token of the control", secret: true },
];

function serverOf(sheet: Sheet): Schemas["ServerIn"] {
  const link: Schemas["ServerIn"]["link"] =
    sheet.kind === "ftp"
      ? { kind: "ftp", host: sheet.host, port: Number(sheet.port), user: sheet.user, password: sheet.password, folder: sheet.folder || "/" }
      : { kind: "folder", folder: sheet.folder };
  return {
    id: sheet.id,
    title: sheet.title,
    gamebook: sheet.gamebook || null,
    link,
    control: { kind: "http", url: sheet.url, token: sheet.token },
  };
}

/** The settings of a server as a sheet; its secrets are not known here. */
function sheetOf(server: Schemas["ServerOut"]): Sheet {
  const { link, control } = server;
  const text = (value: unknown) => (value === undefined || value === null ? "" : String(value));
  return {
    ...EMPTY,
    id: server.id,
    title: server.title,
    gamebook: server.gamebook ?? "",
    kind: text(link["kind"]),
    host: text(link["host"]),
    port: text(link["port"]),
    user: text(link["user"]),
    folder: text(link["folder"]),
    url: text(control["url"]),
  };
}

/** How a server's files are reached, and how its game is stopped and started: of a new one, or of one that is known. */
export function ServerDialog({ server, onClose }: { server?: Schemas["ServerOut"]; onClose: () => void }) {
  const [sheet, setSheet] = useState(server ? sheetOf(server) : EMPTY);
  const navigate = useNavigate();
  const queries = useQueryClient();
  const gamebooks = useQuery({ queryKey: ["gamebooks"], queryFn: () => answer(api.GET("/api/v1/gamebooks")) });
  const keep = useMutation({
    mutationFn: () =>
      answer(
        server
          ? api.PUT("/api/v1/servers/{server_id}", { params: { path: { server_id: server.id } }, body: serverOf(sheet) })
          : api.POST("/api/v1/servers", { body: serverOf(sheet) }),
      ),
    onSuccess: async (kept) => {
      await queries.invalidateQueries();
      if (server) onClose();
      else await navigate(`/servers/${kept.id}`);
    },
  });
  const set = (field: keyof Sheet) => (event: { target: { value: string } }) => {
    setSheet({ ...sheet, [field]: event.target.value });
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          keep.mutate();
        }}
      >
        <DialogTitle>{server ? `Settings of ${server.id}` : "Add a server"}</DialogTitle>
        <DialogContent sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "1fr 1fr", pt: "8px !important" }}>
          <TextField select label="Files are reached by" value={sheet.kind} onChange={set("kind")}>
            <MenuItem value="ftp">FTP</MenuItem>
            <MenuItem value="folder">A folder on this machine</MenuItem>
          </TextField>
          <TextField select label="Gamebook" value={sheet.gamebook} onChange={set("gamebook")}>
            <MenuItem value="">None</MenuItem>
            {gamebooks.data?.map((book) => (
              <MenuItem key={book.name} value={book.name}>
                {book.name}
              </MenuItem>
            ))}
          </TextField>
          {QUESTIONS.filter((question) => (!question.only || question.only === sheet.kind) && !(server && question.field === "id")).map((question) => (
            <TextField
              key={question.field}
              label={question.label}
              helperText={question.secret && server ? "Left empty, the one that is kept stays" : question.help}
              type={question.secret ? "password" : "text"}
              value={sheet[question.field]}
              onChange={set(question.field)}
              autoComplete="off"
            />
          ))}
          {sheet.kind === "ftp" && (
            <Typography variant="body2" color="text.secondary" sx={{ gridColumn: "1 / -1" }}>
              FTP sends the password and all files in clear text; use it only where the host offers nothing better.
            </Typography>
          )}
          <div style={{ gridColumn: "1 / -1" }}>
            <ProblemNote error={keep.error} />
          </div>
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={keep.isPending}>
            {server ? "Keep" : "Add server"}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
