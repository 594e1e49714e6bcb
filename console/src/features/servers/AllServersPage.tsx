import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Switch from "@mui/material/Switch";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink, useSearchParams } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { Trail } from "../../shared/Trail";
import { when } from "../../shared/when";

/** All servers beside one another: a setting on each of them, odd ones marked; and the rollouts. */
export function AllServersPage() {
  return (
    <>
      <Trail steps={[{ name: "Servers", to: "/" }]} title="All servers" />
      <Grid />
      <Rollouts />
    </>
  );
}

function Grid() {
  const [search, setSearch] = useSearchParams();
  const address = search.get("address") ?? "";
  const [typed, setTyped] = useState(address);
  const [onlyOdd, setOnlyOdd] = useState(true);
  const grid = useQuery({
    queryKey: ["grid", address, onlyOdd],
    queryFn: () => answer(api.GET("/api/v1/server-values", { params: { query: { address, only_odd: onlyOdd } } })),
    enabled: address !== "",
  });
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }}>
      <Box
        component="form"
        onSubmit={(event) => { event.preventDefault(); setSearch({ address: typed }); }}
        sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", mb: 1 }}
      >
        <TextField label="Address or pattern" value={typed} onChange={(event) => { setTyped(event.target.value); }} sx={{ flex: 1, minWidth: 260 }} />
        <FormControlLabel control={<Switch checked={onlyOdd} onChange={(_, on) => { setOnlyOdd(on); }} />} label="Only what differs" />
        <Button type="submit" variant="contained">Compare</Button>
      </Box>
      <ProblemNote error={grid.error} />
      {address === "" && <Typography color="text.secondary">For example <Mono>FILE#SECTION/*</Mono> or <Mono>FILE#ENTRY[*]/@FIELD</Mono>.</Typography>}
      {grid.data?.rows.length === 0 && <Typography>All servers have the same values.</Typography>}
      {grid.isLoading && <Loading />}
      {grid.data && grid.data.rows.length > 0 && (
        <Box sx={{ overflowX: "auto" }}>
          <Table>
            <TableHead>
              <TableRow>
                <TableCell>Setting</TableCell>
                {grid.data.servers.map((server) => <TableCell key={server} align="right">{server}</TableCell>)}
                <TableCell component="td" />
              </TableRow>
            </TableHead>
            <TableBody>
              {grid.data.rows.map((row) => (
                <TableRow key={row.address} hover>
                  <TableCell><Mono>{row.address}</Mono></TableCell>
                  {grid.data.servers.map((server) => (
                    <TableCell key={server} align="right" sx={row.odd.includes(server) ? { fontWeight: 700, color: "warning.main" } : undefined}>
                      {row.odd.includes(server) && "◆ "}{row.values[server] ?? "none"}
                    </TableCell>
                  ))}
                  <TableCell>{row.is_split ? <KindMark kind="split" /> : row.odd.length > 0 && <KindMark kind="odd" />}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Box>
      )}
    </Paper>
  );
}

function Rollouts() {
  const rollouts = useQuery({
    queryKey: ["rollouts"],
    queryFn: () => answer(api.GET("/api/v1/rollouts")),
    refetchInterval: (query) => (query.state.data?.some((one) => one.state === "running") ? 1500 : false),
  });
  return (
    <>
      <Typography variant="h2" gutterBottom>Rollouts</Typography>
      <ProblemNote error={rollouts.error} />
      {rollouts.data?.length === 0 && <Typography color="text.secondary">None yet. A change’s page has “Roll out …”.</Typography>}
      {rollouts.data?.map((rollout) => <RolloutCard key={rollout.id} rollout={rollout} />)}
    </>
  );
}

function RolloutCard({ rollout }: { rollout: Schemas["RolloutOut"] }) {
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }}>
      <Box sx={{ mb: 0.5 }}>
        <KindMark kind={rollout.state} />{" "}
        <Link component={RouterLink} to={`/changes/${String(rollout.change)}`}>Change {rollout.change}</Link> by {rollout.person}, {when(rollout.started_at)}
      </Box>
      {rollout.outcome && <Typography sx={{ fontWeight: 600 }}>{rollout.outcome}</Typography>}
      {rollout.servers.map((one) => (
        <Box key={one.server} sx={{ display: "grid", gridTemplateColumns: { xs: "1fr", sm: "70px 140px 130px 1fr" }, columnGap: 1, py: 0.25 }}>
          <Box>wave {one.wave}</Box>
          <Link component={RouterLink} to={`/changes/${String(one.change)}`}>{one.server}</Link>
          <KindMark kind={one.state} />
          <Box sx={{ overflowWrap: "anywhere" }}>{one.said}</Box>
        </Box>
      ))}
    </Paper>
  );
}
