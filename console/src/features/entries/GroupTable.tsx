import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { answer, api, type Schemas } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { type EntryFilter, titleOf } from "./entryQuery";

interface Props {
  serverId: string;
  path: string;
  kind: string;
  below: string;
  filter: EntryFilter;
  change: number | undefined;
  by: string;
  sum: string;
  /** Show the entries of one group. */
  onGroup: (value: string) => void;
}

type Group = Schemas["GroupOut"];

/** The entries grouped by a field, with counts and sums as they are and as the change leaves them. */
export function GroupTable({ serverId, path, kind, below, filter, change, by, sum, onGroup }: Props) {
  const query = { path, kind, below, by, sum, search: filter.search, where: filter.where.map((one) => `${one.field}:${one.text}`), change: change ?? null };
  const found = useQuery({
    queryKey: ["entries", serverId, "groups", query],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/entry-groups", { params: { path: { server_id: serverId }, query } })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (found.error) return <Box sx={{ p: 1 }}><ProblemNote error={found.error} /></Box>;
  if (!found.data) return <Loading />;
  const { groups, all, has_change: hasChange } = found.data;
  return (
    <Box sx={{ height: "100%", overflow: "auto" }} tabIndex={0} role="region" aria-label="Groups">
      <Table stickyHeader>
        <TableHead>
          <TableRow>
            <TableCell>{titleOf(by)}</TableCell>
            <TableCell align="right">Entries</TableCell>
            {sum && <TableCell align="right">Sum of {titleOf(sum)}</TableCell>}
            {sum && hasChange && <TableCell align="right">Difference</TableCell>}
            {sum && <TableCell align="right">Without a number</TableCell>}
          </TableRow>
        </TableHead>
        <TableBody>
          {groups.map((group) => (
            <GroupRow key={`${String(group.is_absent)} ${group.value}`} group={group} sum={sum} hasChange={hasChange}>
              {group.is_absent ? "absent" : <Link component="button" onClick={() => { onGroup(group.value); }}>{group.value || "empty"}</Link>}
            </GroupRow>
          ))}
          <GroupRow group={all} sum={sum} hasChange={hasChange} isSum>All</GroupRow>
        </TableBody>
      </Table>
    </Box>
  );
}

function GroupRow({ group, sum, hasChange, isSum = false, children }: { group: Group; sum: string; hasChange: boolean; isSum?: boolean; children: React.ReactNode }) {
  const { before, after } = group;
  const cells = { fontVariantNumeric: "tabular-nums", fontWeight: isSum ? 700 : undefined };
  return (
    <TableRow hover>
      <TableCell sx={cells}>{children}</TableCell>
      <TableCell align="right" sx={cells}>{turned(String(before.entries), String(after.entries), hasChange)}</TableCell>
      {sum && <TableCell align="right" sx={cells}>{turned(before.total, after.total, hasChange)}</TableCell>}
      {sum && hasChange && <TableCell align="right" sx={{ ...cells, color: before.total === after.total ? "text.secondary" : "warning.main" }}>{difference(before.total, after.total)}</TableCell>}
      {sum && <TableCell align="right" sx={cells}>{after.without || ""}</TableCell>}
    </TableRow>
  );
}

function shown(number: string): string {
  const value = Number(number);
  // A number that a computer rounds is shown as the service wrote it.
  return Number.isSafeInteger(value) || Math.abs(value) < 1e9 ? value.toLocaleString(undefined, { maximumFractionDigits: 12 }) : number;
}

function turned(before: string, after: string, hasChange: boolean): string {
  return !hasChange || before === after ? shown(after) : `${shown(before)} → ${shown(after)}`;
}

function difference(before: string, after: string): string {
  const moved = Number((Number(after) - Number(before)).toFixed(9));
  return moved === 0 ? "±0" : `${moved > 0 ? "+" : ""}${moved.toLocaleString(undefined, { maximumFractionDigits: 9 })}`;
}
