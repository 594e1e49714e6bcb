import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { SimpleTreeView } from "@mui/x-tree-view/SimpleTreeView";
import { TreeItem } from "@mui/x-tree-view/TreeItem";
import { useMemo, useState } from "react";

import type { Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { type FileFilter, FILTERS, fits, isUnchecked } from "./fileFilter";

type FileState = Schemas["FileStateOut"];

interface Folder {
  path: string;
  name: string;
  folders: Map<string, Folder>;
  files: FileState[];
}

interface Props {
  files: readonly FileState[];
  /** Folders in which nothing is. */
  empty: readonly string[];
  filter: FileFilter;
  onFilter: (filter: FileFilter) => void;
  touched: ReadonlySet<string>;
  chosen: string;
  onOpen: (path: string) => void;
}

/** A file that is clicked while its folder still opens would have moved away from under the pointer. */
const AT_ONCE = { groupTransition: { timeout: 0 } };

/** The folders and files of a server, each with its state against the defaults and what is found in it. */
export function FileTree({ files, empty, filter, onFilter, touched, chosen, onOpen }: Props) {
  const [open, setOpen] = useState<string[]>(() => foldersAbove(chosen));
  const shown = useMemo(() => files.filter((file) => fits(file, filter, touched)), [files, filter, touched]);
  const isFiltered = filter.words !== "" || filter.only !== "";
  const root = useMemo(() => tree(shown, isFiltered ? [] : empty), [shown, empty, isFiltered]);
  const isChecking = files.some(isUnchecked);
  const expanded = isFiltered ? [...new Set(shown.flatMap((file) => foldersAbove(file.path)))] : open;
  return (
    <Box sx={{ height: "100%", display: "flex", flexDirection: "column" }}>
      <Box sx={{ p: 1, display: "flex", flexDirection: "column", gap: 1 }}>
        <TextField label="Filter files" value={filter.words} onChange={(event) => { onFilter({ ...filter, words: event.target.value }); }} />
        <TextField
          select
          label="Show"
          value={filter.only}
          onChange={(event) => { onFilter({ ...filter, only: event.target.value }); }}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          {FILTERS.map(({ only, word }) => (
            <MenuItem key={only} value={only}>{word} ({files.filter((file) => fits(file, { words: "", only }, touched)).length.toLocaleString()})</MenuItem>
          ))}
        </TextField>
      </Box>
      <Box sx={{ flex: 1, overflow: "auto", pb: 1 }}>
        {shown.length === 0 && <Typography variant="body2" color="text.secondary" sx={{ px: 1 }}>{isChecking ? "" : "No file fits this filter."}</Typography>}
        {isChecking && <Typography role="status" variant="body2" color="text.secondary" sx={{ px: 1 }}>The files are being checked …</Typography>}
        <SimpleTreeView
          aria-label="Files"
          expandedItems={expanded}
          onExpandedItemsChange={(_, items) => { setOpen(items); }}
          selectedItems={chosen}
          onItemClick={(_, item) => { if (!item.endsWith("/")) onOpen(item); }}
          onItemSelectionToggle={(event, item, isSelected) => {
            if (isSelected && event?.type === "keydown" && !item.endsWith("/")) onOpen(item);
          }}
          sx={{ "& .MuiTreeItem-content": { py: 0.25, gap: 0.5 }, "& .MuiTreeItem-iconContainer": { width: 14 } }}
        >
          <Branch folder={root} touched={touched} />
        </SimpleTreeView>
      </Box>
    </Box>
  );
}

function Branch({ folder, touched }: { folder: Folder; touched: ReadonlySet<string> }) {
  return (
    <>
      {[...folder.folders.values()].map((one) => (
        <TreeItem key={one.path} itemId={one.path} slotProps={AT_ONCE} label={<FolderLabel folder={one} touched={touched} />}>
          <Branch folder={one} touched={touched} />
        </TreeItem>
      ))}
      {folder.files.map((file) => (
        <TreeItem key={file.path} itemId={file.path} label={<FileLabel file={file} isTouched={touched.has(file.path)} />} />
      ))}
    </>
  );
}

function FolderLabel({ folder, touched }: { folder: Folder; touched: ReadonlySet<string> }) {
  const below = allBelow(folder);
  const errors = below.reduce((sum, file) => sum + (file.errors ?? 0), 0);
  const warnings = below.reduce((sum, file) => sum + (file.warnings ?? 0), 0);
  return (
    <Line name={folder.name} folder={folder.path} path={folder.path} isTouched={below.some((file) => touched.has(file.path))}>
      <Counts errors={errors} warnings={warnings} />
    </Line>
  );
}

/** State is shown by its sign; its word is in the tooltip and for those who cannot see it. */
function FileLabel({ file, isTouched }: { file: FileState; isTouched: boolean }) {
  return (
    <Line name={file.path.split("/").at(-1) ?? file.path} folder={file.path.slice(0, file.path.lastIndexOf("/") + 1)} path={file.path} title={[file.path, file.purpose].filter(Boolean).join(": ") + (file.is_executable ? " (executable)" : "")} isTouched={isTouched}>
      <Counts errors={file.errors ?? 0} warnings={file.warnings ?? 0} />
      {file.state !== "as-shipped" && file.state !== "unknown" && <KindMark kind={file.state} isShort />}
    </Line>
  );
}

function Line({ name, folder, path, title, isTouched, children }: { name: string; folder: string; path: string; title?: string; isTouched: boolean; children: React.ReactNode }) {
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 0.75, fontSize: 12.5, minWidth: 0 }} title={title} data-folder={folder} data-path={path}>
      <Box component="span" sx={{ flex: 1, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap", fontWeight: isTouched ? 700 : 400 }}>{name}</Box>
      {children}
    </Box>
  );
}

function Counts({ errors, warnings }: { errors: number; warnings: number }) {
  return (
    <>
      {errors > 0 && <Box component="span" sx={{ color: "error.main", fontSize: 11.5, whiteSpace: "nowrap" }}><KindMark kind="error" isShort /> {errors}</Box>}
      {warnings > 0 && <Box component="span" sx={{ color: "warning.main", fontSize: 11.5, whiteSpace: "nowrap" }}><KindMark kind="warning" isShort /> {warnings}</Box>}
    </>
  );
}

function tree(files: readonly FileState[], empty: readonly string[]): Folder {
  const root: Folder = { path: "", name: "", folders: new Map(), files: [] };
  for (const file of files) folderAt(root, file.path.split("/").slice(0, -1)).files.push(file);
  for (const path of empty) folderAt(root, path.split("/"));
  return root;
}

function folderAt(root: Folder, names: readonly string[]): Folder {
  let folder = root;
  for (const name of names) {
    let next = folder.folders.get(name);
    if (!next) {
      next = { path: `${folder.path}${name}/`, name, folders: new Map(), files: [] };
      folder.folders.set(name, next);
    }
    folder = next;
  }
  return folder;
}

function allBelow(folder: Folder): FileState[] {
  return [...folder.files, ...[...folder.folders.values()].flatMap(allBelow)];
}

function foldersAbove(path: string): string[] {
  const names = path.split("/").slice(0, -1);
  return names.map((_, index) => `${names.slice(0, index + 1).join("/")}/`);
}
