import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import type { GridColDef } from "@mui/x-data-grid";

import { switchPair } from "../../shared/switches";
import { MONO } from "../../theme";
import { COMMENT, type Entries, PART, type Row, SETTINGS, titleOf, TRAIL } from "./entryQuery";
import { WordCell } from "./WordCell";

/** The columns of a table of entries: their names, their fields, their inner entries, their comments. */
export function columnsOf(entries: Entries, onPart: (row: Row, part: string) => void): GridColDef<Row>[] {
  const trail: GridColDef<Row> = { field: TRAIL, headerName: entries.kind === SETTINGS ? "setting" : "entry", flex: 2, minWidth: 190 };
  const fields = entries.columns.map((column) => fieldColumn(entries, column));
  const parts = entries.parts.map((part) => partColumn(part, onPart));
  const hasComments = entries.rows.some((row) => row.comment);
  return [trail, ...fields, ...parts, ...(hasComments ? [COMMENTS] : [])];
}

const COMMENTS: GridColDef<Row> = {
  field: COMMENT,
  headerName: "comment",
  flex: 2,
  minWidth: 120,
  renderCell: ({ value }) => <Box component="span" sx={{ fontFamily: MONO, fontSize: 11.5, color: "text.secondary" }}>{String(value)}</Box>,
};

function fieldColumn(entries: Entries, column: Entries["columns"][number]): GridColDef<Row> {
  const values = entries.rows.flatMap((row) => row.cells[column.field] || []);
  const isNumeric = values.length > 0 && values.every((value) => !Number.isNaN(Number(value)));
  const base: GridColDef<Row> = {
    field: column.field,
    headerName: titleOf(column.field),
    description: [column.allowed, column.note].filter(Boolean).join(" · "),
    flex: 1,
    minWidth: 90,
    editable: true,
    align: isNumeric ? "right" : "left",
    headerAlign: isNumeric ? "right" : "left",
    valueGetter: (_, row) => row.cells[column.field] ?? "",
    valueSetter: (value, row) => ({ ...row, cells: { ...row.cells, [column.field]: String(value) } }),
  };
  if (column.words.length > 0) return { ...base, type: "singleSelect", valueOptions: [...new Set([...column.words, ...values])] };
  if (column.kind === "switch") return { ...base, type: "singleSelect", valueOptions: [...new Set([...switchPair(values), ...values])] };
  return entries.kind === SETTINGS ? { ...base, minWidth: 140, renderEditCell: (params) => <WordCell {...params} /> } : base;
}

/** Inner entries by their names; a click opens them for editing. */
function partColumn(part: string, onPart: (row: Row, part: string) => void): GridColDef<Row> {
  return {
    field: `${PART}${part}`,
    headerName: titleOf(part),
    flex: 1.4,
    minWidth: 120,
    sortable: false,
    valueGetter: (_, row) => (row.parts[part] ?? []).join(", "),
    renderCell: ({ row, value }) =>
      value ? (
        <ButtonBase
          tabIndex={-1}
          title={`Open ${part} of ${row.trail}`}
          onClick={() => { onPart(row, part); }}
          sx={{ width: "100%", justifyContent: "flex-start", overflow: "hidden", color: "primary.main", font: "inherit", textAlign: "left", "&:hover": { textDecoration: "underline" } }}
        >
          <Box component="span" sx={{ overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}>{row.parts[part]?.length} · {String(value)}</Box>
        </ButtonBase>
      ) : null,
  };
}
