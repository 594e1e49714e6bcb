import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { when } from "../../shared/when";
import { NeedsAttention } from "./NeedsAttention";

/** All servers at a glance: does the game run, what is kept, what is open. */
export function OverviewPage() {
  const servers = useQuery({ queryKey: ["servers"], queryFn: () => answer(api.GET("/api/v1/servers")) });
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center", mb: 1 }}>
        <Typography variant="h1" sx={{ flex: 1 }}>
          Servers
        </Typography>
        <Button variant="contained" component={RouterLink} to="/add-server">
          Add a server
        </Button>
      </Box>
      <ProblemNote error={servers.error} />
      <NeedsAttention />
      {servers.data?.length === 0 && (
        <Paper sx={{ p: 3 }}>
          <Typography>No servers yet. Add the first one; you are led from the connection to a first report.</Typography>
        </Paper>
      )}
      {servers.isLoading && <Loading />}
      {servers.data && servers.data.length > 0 && (
        <Paper sx={{ overflowX: "auto" }}>
          <Table>
            <TableHead>
              <TableRow>
                {["Server", "Game", "Last run", "Last snapshot", "Files", "Defaults", "Open changes", "Pending", "Connection"].map((head) => (
                  <TableCell key={head} align={["Files", "Open changes", "Pending"].includes(head) ? "right" : "left"} title={head === "Pending" ? "Deployed values that wait before they take effect" : undefined}>{head}</TableCell>
                ))}
              </TableRow>
            </TableHead>
            <TableBody>
              {servers.data.map((server) => (
                <ServerRow key={server.id} server={server} />
              ))}
            </TableBody>
          </Table>
        </Paper>
      )}
    </>
  );
}

/** The control's word for the state of a game, as the console says it. */
const GAME_WORDS: Record<string, string> = { running: "runs" };

function ServerRow({ server }: { server: Schemas["ServerOut"] }) {
  const state = useQuery({
    queryKey: ["servers", server.id, "state"],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/state", { params: { path: { server_id: server.id } } })),
    refetchInterval: 15_000,
  });
  const place = placeOf(server.connection);
  return (
    <TableRow hover>
      <TableCell>
        <Link component={RouterLink} to={`/servers/${server.id}`} sx={{ fontWeight: 600 }}>
          {server.title}
        </Link>
        <Box component="span" sx={{ color: "text.secondary", ml: { sm: 1 }, display: { xs: "block", sm: "inline" }, whiteSpace: "nowrap" }}>
          <Mono>{server.id}</Mono>
        </Box>
      </TableCell>
      <TableCell>
        <KindMark kind={state.error ? "no answer" : (GAME_WORDS[state.data?.state ?? ""] ?? state.data?.state ?? "asking")} />
        {state.data?.players != null && <Box component="span" sx={{ color: "text.secondary", whiteSpace: "nowrap" }}> {state.data.players.toLocaleString()} {state.data.players === 1 ? "player" : "players"}</Box>}
      </TableCell>
      <TableCell><LastRun server={server} /></TableCell>
      <TableCell>{server.last_snapshot ? `${String(server.last_snapshot.id)} · ${when(server.last_snapshot.taken_at)}` : "never fetched"}</TableCell>
      <TableCell align="right">{server.files}</TableCell>
      <TableCell>{server.defaults.join(", ") || "none"}</TableCell>
      <TableCell align="right">{server.open_changes}</TableCell>
      <TableCell align="right">{server.pending || ""}</TableCell>
      <TableCell sx={{ maxWidth: 260 }}><Mono>{place}</Mono></TableCell>
    </TableRow>
  );
}

/** How a server is reached, in a few words. */
function placeOf(connection: Schemas["ServerOut"]["connection"]): string {
  if ("host" in connection) return `${connection.kind.toUpperCase()} ${connection.host}:${String(connection.port)}`;
  return "folder" in connection ? `folder ${connection.folder.split("/").slice(-2).join("/")}` : connection.kind;
}

function LastRun({ server }: { server: Schemas["ServerOut"] }) {
  const run = server.last_run;
  if (!run) return <Box component="span" sx={{ color: "text.secondary" }}>none yet</Box>;
  const [change] = run.changes;
  const what = change === undefined ? (run.target === null ? "restart" : `to snapshot ${String(run.target)}`) : `change ${run.changes.join(", ")}`;
  return (
    <Link component={RouterLink} to={change === undefined ? `/servers/${server.id}/timeline` : `/changes/${String(change)}`} color="inherit" underline="hover">
      <KindMark kind={run.result} /> {what}
    </Link>
  );
}
