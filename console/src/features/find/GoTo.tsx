import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Dialog from "@mui/material/Dialog";
import TextField from "@mui/material/TextField";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { useLocation, useNavigate } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { fileLink } from "../workspace/links";
import { pagesOf } from "./pages";

interface Goal {
  group: string;
  title: string;
  detail: string;
  to: string;
  /** A command is done instead; what it returns is where it leads. */
  run?: () => Promise<string>;
}

const GROUPS: Record<Schemas["NameHitOut"]["kind"], string> = {
  server: "Servers",
  file: "Files",
  entry: "Entries and settings",
  change: "Changes",
  snapshot: "Snapshots",
  word: "Words that the game knows",
  finding: "Findings",
  absent: "Known settings that are absent",
};

const FIRST_ENTRIES = 8;

/** One field that leads anywhere: files, entries, settings, changes, snapshots, servers, pages. */
export function GoTo({ onClose }: { onClose: () => void }) {
  const [typed, setTyped] = useState("");
  const navigate = useNavigate();
  const server = useOpenServer();
  const text = useDeferredValue(typed.trim());
  const found = useQuery({
    queryKey: ["search", text],
    queryFn: () => answer(api.GET("/api/v1/search", { params: { query: { text } } })),
    enabled: text.length > 1,
    placeholderData: keepPreviousData,
    retry: false,
    // Files that are new to the service are read for the first search; until all are, it is asked again.
    refetchInterval: ({ state }) => (state.data?.is_complete === false ? 600 : false),
  });
  const hits = text.length > 1 ? (found.data?.hits ?? []) : [];
  const words = text.toLowerCase().split(/\s+/);
  const pages = pagesOf(server).filter((page) => words.every((word) => `${page.title} ${page.detail}`.toLowerCase().includes(word)));
  const commands = useCommands(server).filter((command) => words.every((word) => `${command.title} ${command.detail}`.toLowerCase().includes(word)));
  const fitting = ofGroups(hits, server);
  const others = [...commands, ...pages.map((page) => ({ ...page, group: "Pages" }))];
  // Entries are many; what else fits is seen without scrolling past all of them.
  const rest = fitting.filter((goal) => goal.group === GROUPS.entry).slice(FIRST_ENTRIES).map((goal) => ({ ...goal, group: "More entries and settings" }));
  const first = fitting.filter((goal, index) => goal.group !== GROUPS.entry || index - fitting.findIndex((one) => one.group === GROUPS.entry) < FIRST_ENTRIES);
  const goals: Goal[] = [...first, ...others, ...rest];
  const act = useMutation({
    mutationFn: async (goal: Goal) => goal.run?.() ?? goal.to,
    onSuccess: (to) => {
      onClose();
      if (to) void navigate(to);
    },
  });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" slotProps={{ container: { sx: { alignItems: "flex-start" } } }} aria-label="Go to">
      <Box sx={{ p: 1.5 }}>
        <Autocomplete
          open
          autoHighlight
          openOnFocus
          clearOnBlur={false}
          options={goals}
          filterOptions={(all) => all}
          groupBy={(goal) => goal.group}
          getOptionLabel={(goal) => goal.title}
          getOptionKey={(goal) => `${goal.group} ${goal.to} ${goal.title}`}
          inputValue={typed}
          onInputChange={(_, value, reason) => { if (reason !== "selectOption") setTyped(value); }}
          onChange={(_, goal) => {
            if (goal) act.mutate(goal);
          }}
          noOptionsText={text.length > 1 && (found.isPending || found.data?.is_complete === false) ? "Searching …" : "Nothing fits. Try a part of a name or a value."}
          slotProps={{ popper: { disablePortal: true, sx: { position: "static !important", transform: "none !important", width: "100% !important" } }, paper: { variant: "elevation", elevation: 0 }, listbox: { sx: { maxHeight: "60vh" } } }}
          renderOption={({ key, ...props }, goal) => (
            <Box component="li" key={key} {...props} sx={{ display: "flex", gap: 1.5, alignItems: "baseline", fontSize: 13 }}>
              <Box component="span" sx={{ flexShrink: 0, maxWidth: "60%", overflowWrap: "anywhere" }}>{goal.title}</Box>
              <Box component="span" sx={{ color: "text.secondary", fontSize: 12, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}><Mono>{goal.detail}</Mono></Box>
            </Box>
          )}
          renderInput={(params) => <TextField {...params} autoFocus label="Go to" placeholder="a file, an entry, a value, a word, a finding, a change, a page, a command" />}
        />
        <ProblemNote error={act.error} />
        {act.isPending && <Box role="status" sx={{ color: "text.secondary", fontSize: 12, px: 2 }}>Working …</Box>}
        {hits.length > 0 && found.data?.is_complete === false && <Box role="status" sx={{ color: "text.secondary", fontSize: 12, px: 2 }}>Not every file is read yet; more may come.</Box>}
      </Box>
    </Dialog>
  );
}

/** The server whose page is open, or whose change is. */
function useOpenServer(): string {
  const { pathname } = useLocation();
  const queries = useQueryClient();
  const change = /^\/changes\/(\d+)/.exec(pathname)?.[1];
  if (change !== undefined) return queries.getQueryData<Schemas["ChangeDetail"]>(["change", Number(change)])?.server ?? "";
  return decodeURIComponent(/^\/servers\/([^/]+)/.exec(pathname)?.[1] ?? "");
}

/** What can be done from anywhere: of the server that is open. */
function useCommands(server: string): Goal[] {
  const queries = useQueryClient();
  if (!server) return [];
  const params = { path: { server_id: server } };
  const command = (title: string, detail: string, run: () => Promise<string>): Goal => ({ group: "Commands", title, detail: `${server} · ${detail}`, to: "", run });
  return [
    command("Fetch files", "read what changed on the server", async () => {
      await answer(api.POST("/api/v1/servers/{server_id}/fetch", { params }));
      await askAgain(queries);
      return "";
    }),
    command("New change", "create it, and edit in it", async () => {
      const made = await answer(api.POST("/api/v1/servers/{server_id}/changes", { params, body: { title: "Edits in the workspace" } }));
      await askAgain(queries);
      return fileLink(server, "", { change: made.id });
    }),
    command("Take a snapshot", "keep the files as they are now", async () => {
      await answer(api.POST("/api/v1/servers/{server_id}/snapshots", { params, body: { reason: "taken from the console", pin: false } }));
      await askAgain(queries);
      return `/servers/${server}/timeline`;
    }),
  ];
}

/** By what they are; those of the server that is open come first. */
function ofGroups(hits: readonly Schemas["NameHitOut"][], server: string): Goal[] {
  const order = Object.values(GROUPS);
  const goals = [...hits.filter((hit) => hit.server === server), ...hits.filter((hit) => hit.server !== server)].map((hit) => ({ group: GROUPS[hit.kind], title: hit.title, detail: [hit.server, hit.detail].filter(Boolean).join(" · "), to: linkOf(hit) }));
  return goals.sort((one, other) => order.indexOf(one.group) - order.indexOf(other.group));
}

function linkOf(hit: Schemas["NameHitOut"]): string {
  if (hit.kind === "change") return `/changes/${String(hit.number)}`;
  if (hit.kind === "snapshot") return `/servers/${hit.server}/timeline`;
  if (hit.kind === "server") return `/servers/${hit.server}`;
  if (hit.kind === "word") return `/servers/${hit.server}/gamebook?view=lists`;
  if (hit.kind === "finding") return fileLink(hit.server, hit.path, { view: "text", line: hit.line });
  return fileLink(hit.server, hit.path, { address: hit.address });
}
