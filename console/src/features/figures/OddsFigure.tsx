import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { BarChart } from "@mui/x-charts/BarChart";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { percent } from "../../shared/percent";
import { ProblemNote } from "../../shared/ProblemNote";
import { FigureForm, type FigureOf } from "./FigureForm";
import { OddsQuestions } from "./OddsQuestions";
import { Rows } from "./Rows";

type Odds = Schemas["OddsOut"];

const nameOf = (one: Odds) => (one.case === null ? one.table : `${one.table}, ${one.case || "in no case"}`);

/** How often is each thing drawn: exact chances, before and after. */
export function OddsFigure({ of }: { of: FigureOf }) {
  const [chosen, setChosen] = useState("");
  const [worth, setWorth] = useState("");
  const [asked, setAsked] = useState("");
  const found = useQuery({
    queryKey: ["figures", "odds", of, asked],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/figures/odds", {
          params: { path: { server_id: of.serverId }, query: { change: of.changeId ?? null, worth: asked } },
        }),
      ),
    placeholderData: (before) => before,
  });
  const tables = found.data ?? [];
  const shown = tables.find((one) => nameOf(one) === chosen) ?? tables[0];
  return (
    <>
      <ProblemNote error={found.error} />
      {shown && (
        <>
          <FigureForm onSubmit={() => { setAsked(worth.trim()); }}>
            <TextField select label="Draw table" value={nameOf(shown)} onChange={(event) => { setChosen(event.target.value); }} sx={{ width: 240 }}>
              {tables.map((one) => <MenuItem key={nameOf(one)} value={nameOf(one)}>{nameOf(one)}</MenuItem>)}
            </TextField>
            <TextField label="Worth by (derived value or address)" value={worth} onChange={(event) => { setWorth(event.target.value); }} sx={{ width: 260 }} />
          </FigureForm>
          <TableOdds odds={shown} />
          <OddsQuestions key={nameOf(shown)} of={of} odds={shown} />
        </>
      )}
    </>
  );
}

function TableOdds({ odds }: { odds: Odds }) {
  const { chances } = odds;
  const hasMoved = chances.some((one) => isMoved(one));
  const hasQuality = chances.some((one) => one.quality);
  const before = { data: chances.map((one) => one.before * 100), label: `before: ${odds.before}`, color: "var(--mui-palette-secondary-main)" };
  const after = { data: chances.map((one) => one.after * 100), label: `after: ${odds.after}`, color: "var(--mui-palette-primary-main)" };
  const heads = ["Thing", ...(hasMoved ? ["Chance before", "after"] : ["Chance"]), "Average number", ...(hasQuality ? ["Quality"] : [])];
  return (
    <>
      <Worth odds={odds} />
      <Box sx={{ display: "grid", gridTemplateColumns: { lg: "1fr 1fr" }, gap: 1.5, alignItems: "start" }}>
        <Paper sx={{ p: 1 }}>
          <Typography variant="body2" color="text.secondary" sx={{ px: 1 }}>Chance of at least one per draw (%)</Typography>
          <BarChart
            height={70 + chances.length * (hasMoved ? 34 : 26)}
            layout="horizontal"
            margin={{ left: 8, right: 24 }}
            xAxis={[{ min: 0 }]}
            yAxis={[{ scaleType: "band", data: chances.map((one) => one.thing), width: 130 }]}
            series={hasMoved ? [before, after] : [after]}
            hideLegend={!hasMoved}
            skipAnimation
          />
        </Paper>
        <Rows
          heads={heads}
          rows={chances.map((one) => [
            one.thing,
            ...(hasMoved ? [isMoved(one) ? percent(one.before) : ""] : []),
            <Tooltip key="c" describeChild title={one.exact.length <= 40 ? `exactly ${one.exact}` : ""}><span>{percent(one.after)}</span></Tooltip>,
            one.expected_after.toFixed(3),
            ...(hasQuality ? [one.quality ? `${String(one.quality.least)} to ${String(one.quality.most)}, average ${String(Number(one.quality.mean.toPrecision(4)))}` : ""] : []),
          ])}
          right={hasMoved ? [1, 2, 3] : [1, 2]}
        />
      </Box>
      {odds.notes.length > 0 && (
        <Alert severity="info" variant="outlined" sx={{ mt: 1 }}>
          {odds.notes.map((note) => <Box key={note}>{note}</Box>)}
        </Alert>
      )}
    </>
  );
}

function Worth({ odds }: { odds: Odds }) {
  const now = odds.worth_after;
  if (!now) return null;
  const spelled = (worth: Schemas["WorthOut"]) => (worth.least === worth.most ? String(Number(worth.least.toPrecision(6))) : `${String(Number(worth.least.toPrecision(6)))} to ${String(Number(worth.most.toPrecision(6)))}`);
  const was = odds.worth_before && spelled(odds.worth_before) !== spelled(now) ? ` (before ${spelled(odds.worth_before)})` : "";
  return (
    <Typography variant="body2" gutterBottom>
      A draw is worth {spelled(now)} on average{was}.{now.without.length > 0 && ` Without a price: ${now.without.join(", ")}.`}
    </Typography>
  );
}

function isMoved(one: Schemas["ChanceOut"]): boolean {
  return Math.abs(one.before - one.after) > 1e-12;
}
