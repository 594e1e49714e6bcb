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
import { useState } from "react";
import { Link as RouterLink } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { SwitchDialog, type Asked } from "./SwitchDialog";

type Bundle = Schemas["ServerBundleOut"];

/** Which plugins, mods, maps and packs a server has, and which of them are on. */
export function ServerBundles({ server, onLook }: { server: Schemas["ServerOut"]; onLook: (bundle: number) => void }) {
  const [asked, setAsked] = useState<Asked | null>(null);
  const found = useQuery({
    queryKey: ["bundles", server.id, server.last_snapshot?.id, server.gamebook],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/bundles", { params: { path: { server_id: server.id } } })),
    enabled: server.last_snapshot !== null,
  });
  return (
    <Paper sx={{ p: 1.5, overflowX: "auto" }} component="section" aria-label="On this server">
      <Typography variant="h2" gutterBottom>On this server</Typography>
      <ProblemNote error={found.error} />
      {found.isLoading && <Loading lines={4} />}
      {server.last_snapshot === null && <Typography variant="body2">Fetch the files first; then its plugins, mods and maps are listed here.</Typography>}
      {found.data?.length === 0 && (
        <Typography variant="body2">
          The gamebook names no kind of bundle that is on this server. Add <Mono>bundles</Mono> to{" "}
          <Link component={RouterLink} to={`/servers/${server.id}/gamebook`}>the gamebook</Link>, and plugins, mods and maps are listed here.
        </Typography>
      )}
      {found.data && found.data.length > 0 && (
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Name</TableCell>
              <TableCell>Kind</TableCell>
              <TableCell>Version</TableCell>
              <TableCell>State</TableCell>
              <TableCell align="right">Place</TableCell>
              <TableCell>Needs</TableCell>
              <TableCell>Files</TableCell>
              <TableCell>Last start</TableCell>
              <TableCell component="td" />
            </TableRow>
          </TableHead>
          <TableBody>
            {found.data.map((one) => <BundleRow key={`${one.kind} ${one.name}`} server={server} bundle={one} onAsk={setAsked} onLook={onLook} />)}
          </TableBody>
        </Table>
      )}
      {asked && <SwitchDialog key={`${asked.act} ${asked.name}`} server={server} asked={asked} onClose={() => { setAsked(null); }} />}
    </Paper>
  );
}

function BundleRow({ server, bundle, onAsk, onLook }: { server: Schemas["ServerOut"]; bundle: Bundle; onAsk: (asked: Asked) => void; onLook: (bundle: number) => void }) {
  const named = { name: bundle.name, kind: bundle.kind };
  const newer = bundle.newer_kept;
  return (
    <TableRow hover>
      <TableCell>
        <Box sx={{ fontWeight: 600 }}>{bundle.title || bundle.name}</Box>
        {bundle.title && bundle.title !== bundle.name && <Box sx={{ fontSize: 12, color: "text.secondary" }}>{bundle.name}</Box>}
      </TableCell>
      <TableCell>{bundle.kind}</TableCell>
      <TableCell sx={{ whiteSpace: "nowrap" }}>
        {bundle.version}
        {newer !== null && <Button size="small" sx={{ ml: 0.5, py: 0 }} onClick={() => { onLook(newer); }}>Upgrade to {bundle.newer_version}</Button>}
        {Object.entries(bundle.newer_on).map(([other, version]) => <Box key={other} sx={{ fontSize: 12, color: "text.secondary" }}>{version} is on {other}</Box>)}
      </TableCell>
      <TableCell>
        <KindMark kind={bundle.state} />
        {bundle.doubt && <Box sx={{ fontSize: 12, color: "text.secondary", maxWidth: 260 }}>{bundle.doubt}</Box>}
        {bundle.reload && bundle.state === "on" && <Box sx={{ fontSize: 12, color: "text.secondary", maxWidth: 260 }}>reload with <Mono>{bundle.reload}</Mono></Box>}
      </TableCell>
      <TableCell align="right">{bundle.place ?? ""}</TableCell>
      <TableCell sx={{ maxWidth: 160 }}>{bundle.needs.join(", ")}</TableCell>
      <TableCell sx={{ whiteSpace: "nowrap" }}>
        {bundle.files.length.toLocaleString()}
        <Box component="span" title={bundle.edited?.join(", ")} sx={{ color: "text.secondary", ml: 0.75 }}>{editedWords(bundle.edited)}</Box>
      </TableCell>
      <TableCell>{bundle.is_loaded === null ? "" : bundle.is_loaded ? <KindMark kind="loaded" /> : bundle.state === "on" ? <KindMark kind="not loaded" /> : ""}</TableCell>
      <TableCell align="right" sx={{ whiteSpace: "nowrap" }}>
        {bundle.state !== "on" && <Button size="small" onClick={() => { onAsk({ ...named, act: "on" }); }} aria-label={`Switch on ${bundle.name}`}>Switch on</Button>}
        {bundle.state !== "off" && <Button size="small" onClick={() => { onAsk({ ...named, act: "off" }); }} aria-label={`Switch off ${bundle.name}`}>Switch off</Button>}
        <Button size="small" color="inherit" onClick={() => { onAsk({ ...named, act: "remove" }); }} aria-label={`Remove ${bundle.name}`} title={`Remove ${bundle.name} from ${server.title}`}>Remove</Button>
      </TableCell>
    </TableRow>
  );
}

function editedWords(edited: readonly string[] | null): string {
  if (edited === null) return "";
  return edited.length > 0 ? `${String(edited.length)} edited` : "as it came";
}
