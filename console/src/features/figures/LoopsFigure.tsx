import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { FigureForm, type FigureOf } from "./FigureForm";
import { Rows } from "./Rows";

const MOST_TOLD = 8;

/** Trades that gain in a circle, and what ends each of them. */
export function LoopsFigure({ of }: { of: FigureOf }) {
  const [name, setName] = useState("");
  const [asked, setAsked] = useState("");
  const found = useQuery({
    queryKey: ["figures", "loops", of, asked],
    queryFn: () =>
      answer(api.GET("/api/v1/servers/{server_id}/figures/loops", { params: { path: { server_id: of.serverId }, query: { name: asked, change: of.changeId ?? null } } })),
    retry: false,
  });
  return (
    <>
      <FigureForm onSubmit={() => { setAsked(name.trim()); }}>
        <TextField label="Trades (where the gamebook has several)" value={name} onChange={(event) => { setName(event.target.value); }} sx={{ width: 300 }} />
      </FigureForm>
      <ProblemNote error={found.error} />
      {found.isLoading && <Loading lines={4} />}
      {found.data && <Loops found={found.data} />}
    </>
  );
}

function Loops({ found }: { found: Schemas["LoopsOut"] }) {
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      <Alert severity={found.loops.length > 0 ? "warning" : "success"} variant="outlined">
        {found.loops.length === 0 ? "No loop" : found.loops.length === 1 ? "1 loop" : `${String(found.loops.length)} loops`} in {found.trades.toLocaleString()} trades. {found.verdict}
      </Alert>
      {found.loops.map((loop, index) => <Loop key={index} number={index + 1} loop={loop} />)}
      <Told title="Ended by this change" lines={found.ended} />
      <Told title="Trades that take nothing, so they are in no loop" lines={found.gifts} />
      <Told title="Entries without a trade" lines={found.left_out} />
    </Box>
  );
}

function Loop({ number, loop }: { number: number; loop: Schemas["LoopOut"] }) {
  const gained = [...(loop.gain === "0" ? [] : [`${loop.gain} money`]), ...Object.entries(loop.things).map(([thing, many]) => `${many} ${thing}`)];
  return (
    <Box component="section" aria-label={`Loop ${String(number)}`}>
      <Typography variant="h2">Loop {number}: a round gains {gained.join(" and ")}{loop.is_new && " (new with this change)"}</Typography>
      <Rows
        heads={["Times", "Trade", "Gives", "Gets", "At"]}
        rows={loop.steps.map((step) => [step.times, step.trade, step.gives, step.gets, <Mono key="a">{step.address}</Mono>])}
        right={[0]}
      />
      <Typography variant="body2" sx={{ mt: 0.5 }}>{loop.fix ? loop.fix.words : "No price is in it; change what one of its trades gives or gets."}</Typography>
    </Box>
  );
}

function Told({ title, lines }: { title: string; lines: readonly string[] }) {
  if (lines.length === 0) return null;
  return (
    <Box>
      <Typography variant="body2" sx={{ fontWeight: 600 }}>{title} ({lines.length.toLocaleString()})</Typography>
      {lines.slice(0, MOST_TOLD).map((line, index) => <Typography key={index} variant="body2" sx={{ overflowWrap: "anywhere" }}>{line}</Typography>)}
      {lines.length > MOST_TOLD && <Typography variant="body2" color="text.secondary">and {(lines.length - MOST_TOLD).toLocaleString()} more</Typography>}
    </Box>
  );
}
