import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense } from "react";

import { answer, api } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { EntriesGrid } from "../entries/EntriesGrid";
import type { FilePlace } from "./links";
import { ReadAs } from "./ReadAs";
import type { ChosenChange } from "./useChosenChange";
import type { Edits } from "./useEdits";

const TextEditor = lazy(async () => ({ default: (await import("../text/TextEditor")).TextEditor }));

interface Props {
  serverId: string;
  path: string;
  place: FilePlace;
  change: ChosenChange;
  edits: Edits;
  onTurn: (to: FilePlace) => void;
}

/** One file: its entries as a grid, or its text. */
export function OpenFile({ serverId, path, place, change, edits, onTurn }: Props) {
  return (
    <Box sx={{ height: "100%", display: "flex", flexDirection: "column", minHeight: 0 }}>
      <Box sx={{ display: "flex", alignItems: "center", flexShrink: 0, borderBottom: 1, borderColor: "divider" }}>
        <Tabs value={place.view} onChange={(_, view: "entries" | "text") => { onTurn({ view }); }} sx={{ minHeight: 34, "& .MuiTab-root": { minHeight: 34, py: 0 } }}>
          <Tab value="entries" label="Entries" title="Ctrl+Shift+E" />
          <Tab value="text" label="Text" title="Ctrl+Shift+E" />
        </Tabs>
        <ReadAs serverId={serverId} path={path} />
      </Box>
      <Box sx={{ flex: 1, minHeight: 0 }}>
        {place.view === "text" ? (
          <Text serverId={serverId} path={path} place={place} change={change} onTurn={onTurn} />
        ) : (
          <EntriesGrid serverId={serverId} path={path} kind={place.kind ?? ""} address={place.address ?? ""} change={change} edits={edits} onTurn={onTurn} />
        )}
      </Box>
    </Box>
  );
}

function Text({ serverId, path, place, change, onTurn }: Omit<Props, "edits">) {
  const file = useQuery({
    queryKey: ["file", serverId, path, change.id],
    queryFn: () =>
      answer(api.GET("/api/v1/servers/{server_id}/file", { params: { path: { server_id: serverId }, query: { path, change: change.id ?? null } } })),
    placeholderData: (before) => before,
  });
  if (file.error && !file.data) return <Box sx={{ p: 1 }}><ProblemNote error={file.error} /></Box>;
  if (!file.data) return <Loading />;
  return (
    <>
      {file.error && <Alert severity="warning" variant="outlined">{file.error.message} What you see is from before.</Alert>}
      <Suspense fallback={<Loading />}>
        <TextEditor key={`${serverId}:${path}`} serverId={serverId} file={file.data} change={change} line={place.line ?? 0} onPlace={(address) => { onTurn({ address, line: 0 }); }} />
      </Suspense>
    </>
  );
}
