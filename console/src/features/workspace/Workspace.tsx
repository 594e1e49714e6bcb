import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import useMediaQuery from "@mui/material/useMediaQuery";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useMemo, useState } from "react";
import { useNavigate, useParams } from "react-router";

import { answer, api, EMPTY_STEP, type Schemas } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { usePageQuery } from "../../shared/usePageQuery";
import { pageOfEntries } from "../entries/entryQuery";
import { useServer } from "../servers/ServerFrame";
import { ChangeTray } from "./ChangeTray";
import type { Dropped } from "./droppedFiles";
import { DropZone } from "./DropZone";
import { type FileFilter, isUnchecked } from "./fileFilter";
import { FileMenu } from "./FileMenu";
import { FileTable } from "./FileTable";
import { FileTree } from "./FileTree";
import { Inspector } from "./Inspector";
import { fileLink, type FilePlace } from "./links";
import { OpenFile } from "./OpenFile";
import { Panes } from "./Panes";
import { Phone } from "./Phone";
import { TabsOfFiles } from "./TabsOfFiles";
import { UnderFile } from "./UnderFile";
import { useChosenChange } from "./useChosenChange";
import { useEdits } from "./useEdits";
import { usePasted } from "./usePasted";
import { useWorkspaceKeys } from "./useWorkspaceKeys";
import { useWorkbench } from "./workbench";

const AddStepDialog = lazy(async () => ({ default: (await import("../changes/AddStepDialog")).AddStepDialog }));
const ArchiveDialog = lazy(async () => ({ default: (await import("./ArchiveDialog")).ArchiveDialog }));
const GamebookDropDialog = lazy(async () => ({ default: (await import("./GamebookDropDialog")).GamebookDropDialog }));
const PutDialog = lazy(async () => ({ default: (await import("./PutDialog")).PutDialog }));

/** Seconds after which the files are shown before they are checked; then they are asked for again. */
const PATIENCE = 0.2;
const ASK_AGAIN = 500; // milliseconds
const MOST_OF_A_BOOK = 4_000_000; // bytes
const NO_FOLDERS: readonly string[] = [];
const IS_GAMEBOOK = /^gamebook:\s*\d/m;

/** The files of a server: the tree, the open ones, what is known of the selected place, and the change that edits go into. */
export function Workspace() {
  const server = useServer();
  const path = useParams()["*"] ?? "";
  const [search, turnQuery] = usePageQuery();
  const [filter, setFilter] = useState<FileFilter>({ words: "", only: "" });
  const [pasted, setPasted] = useState<string | null>(null);
  const [asked, setAsked] = useState<Schemas["StepIn"] | null>(null);
  const [dropped, setDropped] = useState<{ list: Dropped; folder: string } | null>(null);
  const [book, setBook] = useState<{ name: string; text: string } | null>(null);
  const navigate = useNavigate();
  const queries = useQueryClient();
  const isNarrow = useMediaQuery("(max-width: 760px)");
  const change = useChosenChange(server.id);
  const edits = useEdits(change);
  const openTab = useWorkbench((state) => state.openTab);
  const files = useQuery({
    queryKey: ["files", server.id],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/files", { params: { path: { server_id: server.id }, query: { patience: PATIENCE } } })),
    refetchInterval: (asking) => (asking.state.data?.some(isUnchecked) ? ASK_AGAIN : false),
    enabled: server.last_snapshot !== null,
  });
  const empty = useQuery({
    queryKey: ["files", server.id, "folders"],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/folders", { params: { path: { server_id: server.id } } })),
    enabled: server.last_snapshot !== null,
  });
  const place = placeOf(search);
  const touched = useMemo(() => new Set(edits.detail?.touched ?? []), [edits.detail]);
  useEffect(() => {
    if (path) openTab(server.id, path);
  }, [server.id, path, openTab]);
  const turn = (to: FilePlace) => {
    turnQuery({ ...to });
  };
  const open = (to: string, view: FilePlace = {}) => { void navigate(fileLink(server.id, to, { change: change.id, ...view })); };
  // The service reads the file while the browser builds the empty table.
  const openFromTree = (to: string) => {
    void queries.prefetchQuery(pageOfEntries(server.id, { path: to, change: change.id ?? null }));
    open(to);
  };
  usePasted((text) => {
    if (!path) return;
    setPasted(text);
    void change.ensure(`Paste into ${path}`).catch(() => undefined);
  });
  const [one] = dropped?.list.files ?? [];
  const archive = dropped?.list.files.length === 1 && one?.path.toLowerCase().endsWith(".zip") ? one.file : null;
  const take = async (list: Dropped, folder: string) => {
    const [first] = list.files;
    if (!first) {
      if (list.folders.length > 0) setDropped({ list, folder });
      return;
    }
    const text = list.files.length === 1 && /\.ya?ml$/i.test(first.path) && first.file.size < MOST_OF_A_BOOK ? await first.file.text() : "";
    if (IS_GAMEBOOK.test(text)) setBook({ name: first.path, text });
    else setDropped({ list, folder });
  };
  useWorkspaceKeys({
    undo: edits.undo,
    redo: edits.redo,
    turnView: () => { turn({ view: place.view === "text" ? "entries" : "text" }); },
  });

  if (server.last_snapshot === null) return <Typography sx={{ p: 2 }}>No files are known yet. Press “Fetch files” to take the first snapshot.</Typography>;
  if (files.error) return <ProblemNote error={files.error} />;
  if (!files.data || !change.isReady) return <Loading />;
  const ask = (step: Schemas["StepIn"], title: string) => {
    setAsked(step);
    void change.ensure(title).catch(() => undefined);
  };
  const tree = (
    <FileMenu serverId={server.id} onAsk={ask}>
      <FileTree files={files.data} empty={empty.data ?? NO_FOLDERS} filter={filter} onFilter={setFilter} touched={touched} chosen={path} onOpen={openFromTree} />
    </FileMenu>
  );
  const file = path ? (
    <OpenFile key={path} serverId={server.id} path={path} place={place} change={change} edits={edits} onTurn={turn} />
  ) : (
    <Box sx={{ height: "100%" }}><FileTable serverId={server.id} files={files.data} filter={filter} touched={touched} /></Box>
  );
  const inspector = <Inspector serverId={server.id} address={path && place.address ? `${path}#${place.address}` : path} change={change} edits={edits} />;
  const tray = <ChangeTray change={change} edits={edits} />;
  const dialogs = (
    <>
      {pasted !== null && edits.detail && <AddStepDialog change={edits.detail} initial={{ ...EMPTY_STEP, kind: "merge", address: path, snippet: pasted }} onClose={() => { setPasted(null); }} />}
      {asked && edits.detail && <AddStepDialog change={edits.detail} initial={asked} onClose={() => { setAsked(null); }} />}
      {book && <GamebookDropDialog serverId={server.id} name={book.name} text={book.text} onClose={() => { setBook(null); }} />}
      {archive && <ArchiveDialog serverId={server.id} archive={archive} onClose={() => { setDropped(null); }} />}
      {dropped && !archive && <PutDialog list={dropped.list} folder={dropped.folder} present={new Set(files.data.map((one) => one.path))} edits={edits} onClose={() => { setDropped(null); }} />}
    </>
  );
  if (isNarrow) {
    return <Phone path={path} tree={tree} file={file} inspector={place.address && place.view === "entries" ? inspector : null} tray={tray} onFiles={() => { open(""); }} onLeave={() => { turn({ address: "" }); }} />;
  }
  return (
    <DropZone folder={path.slice(0, path.lastIndexOf("/") + 1)} onDrop={(list, folder) => { void take(list, folder); }}>
      <Panes
        tree={tree}
        head={(folds) => <TabsOfFiles serverId={server.id} path={path} folds={folds} onOpen={open} />}
        file={file}
        under={<UnderFile serverId={server.id} path={path} change={change} onOpen={open} />}
        inspector={inspector}
        tray={tray}
      />
      <Suspense>{dialogs}</Suspense>
    </DropZone>
  );
}

function placeOf(search: URLSearchParams): FilePlace {
  return {
    view: search.get("view") === "text" ? "text" : "entries",
    address: search.get("address") ?? "",
    line: Number(search.get("line") ?? 0),
    kind: search.get("kind") ?? "",
  };
}
