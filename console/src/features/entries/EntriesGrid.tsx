import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { DataGrid, type GridRowModel, type GridRowSelectionModel, type GridSortModel } from "@mui/x-data-grid";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type ClipboardEvent, type KeyboardEvent, useDeferredValue, useMemo, useRef, useState } from "react";

import type { Schemas } from "../../api/client";
import { isTyped } from "../../shared/isTyped";
import { ProblemNote } from "../../shared/ProblemNote";
import type { FilePlace } from "../workspace/links";
import type { ChosenChange } from "../workspace/useChosenChange";
import { AbsentSettings } from "../workspace/AbsentSettings";
import type { Edits } from "../workspace/useEdits";
import { columnsOf } from "./columns";
import { addressOf, type Entries, type EntryFilter, isOwn, NO_FILTER, NO_GROUPS, PAGE, pageOfEntries, type Row, SETTINGS, titleOf, TRAIL } from "./entryQuery";
import { FilterBar } from "./FilterBar";
import { GroupTable } from "./GroupTable";
import { PartsDialog } from "./PartsDialog";
import { SelectionBar } from "./SelectionBar";
import { cellsOf, valueStep } from "./steps";

interface Props {
  serverId: string;
  path: string;
  /** The kind of entries; empty for that of the selected place, or the main one of the file. */
  kind: string;
  /** The selected address in the file; its page is opened. */
  address: string;
  /** Only what is at or below this address. */
  below?: string;
  change: ChosenChange;
  edits: Edits;
  onTurn: (to: FilePlace) => void;
}

const NONE: GridRowSelectionModel = { type: "include", ids: new Set() };
const NOTHING_YET: Entries = { kinds: {}, kind: "", columns: [], parts: [], rows: [], absent: [], total: 0, matching: 0, offset: 0, is_complete: true };

/** The entries of one kind, by page, as the service sorts and filters them. An edited cell becomes a step. */
export function EntriesGrid({ serverId, path, kind, address, below = "", change, edits, onTurn }: Props) {
  const [filter, setFilter] = useState<EntryFilter>(NO_FILTER);
  const [grouping, setGrouping] = useState(NO_GROUPS);
  const [sort, setSort] = useState<GridSortModel>([]);
  const [page, setPage] = useState<number | null>(null); // none yet: the one with the selected place
  const [selected, setSelected] = useState<GridRowSelectionModel>(NONE);
  const [part, setPart] = useState<{ row: Row; part: string } | null>(null);
  const [problem, setProblem] = useState("");
  const [saves, setSaves] = useState(0);
  // The place that was selected here, or that a link led to: to the latter the table goes.
  const [own, setOwn] = useState(address);
  const [seen, setSeen] = useState(address);
  const [seek, setSeek] = useState(address);
  if (address !== seen) {
    setSeen(address);
    if (address !== own) {
      setOwn(address);
      setSeek(address);
      setPage(null);
    }
  }
  // What arrives while someone types waits: rows or columns that change under an open cell would close it and lose the text.
  const [held, setHeld] = useState<Entries | null>(null);
  const isEditing = useRef(false);
  const asked = useDeferredValue(filter);
  const entries = useQuery({
    ...pageOfEntries(serverId, {
      path,
      kind,
      change: change.id ?? null,
      filter: asked,
      sort: sort[0]?.field ?? "",
      descending: sort[0]?.sort === "desc",
      below,
      address: page === null ? seek : "",
      page: page ?? 0,
    }),
    placeholderData: keepPreviousData,
  });
  // The empty table is there while the service reads: to build it takes the browser as long.
  const isRead = entries.data !== undefined;
  const shown = held ?? entries.data ?? NOTHING_YET;
  const columns = useMemo(() => columnsOf(shown, (row, name) => { setPart({ row, part: name }); }), [shown]);
  // After each save the rows are handed to the grid anew: it keeps the row that it edited, which knows nothing of the
  // marks, findings and other key that the service has answered with in the meantime.
  // eslint-disable-next-line react-hooks/exhaustive-deps -- a new count of saves makes new rows
  const rows = useMemo(() => [...shown.rows], [shown, saves]);
  if (entries.error && !entries.data) return <Box sx={{ p: 1 }}><ProblemNote error={entries.error} /></Box>;

  const refresh = () => { setTimeout(() => { if (!isEditing.current) setSaves((count) => count + 1); }); };
  const turnKind = (next: string) => {
    setFilter(NO_FILTER);
    setGrouping(NO_GROUPS);
    setSort([]);
    setSeek("");
    setPage(0);
    setSelected(NONE);
    setOwn("");
    onTurn({ kind: next, address: "", line: 0 });
  };
  const select = (row: Row | undefined, field: string) => {
    if (!row) return;
    const chosen = addressOf(shown.kind, row, field);
    setOwn(chosen);
    onTurn({ address: chosen, line: row.line });
  };
  // The cell is closed at once and saved behind the scenes: whoever types on in the next one is not disturbed.
  const save = (after: GridRowModel<Row>, before: GridRowModel<Row>): Row => {
    const field = Object.keys(after.cells).find((name) => after.cells[name] !== (before.cells[name] ?? ""));
    if (field === undefined) return before;
    const value = after.cells[field] ?? "";
    setProblem("");
    edits.add([valueStep(path, shown.kind, before, field, value)], `Edit ${path}`).then(refresh, (error: unknown) => {
      setProblem(`“${value}” was not saved in ${titleOf(field)} of ${before.trail}: ${error instanceof Error ? error.message : String(error)}`);
      refresh();
    });
    return after;
  };
  const addSteps = (steps: Schemas["StepIn"][], title: string) => {
    setProblem("");
    if (steps.length > 0) edits.add(steps, title).then(() => { setSelected(NONE); refresh(); }, () => undefined);
  };
  const chosenRows = rows.filter((row) => (selected.type === "include") === selected.ids.has(row.address));
  const focus = focusOf(rows, shown, own);
  const fields = shown.columns.map((column) => column.field);

  const pasted = (event: ClipboardEvent) => {
    if (isEditing.current || isTyped(event.target) || !focus) return;
    const cells = cellsOf(event.clipboardData.getData("text/plain"));
    const first = fields.indexOf(focus.field);
    if (first < 0 || /^\s*</.test(cells[0]?.[0] ?? "")) return; // a block of text is none of the table's
    event.preventDefault();
    event.stopPropagation();
    const steps = cells.flatMap((line, down) =>
      line.flatMap((value, right) => {
        const row = rows[focus.index + down];
        const field = fields[first + right];
        return row && field !== undefined && (row.cells[field] ?? "") !== value ? [valueStep(path, shown.kind, row, field, value)] : [];
      }),
    );
    const over = focus.index + cells.length > rows.length || first + Math.max(...cells.map((line) => line.length)) > fields.length;
    if (over) setProblem("What you pasted is larger than the rows and columns from here on. Nothing was changed.");
    else if (steps.length === 0) setProblem("These cells have the pasted values already.");
    else addSteps(steps, `Paste into ${path}`);
  };
  const pressed = (event: KeyboardEvent) => {
    if (isEditing.current || !(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "d") return;
    event.preventDefault();
    const value = focus === null ? undefined : chosenRows[0]?.cells[focus.field];
    if (!focus || isOwn(focus.field) || value === undefined) {
      setProblem("Select rows and a cell in the column to fill; the value of the first row goes into the others.");
      return;
    }
    const steps = chosenRows.slice(1).flatMap((row) => (row.cells[focus.field] === value ? [] : [valueStep(path, shown.kind, row, focus.field, value)]));
    addSteps(steps, `Fill ${focus.field} in ${path}`);
  };

  return (
    <Box sx={{ height: "100%", display: "flex", flexDirection: "column", minHeight: 0 }} onPaste={pasted} onKeyDown={pressed}>
      <FilterBar
        entries={shown}
        filter={filter}
        onFilter={(next) => { setFilter(next); setPage(0); }}
        grouping={grouping}
        onGrouping={setGrouping}
        onKind={below ? null : turnKind}
      />
      <ProblemNote error={entries.error ?? null} />
      {problem && <Alert severity="info" variant="outlined" onClose={() => { setProblem(""); }} sx={{ py: 0 }}>{problem}</Alert>}
      {!shown.is_complete && <Typography role="status" variant="body2" color="text.secondary" sx={{ px: 1 }}>The rest of the file is being read and checked …</Typography>}
      {isRead && shown.is_complete && shown.total === 0 && <Alert severity="info" variant="outlined" sx={{ m: 1 }}>This file has no entries. Its text is in the Text tab.</Alert>}
      {grouping.by && (
        <Box sx={{ flex: 1, minHeight: 120 }}>
          <GroupTable
            serverId={serverId}
            path={path}
            kind={shown.kind}
            below={below}
            filter={filter}
            change={change.id}
            by={grouping.by}
            sum={grouping.sum}
            onGroup={(value) => {
              setGrouping(NO_GROUPS);
              setFilter({ ...filter, where: [...filter.where.filter((one) => one.field !== grouping.by), { field: grouping.by, text: `=${value}` }] });
              setPage(0);
            }}
          />
        </Box>
      )}
      <Box sx={{ flex: 1, minHeight: 120, display: grouping.by ? "none" : "block" }}>
        <DataGrid
          rows={rows}
          columns={columns}
          getRowId={(one: Row) => one.address}
          rowHeight={28}
          columnHeaderHeight={32}
          slotProps={{ baseCheckbox: { size: "small" }, loadingOverlay: { noRowsVariant: "skeleton" } }}
          disableColumnFilter
          checkboxSelection
          disableRowSelectionOnClick
          hideFooterSelectedRowCount
          rowSelectionModel={selected}
          onRowSelectionModelChange={setSelected}
          paginationMode="server"
          sortingMode="server"
          rowCount={shown.matching}
          pageSizeOptions={[PAGE]}
          paginationModel={{ page: page ?? Math.floor(shown.offset / PAGE), pageSize: PAGE }}
          onPaginationModelChange={(next) => { setPage(next.page); }}
          sortModel={sort}
          onSortModelChange={(next) => { setSort(next); setPage(0); }}
          loading={!isRead || entries.isPlaceholderData}
          onCellEditStart={() => { isEditing.current = true; setHeld(shown); }}
          onCellEditStop={() => { isEditing.current = false; setHeld(null); refresh(); }}
          onCellClick={({ row, field }) => { select(row as Row, field); }}
          onCellKeyDown={({ row, field }, event) => { if (event.key === " " && !isEditing.current) select(row as Row, field); }}
          processRowUpdate={save}
          getCellClassName={({ row, field }) => `${marksOf(row as Row, field)}${focus?.row === row && focus?.field === field ? " is-chosen" : ""}`}
          sx={{
            border: 0,
            borderRadius: 0,
            "& .MuiDataGrid-footerContainer": { minHeight: 34 },
            "& .MuiTablePagination-toolbar": { minHeight: 34 },
            fontVariantNumeric: "tabular-nums",
            "& .is-changed": { color: "warning.main", fontWeight: 700 },
            "& .is-changed::before": { content: '"◆ "', whiteSpace: "pre" },
            "& .is-wrong": { color: "error.main", fontWeight: 700 },
            "& .is-wrong::before": { content: '"■ "', whiteSpace: "pre" },
            "& .is-chosen": { boxShadow: (theme) => `inset 0 0 0 1px ${theme.vars?.palette.primary.main ?? ""}` },
          }}
        />
      </Box>
      {!below && shown.absent.length > 0 && <NotHere absent={shown.absent} path={path} edits={edits} />}
      {chosenRows.length > 0 && <SelectionBar path={path} entries={shown} rows={chosenRows} isBusy={edits.isBusy} onSteps={addSteps} />}
      {part && <PartsDialog serverId={serverId} path={path} kind={`${shown.kind}/${part.part}`} row={part.row} change={change} edits={edits} onClose={() => { setPart(null); }} />}
    </Box>
  );
}

/** A line that says how many known settings the file does not have, and shows them when asked. */
function NotHere({ absent, path, edits }: { absent: readonly Schemas["AbsentOut"][]; path: string; edits: Edits }) {
  const [isOpen, setIsOpen] = useState(false);
  const count = absent.length === 1 ? "1 known setting is not in this file" : `${String(absent.length)} known settings are not in this file`;
  return (
    <Box component="section" aria-label="Known settings that are not in this file" sx={{ px: 1, borderTop: 1, borderColor: "divider", fontSize: 12.5, flexShrink: 0 }}>
      <Button size="small" sx={{ py: 0 }} aria-expanded={isOpen} onClick={() => { setIsOpen(!isOpen); }}>{isOpen ? "▾" : "▸"} {count}</Button>
      {isOpen && <Box sx={{ maxHeight: 160, overflow: "auto", pb: 0.5 }}><AbsentSettings absent={absent} path={path} edits={edits} isOfFile /></Box>}
    </Box>
  );
}

interface Focus {
  row: Row;
  index: number;
  field: string;
}

/** The row and column of the selected address, where they are on this page. */
function focusOf(rows: readonly Row[], entries: Entries, address: string): Focus | null {
  if (!address) return null;
  for (const [index, row] of rows.entries()) {
    if (row.address === address) return { row, index, field: entries.kind === SETTINGS ? "value" : TRAIL };
    if (address.startsWith(`${row.address}/`)) return { row, index, field: address.slice(row.address.length + 1) };
  }
  return null;
}

/** A cell that is wrong shows that before that it was changed. The entry's own cell stands for a rule about all of it. */
function marksOf(row: Row, field: string): string {
  if (row.findings[field === TRAIL ? "" : field] !== undefined) return "is-wrong";
  return row.changed.includes(field) ? "is-changed" : "";
}
