import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { when } from "../../shared/when";
import { KeepForm } from "./KeepForm";

const MOST_SHOWN = 8;

/** A snippet of the shelf: its text, where it is, what differs there, and bringing those places up to date. */
export function KeptSnippet({ name, onClose }: { name: string; onClose: () => void }) {
  const queries = useQueryClient();
  const params = { path: { name } };
  const found = useQuery({ queryKey: ["shelf", name], queryFn: () => answer(api.GET("/api/v1/shelf/{name}", { params })) });
  const update = useMutation({
    mutationFn: (create: boolean) => answer(api.POST("/api/v1/shelf/{name}/update", { params, body: { create } })),
    onSuccess: (_, create) => (create ? askAgain(queries) : undefined),
  });
  const remove = useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/shelf/{name}", { params })),
    onSuccess: async () => { await queries.invalidateQueries({ queryKey: ["shelf"] }); onClose(); },
  });
  const isOutdated = found.data?.places.some((one) => one.is_outdated) ?? false;
  const wouldChange = update.data?.some((one) => one.places > 0 && one.change === null) ?? false;
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
        <Button color="inherit" onClick={onClose}>← The shelf</Button>
        <Typography variant="h1">{found.data?.snippet.title ?? name}</Typography>
        <Box sx={{ flex: 1 }} />
        <Button color="inherit" disabled={remove.isPending} onClick={() => { remove.mutate(); }}>Take it off the shelf</Button>
      </Box>
      <ProblemNote error={found.error ?? update.error ?? remove.error} />
      {found.isLoading && <Loading lines={4} />}
      {found.data && (
        <>
          <Paper sx={{ p: 1.5 }} component="section" aria-label="Where it is">
            <Typography variant="h2" gutterBottom>Where it is</Typography>
            {found.data.places.length === 0 && <Typography variant="body2">It was put nowhere yet. In a change: Add a step, <i>Put from the shelf</i>.</Typography>}
            {found.data.places.map((use, index) => <Place key={index} use={use} />)}
            {isOutdated && (
              <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
                <Button variant="outlined" disabled={update.isPending} onClick={() => { update.mutate(false); }}>What would change?</Button>
                <Button variant="contained" disabled={update.isPending || !wouldChange} onClick={() => { update.mutate(true); }}>Create changes</Button>
              </Box>
            )}
            {update.data?.map((one, index) => (
              <Alert key={index} severity={one.fault ? "warning" : "info"} variant="outlined" sx={{ mt: 0.5 }}>
                {one.server} <Mono>{one.path}</Mono>: {one.fault || (one.places === 0 ? "up to date" : one.places === 1 ? "1 value changes" : `${String(one.places)} values change`)}{" "}
                {one.change !== null && <Link component={RouterLink} to={`/changes/${String(one.change)}`}>change {one.change}</Link>}
              </Alert>
            ))}
          </Paper>
          <KeepForm key={found.data.snippet.changed_at} known={found.data} />
        </>
      )}
    </Box>
  );
}

function Place({ use }: { use: Schemas["UseOut"] }) {
  const values = Object.entries(use.values).map(([name, value]) => `${name}=${value}`).join(", ");
  const state = use.fault || (use.differs.length === 0 ? "nothing differs" : use.differs.length === 1 ? "1 value differs" : `${String(use.differs.length)} values differ`);
  return (
    <Box sx={{ py: 0.5 }}>
      <Typography variant="body2">
        <b>{use.server}</b> <Mono>{use.path}</Mono> {values && `(${values})`}: {use.is_outdated ? "an older text" : "this text"}, put there {when(use.used_at)} by {use.person}
        {use.change !== null && <> in <Link component={RouterLink} to={`/changes/${String(use.change)}`}>change {use.change}</Link></>}. {state.replace(/\.$/, "")}.
      </Typography>
      {use.differs.slice(0, MOST_SHOWN).map((address) => <Box key={address} sx={{ pl: 2 }}><Mono>{address}</Mono></Box>)}
      {use.differs.length > MOST_SHOWN && <Box sx={{ pl: 2, color: "text.secondary", fontSize: 12 }}>and {use.differs.length - MOST_SHOWN} more</Box>}
    </Box>
  );
}
