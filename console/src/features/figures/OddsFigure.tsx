import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { BarChart } from "@mui/x-charts/BarChart";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { percent } from "../../shared/percent";
import { ProblemNote } from "../../shared/ProblemNote";
import type { FigureOf } from "./FigureForm";

/** How often is each thing drawn: exact chances, before and after. */
export function OddsFigure({ of }: { of: FigureOf }) {
  const [chosen, setChosen] = useState("");
  const found = useQuery({
    queryKey: ["figures", "odds", of],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/figures/odds", {
          params: { path: { server_id: of.serverId }, query: { change: of.changeId ?? null } },
        }),
      ),
  });
  const tables = found.data ?? [];
  const shown = tables.find((one) => one.table === chosen) ?? tables[0];
  return (
    <>
      <ProblemNote error={found.error} />
      {shown && (
        <>
          <TextField select label="Draw table" value={shown.table} onChange={(event) => { setChosen(event.target.value); }} sx={{ width: 240, mb: 1 }}>
            {tables.map((one) => <MenuItem key={one.table} value={one.table}>{one.table}</MenuItem>)}
          </TextField>
          <Odds odds={shown} />
        </>
      )}
    </>
  );
}

function Odds({ odds }: { odds: Schemas["OddsOut"] }) {
  const { chances } = odds;
  const hasMoved = chances.some((one) => isMoved(one));
  const before = { data: chances.map((one) => one.before * 100), label: `before: ${odds.before}`, color: "var(--mui-palette-secondary-main)" };
  const after = { data: chances.map((one) => one.after * 100), label: `after: ${odds.after}`, color: "var(--mui-palette-primary-main)" };
  return (
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
      <Paper sx={{ overflowX: "auto" }}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Thing</TableCell>
              {hasMoved && <TableCell align="right">Chance before</TableCell>}
              <TableCell align="right">{hasMoved ? "after" : "Chance"}</TableCell>
              <TableCell align="right">Average number</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {chances.map((one) => (
              <TableRow key={one.thing}>
                <TableCell>{one.thing}</TableCell>
                {hasMoved && <TableCell align="right">{isMoved(one) ? percent(one.before) : ""}</TableCell>}
                <TableCell align="right">
                  <Tooltip describeChild title={one.exact.length <= 40 ? `exactly ${one.exact}` : ""}><span>{percent(one.after)}</span></Tooltip>
                </TableCell>
                <TableCell align="right">{one.expected_after.toFixed(3)}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Paper>
    </Box>
  );
}

function isMoved(one: Schemas["ChanceOut"]): boolean {
  return Math.abs(one.before - one.after) > 1e-12;
}
