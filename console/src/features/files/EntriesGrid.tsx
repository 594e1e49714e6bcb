import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Chip from "@mui/material/Chip";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { DataGrid, type GridColDef, type GridRowModel } from "@mui/x-data-grid";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";

import { askAgain } from "../../api/askAgain";
import { answer, api, EMPTY_STEP, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { switchPair } from "../../shared/switches";
import { MONO } from "../../theme";
import { CellHelp } from "./CellHelp";
import { WordCell } from "./WordCell";

interface Props {
  serverId: string;
  path: string;
  changeId: number | undefined;
}

type Entries = Schemas["EntriesOut"];
type Row = Schemas["RowOut"];

/** The entries of one kind as a searchable grid. With a change chosen, an edited cell becomes a step of it. */
export function EntriesGrid({ serverId, path, changeId }: Props) {
  const [kind, setKind] = useState("");
  const [search, setSearch] = useState("");
  const [chosen, setChosen] = useState<{ address: string; field: string } | null>(null);
  const [saves, setSaves] = useState(0);
  const queries = useQueryClient();
  const entries = useQuery({
    queryKey: ["entries", serverId, path, kind, changeId],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/entries", {
          params: { path: { server_id: serverId }, query: { path, kind, change: changeId ?? null } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const edit = useMutation({
    mutationFn: ({ address, value }: { address: string; value: string }) =>
      answer(
        api.POST("/api/v1/changes/{change_id}/steps", {
          params: { path: { change_id: changeId ?? 0 } },
          body: { ...EMPTY_STEP, address: `${path}#${address}`, operation: `=${value}` },
        }),
      ),
    onSettled: () => askAgain(queries),
  });
  const columns = useMemo(() => columnsOf(entries.data, changeId !== undefined), [entries.data, changeId]);
  // After each save the rows are handed to the grid anew: it keeps the row that it edited, which knows nothing of the
  // marks, findings and other key that the service has answered with in the meantime.
  const rows = useMemo(() => {
    const wanted = search.toLowerCase();
    return (entries.data?.rows ?? []).filter((row) => [row.trail, ...Object.values(row.cells)].join(" ").toLowerCase().includes(wanted));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- a new count of saves makes new rows
  }, [entries.data, search, saves]);
  if (entries.error) return <ProblemNote error={entries.error} />;
  if (!entries.data) return null;

  const save = async (after: GridRowModel<Row>, before: GridRowModel<Row>): Promise<Row> => {
    const field = Object.keys(after.cells).find((name) => after.cells[name] !== before.cells[name]);
    if (field === undefined) return before;
    const address = entries.data.kind === "settings" ? after.address : `${after.address}/${field}`;
    await edit.mutateAsync({ address, value: after.cells[field] ?? "" });
    setTimeout(() => { setSaves((count) => count + 1); });
    return after;
  };
  const row = rows.find((one) => one.address === chosen?.address);
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", mb: 1, flexWrap: "wrap" }}>
        <TextField label="Search entries" value={search} onChange={(event) => { setSearch(event.target.value); }} sx={{ width: 280 }} />
        {Object.entries(entries.data.kinds).map(([name, count]) => (
          <Chip
            key={name}
            label={`${name} ${String(count)}`}
            size="small"
            color={name === entries.data.kind ? "primary" : "default"}
            variant={name === entries.data.kind ? "filled" : "outlined"}
            onClick={() => { setKind(name); }}
          />
        ))}
        <Typography variant="body2" color="text.secondary" sx={{ ml: "auto" }}>
          {changeId === undefined ? "Choose a change above to edit cells." : "Double-click a cell to edit it; ◆ marks what this change has changed."}
        </Typography>
      </Box>
      <ProblemNote error={edit.error} />
      {entries.data.rows.length === 0 && <Alert severity="info" variant="outlined">This file has no entries. Open the Text tab.</Alert>}
      <Box sx={{ height: "calc(100vh - 236px)", minHeight: 320 }}>
        <DataGrid
          rows={rows}
          columns={columns}
          getRowId={(one: Row) => one.address}
          density="compact"
          disableColumnMenu
          hideFooterSelectedRowCount
          onCellClick={({ id, field }) => { setChosen({ address: String(id), field }); }}
          processRowUpdate={save}
          onProcessRowUpdateError={() => undefined}
          getCellClassName={({ row: one, field }) => marksOf(one as Row, field)}
          sx={{
            fontVariantNumeric: "tabular-nums",
            "& .is-changed": { color: "warning.main", fontWeight: 700 },
            "& .is-changed::before": { content: '"◆ "' },
            "& .is-wrong": { color: "error.main", fontWeight: 700 },
            "& .is-wrong::before": { content: '"■ "' },
          }}
        />
      </Box>
      <Box sx={{ minHeight: 34, pt: 0.5 }}>
        {row && (
          <CellHelp
            serverId={serverId}
            row={row}
            field={chosen?.field ?? ""}
            column={entries.data.columns.find((one) => one.field === chosen?.field)}
            isSetting={entries.data.kind === "settings"}
            path={path}
            textAt={`?view=text&line=${String(row.line)}${changeId === undefined ? "" : `&change=${String(changeId)}`}`}
          />
        )}
      </Box>
    </>
  );
}

/** The pair of words for on and off that this field is written with, and whatever else is there now. */
function switchWords(rows: Row[], field: string): string[] {
  const used = [...new Set(rows.map((row) => row.cells[field]).filter((word) => word !== undefined))];
  return [...new Set([...switchPair(used), ...used])];
}

/** A cell that is wrong shows that before that it was changed. The entry's own cell stands for a rule about all of it. */
function marksOf(row: Row, field: string): string {
  if (row.findings[field === "trail" ? "" : field] !== undefined) return "is-wrong";
  return row.changed.includes(field) ? "is-changed" : "";
}

function columnsOf(entries: Entries | undefined, isEditable: boolean): GridColDef<Row>[] {
  if (!entries) return [];
  const trail: GridColDef<Row> = { field: "trail", headerName: entries.kind === "settings" ? "setting" : "entry", flex: 2, minWidth: 220 };
  const fields = entries.columns.map((column): GridColDef<Row> => {
    const isNumeric = entries.rows.some((row) => row.cells[column.field]) && entries.rows.every((row) => !Number.isNaN(Number(row.cells[column.field] ?? "0")));
    const column_: GridColDef<Row> = {
      field: column.field,
      headerName: column.field.replace(/^@/, ""),
      description: [column.allowed, column.note].filter(Boolean).join(" · "),
      flex: 1,
      minWidth: 90,
      editable: isEditable,
      align: isNumeric ? "right" : "left",
      headerAlign: isNumeric ? "right" : "left",
      valueGetter: (_, row) => row.cells[column.field] ?? "",
      valueSetter: (value, row) => ({ ...row, cells: { ...row.cells, [column.field]: String(value) } }),
      ...(isNumeric && { sortComparator: (a: string, b: string) => Number(a) - Number(b) }),
    };
    if (column.words.length > 0) return { ...column_, type: "singleSelect", valueOptions: column.words };
    if (column.kind === "switch") return { ...column_, type: "singleSelect", valueOptions: switchWords(entries.rows, column.field) };
    return entries.kind === "settings" ? { ...column_, renderEditCell: (params) => <WordCell {...params} /> } : column_;
  });
  const comment: GridColDef<Row> = {
    field: "comment",
    headerName: "comment",
    flex: 2,
    minWidth: 120,
    renderCell: ({ value }) => <Box component="span" sx={{ fontFamily: MONO, fontSize: 11.5, color: "text.secondary" }}>{String(value)}</Box>,
  };
  return entries.rows.some((row) => row.comment) ? [trail, ...fields, comment] : [trail, ...fields];
}
