import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { BarChart } from "@mui/x-charts/BarChart";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { MONO } from "../../theme";
import { FigureForm, type FigureOf } from "./FigureForm";

const MOST_BARS = 24;

/** Sum and count by group, before and after. */
export function BalanceFigure({ of }: { of: FigureOf }) {
  const [address, setAddress] = useState("");
  const [by, setBy] = useState("");
  const [target, setTarget] = useState("");
  const [asked, setAsked] = useState<{ address: string; by: string[]; target: string[] } | null>(null);
  const found = useQuery({
    queryKey: ["figures", "balance", of, asked],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/figures/balance", {
          params: { path: { server_id: of.serverId }, query: { address: asked?.address ?? "", by: asked?.by ?? [], target: asked?.target ?? [], change: of.changeId ?? null } },
        }),
      ),
    enabled: asked !== null,
    placeholderData: (before) => before,
  });
  return (
    <>
      <FigureForm onSubmit={() => { setAsked({ address: address.trim(), by: groupsIn(by), target: target.split(",").map((one) => one.trim()).filter(Boolean) }); }}>
        <TextField required label="Address of the numbers" value={address} onChange={(event) => { setAddress(event.target.value); }} sx={{ width: 430 }} slotProps={{ htmlInput: { style: { fontFamily: MONO, fontSize: 12 } } }} />
        <TextField label="Group by" placeholder="field, part/@of, [kind=cloth] [!old]" value={by} onChange={(event) => { setBy(event.target.value); }} sx={{ width: 280 }} />
        <TextField label="Wanted shares" placeholder="cloth=30, tool=20" value={target} onChange={(event) => { setTarget(event.target.value); }} sx={{ width: 200 }} />
      </FigureForm>
      <ProblemNote error={found.error} />
      {found.isLoading && <Loading />}
      {found.data && !found.error && <Balance tally={found.data} />}
    </>
  );
}

const shareOf = (share: number | null | undefined) => (share === null || share === undefined ? "" : `${share.toFixed(1)} %`);

/** A field, or conditions with a blank between them. */
function groupsIn(text: string): string[] {
  const trimmed = text.trim();
  return trimmed.startsWith("[") ? trimmed.split(/(?<=\])\s+(?=\[)/) : trimmed ? [trimmed] : [];
}

function Balance({ tally }: { tally: Schemas["TallyOut"] }) {
  const bars = tally.rows.slice(0, MOST_BARS);
  const hasTargets = tally.rows.some((row) => row.target != null);
  return (
    <>
      <Typography variant="body2" color="text.secondary" gutterBottom>
        From {tally.before} to {tally.after}. {tally.total.delta === "0" ? "The balance holds." : `In all ${tally.total.delta}.`}
        {tally.skipped.length > 0 && ` ${String(tally.skipped.length)} places hold no number and are left out.`}
      </Typography>
      {bars.length > 1 && (
        <Paper sx={{ mb: 1, p: 1 }}>
          <BarChart
            height={Math.min(90 + bars.length * 44, 520)}
            layout="horizontal"
            margin={{ left: 8, right: 24 }}
            yAxis={[{ scaleType: "band", data: bars.map((row) => row.group), width: 130 }]}
            series={[
              { data: bars.map((row) => Number(row.sum_before)), label: `before: ${tally.before}`, color: "var(--mui-palette-secondary-main)" },
              { data: bars.map((row) => Number(row.sum_after)), label: `after: ${tally.after}`, color: "var(--mui-palette-primary-main)" },
            ]}
            skipAnimation
          />
        </Paper>
      )}
      <Paper sx={{ overflowX: "auto" }}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Group</TableCell>
              <TableCell align="right">Count before</TableCell>
              <TableCell align="right">after</TableCell>
              <TableCell align="right">Sum before</TableCell>
              <TableCell align="right">after</TableCell>
              <TableCell align="right">Delta</TableCell>
              <TableCell align="right">Share before</TableCell>
              <TableCell align="right">after</TableCell>
              {hasTargets && <TableCell align="right">wanted</TableCell>}
              {hasTargets && <TableCell align="right">Off by</TableCell>}
            </TableRow>
          </TableHead>
          <TableBody>
            {[...tally.rows, tally.total].map((row, index) => (
              <TableRow key={row.group + String(index)} sx={index === tally.rows.length ? { "& td": { fontWeight: 650 } } : {}}>
                <TableCell>{row.group}</TableCell>
                <TableCell align="right">{row.count_before}</TableCell>
                <TableCell align="right">{row.count_after}</TableCell>
                <TableCell align="right">{row.sum_before}</TableCell>
                <TableCell align="right">{row.sum_after}</TableCell>
                <TableCell align="right">{row.delta === "0" ? "" : row.delta}</TableCell>
                <TableCell align="right">{shareOf(row.share_before)}</TableCell>
                <TableCell align="right">{shareOf(row.share_after)}</TableCell>
                {hasTargets && <TableCell align="right">{shareOf(row.target)}</TableCell>}
                {hasTargets && <TableCell align="right">{row.off}</TableCell>}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Paper>
    </>
  );
}
