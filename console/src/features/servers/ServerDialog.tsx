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

import { askAgain } from "../../api/askAgain";
import { answer, api, ApiProblem, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";

const EMPTY = {
  id: "", title: "", gamebook: "",
  kind: "sftp", host: "127.0.0.1", port: "22", user: "", password: "", folder: "/", identity: "",
  control: "http", url: "", token: "", consoleHost: "127.0.0.1", consolePort: "", stopText: "", announceText: "", playersText: "", startCommand: "",
  stateCommand: "", stopCommand: "", reloadCommand: "",
};
type Sheet = typeof EMPTY;

const REMOTE = ["ftp", "ftps", "sftp"];
const PORTS: Record<string, string> = { ftp: "21", ftps: "21", sftp: "22" };

const QUESTIONS: readonly { field: keyof Sheet; label: string; help?: string; connection?: readonly string[]; control?: readonly string[]; secret?: boolean; long?: boolean }[] = [
  { field: "id", label: "Server id", help: "Small letters, digits and hyphens, such as my-server" },
  { field: "title", label: "Title" },
  { field: "host", label: "Host", connection: REMOTE },
  { field: "port", label: "Port", connection: REMOTE },
  { field: "user", label: "User", connection: REMOTE },
  { field: "password", label: "Password", connection: ["ftp", "ftps"], secret: true },
  { field: "password", label: "Password, or a private key as text", connection: ["sftp"], secret: true, long: true },
  { field: "folder", label: "Folder of the game", connection: [...REMOTE, "folder"] },
  { field: "identity", label: "Accepted certificate or key", help: "SHA256:…; of an SFTP host the first one is accepted when this is empty", connection: ["ftps", "sftp"] },
  { field: "url", label: "Address of the control", help: "Answers state, stop and start, such as https://host/my-server", control: ["http"] },
  { field: "token", label: "Token of the control", control: ["http"], secret: true },
  { field: "consoleHost", label: "Host of the console", control: ["console"] },
  { field: "consolePort", label: "Port of the console", control: ["console"] },
  { field: "token", label: "Password of the console", control: ["console"], secret: true },
  { field: "stopText", label: "What stops it", help: "Typed into the console", control: ["console"] },
  { field: "announceText", label: "What tells the players", help: "{text} becomes the announcement", control: ["console"] },
  { field: "playersText", label: "What counts the players", control: ["console"] },
  { field: "stateCommand", label: "Command: does it run?", help: "Ends with 0 when it does", control: ["commands"] },
  { field: "stopCommand", label: "Command: stop", control: ["commands"] },
  { field: "startCommand", label: "Command: start", help: "On the machine where Zerrit runs", control: ["commands", "console"] },
  { field: "reloadCommand", label: "Command: read the files again", control: ["commands"] },
];

function serverOf(sheet: Sheet, known: Schemas["ServerOut"] | undefined): Schemas["ServerIn"] {
  return {
    id: sheet.id,
    title: sheet.title,
    gamebook: sheet.gamebook || null,
    connection: connectionOf(sheet, known?.connection ?? {}),
    control: controlOf(sheet, known?.control ?? {}),
    maintenance: (known?.maintenance ?? CARE) as Schemas["Maintenance"],
  };
}

const CARE: Schemas["Maintenance"] = {
  announcement: "", crash_places: [], settle: 0, patience: 0, may_rehearse: false, must_rehearse: false,
  retention: { last: 20, daily: 14, weekly: 8, monthly: 12 },
};

function connectionOf(sheet: Sheet, known: Record<string, unknown>): Schemas["ServerIn"]["connection"] {
  if (sheet.kind === "manual") return { kind: "manual" };
  if (sheet.kind === "folder") return { kind: "folder", folder: sheet.folder };
  const remote = {
    host: sheet.host, port: Number(sheet.port), user: sheet.user, password: sheet.password, folder: sheet.folder || "/",
    parallel: Number(known["parallel"] ?? 4), old_names: (known["old_names"] ?? "cp1252") as "cp1252",
  };
  if (sheet.kind === "ftp") return { kind: "ftp", ...remote };
  return { kind: sheet.kind === "ftps" ? "ftps" : "sftp", identity: sheet.identity, ...remote };
}

function controlOf(sheet: Sheet, known: Record<string, unknown>): Schemas["ServerIn"]["control"] {
  const words = (line: string) => line.split(/\s+/).filter(Boolean);
  switch (sheet.control) {
    case "manual":
      return { kind: "manual" };
    case "console":
      return {
        kind: "console", host: sheet.consoleHost, port: Number(sheet.consolePort), password: sheet.token, start: words(sheet.startCommand),
        commands: { reload: "", ...(known["commands"] as object | undefined), stop: sheet.stopText, announce: sheet.announceText, players: sheet.playersText },
      };
    case "commands":
      return {
        kind: "commands", use_shell: known["use_shell"] === true,
        commands: {
          ...(known["kind"] === "commands" ? (known["commands"] as object) : {}),
          state: words(sheet.stateCommand), stop: words(sheet.stopCommand), start: words(sheet.startCommand), reload: words(sheet.reloadCommand),
        },
      };
    default:
      return { kind: "http", url: sheet.url, token: sheet.token };
  }
}

/** The settings of a server as a sheet; its secrets are not known here. */
function sheetOf(server: Schemas["ServerOut"]): Sheet {
  const { connection, control } = server;
  const commands = (control["commands"] ?? {}) as Record<string, unknown>;
  const text = (value: unknown) => (Array.isArray(value) ? value.join(" ") : value === undefined || value === null ? "" : String(value));
  return {
    ...EMPTY,
    id: server.id,
    title: server.title,
    gamebook: server.gamebook ?? "",
    kind: text(connection["kind"]),
    host: text(connection["host"]),
    port: text(connection["port"]),
    user: text(connection["user"]),
    folder: text(connection["folder"]),
    identity: text(connection["identity"]),
    control: text(control["kind"]),
    url: text(control["url"]),
    consoleHost: text(control["host"]),
    consolePort: text(control["port"]),
    stopText: text(commands["stop"]),
    announceText: text(commands["announce"]),
    playersText: text(commands["players"]),
    stateCommand: text(commands["state"]),
    stopCommand: text(commands["stop"]),
    startCommand: text(control["kind"] === "console" ? control["start"] : commands["start"]),
    reloadCommand: text(commands["reload"]),
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
          ? api.PUT("/api/v1/servers/{server_id}", { params: { path: { server_id: server.id } }, body: serverOf(sheet, server) })
          : api.POST("/api/v1/servers", { body: serverOf(sheet, undefined) }),
      ),
    onSuccess: async (kept) => {
      await askAgain(queries);
      if (server) onClose();
      else await navigate(`/servers/${kept.id}`);
    },
  });
  const shown = keep.error instanceof ApiProblem ? String(keep.error.facts["identity"] ?? "") : "";
  const asked = QUESTIONS.filter(
    ({ field, connection, control }) => !(server && field === "id") && (!connection || connection.includes(sheet.kind)) && (!control || control.includes(sheet.control)),
  );
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
          <TextField
            select
            label="Connection"
            value={sheet.kind}
            onChange={(event) => { setSheet({ ...sheet, kind: event.target.value, port: PORTS[event.target.value] ?? sheet.port }); }}
          >
            <MenuItem value="sftp">SFTP</MenuItem>
            <MenuItem value="ftps">FTPS (FTP inside TLS)</MenuItem>
            <MenuItem value="ftp">FTP, in clear text</MenuItem>
            <MenuItem value="folder">A folder on this machine</MenuItem>
            <MenuItem value="manual">Manual: you transfer the files</MenuItem>
          </TextField>
          <TextField select label="Control" value={sheet.control} onChange={set("control")}>
            <MenuItem value="http">An HTTP control</MenuItem>
            <MenuItem value="console">Game console</MenuItem>
            <MenuItem value="commands">Commands on this machine</MenuItem>
            <MenuItem value="manual">Manual: you stop and start it</MenuItem>
          </TextField>
          <TextField select label="Gamebook" value={sheet.gamebook} onChange={set("gamebook")}>
            <MenuItem value="">None</MenuItem>
            {gamebooks.data?.map((book) => (
              <MenuItem key={book.name} value={book.name}>
                {book.name}
              </MenuItem>
            ))}
          </TextField>
          {asked.map((question) => (
            <TextField
              key={question.label}
              multiline={question.long === true}
              label={question.label}
              helperText={question.secret && server ? "Left empty, the one that is kept stays" : question.help}
              type={question.secret && !question.long ? "password" : "text"}
              value={sheet[question.field]}
              onChange={set(question.field)}
              autoComplete="off"
            />
          ))}
          {sheet.kind === "ftp" && (
            <Typography variant="body2" color="text.secondary" sx={{ gridColumn: "1 / -1" }}>
              FTP sends the password and all files in clear text; use FTPS or SFTP where the host offers it.
            </Typography>
          )}
          <div style={{ gridColumn: "1 / -1" }}>
            <ProblemNote error={keep.error} />
            {shown && (
              <Button variant="outlined" color="warning" onClick={() => { setSheet({ ...sheet, identity: shown }); keep.reset(); }}>
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
