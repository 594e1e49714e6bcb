import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { DataGrid, type GridColDef } from "@mui/x-data-grid";
import { useMemo } from "react";
import { Link as RouterLink } from "react-router";

import type { Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Mono } from "../../shared/Mono";
import { fits, isUnchecked, type FileFilter } from "./fileFilter";
import { fileLink } from "./links";

type FileState = Schemas["FileStateOut"];

interface Props {
  serverId: string;
  files: readonly FileState[];
  filter: FileFilter;
  touched: ReadonlySet<string>;
}

/** The files that the filter leaves, with all that is known of each; sorted by any column. */
export function FileTable({ serverId, files, filter, touched }: Props) {
  const shown = useMemo(() => files.filter((file) => fits(file, filter, touched)), [files, filter, touched]);
  const columns = useMemo(() => columnsFor(serverId), [serverId]);
  if (shown.length === 0) return <Typography sx={{ p: 2 }}>{files.some(isUnchecked) ? "The files are being checked …" : "No file fits this filter."}</Typography>;
  return (
    <DataGrid
      aria-label="All files"
      rows={shown}
      columns={columns}
      getRowId={(file) => file.path}
      rowHeight={34}
      columnHeaderHeight={36}
      disableColumnFilter
      disableRowSelectionOnClick
      hideFooter
      sx={{ border: 0, borderRadius: 0, fontVariantNumeric: "tabular-nums" }}
    />
  );
}

function columnsFor(serverId: string): GridColDef<FileState>[] {
  return [
    {
      field: "path",
      headerName: "File",
      flex: 6,
      minWidth: 190,
      renderCell: ({ row }) => (row.state === "watched" ? <Mono>{row.path}</Mono> : <Link component={RouterLink} to={fileLink(serverId, row.path)}><Mono>{row.path}</Mono></Link>),
    },
    { field: "state", headerName: "State", width: 108, renderCell: ({ row }) => <KindMark kind={row.state} /> },
    { field: "errors", headerName: "Findings", width: 110, valueGetter: (_, row) => (row.errors ?? 0) * 1e6 + (row.warnings ?? 0), renderCell: ({ row }) => <Counts file={row} /> },
    { field: "size", headerName: "Bytes", type: "number", width: 84 },
    { field: "purpose", headerName: "What it is", flex: 3, minWidth: 120 },
  ];
}

function Counts({ file }: { file: FileState }) {
  if (isUnchecked(file)) return <Typography component="span" variant="body2" color="text.secondary">checking …</Typography>;
  return (
    <Box component="span">
      {!!file.errors && <><KindMark kind="error" /> {file.errors} </>}
      {!!file.warnings && <><KindMark kind="warning" /> {file.warnings}</>}
    </Box>
  );
}
