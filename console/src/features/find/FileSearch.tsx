import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState, type RefObject } from "react";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { MONO } from "../../theme";
import type { FilePlace } from "../workspace/links";
import type { ChosenChange } from "../workspace/useChosenChange";
import { useEditHistory } from "../workspace/workbench";

interface Props {
  serverId: string;
  change: ChosenChange;
  field: RefObject<HTMLInputElement | null>;
  onOpen: (path: string, view?: FilePlace) => void;
}

const NOTHING = { text: "", replacement: "", files: "", word: false, case: false, pattern: false };

/** Search in the text of all files, and replace as steps, place by place. */
export function FileSearch({ serverId, change, field, onOpen }: Props) {
  const [asked, setAsked] = useState(NOTHING);
  const [skipped, setSkipped] = useState<ReadonlySet<string>>(new Set());
  const queries = useQueryClient();
  const query = useDeferredValue(asked);
  const found = useQuery({
    queryKey: ["text-search", serverId, change.id, query],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/text-search", {
          params: { path: { server_id: serverId }, query: { ...query, replacement: query.replacement || null, change: change.id ?? null } },
        }),
      ),
    enabled: query.text !== "",
    placeholderData: keepPreviousData,
    retry: false,
  });
  const noteSteps = useEditHistory((state) => state.added);
  const replace = useMutation({
    mutationFn: async () => {
      const id = await change.ensure(`Replace ${asked.text} by ${asked.replacement}`.slice(0, 200));
      const replaced = await answer(api.POST("/api/v1/changes/{change_id}/replacements", { params: { path: { change_id: id } }, body: { ...asked, skip: [...skipped] } }));
      // What was replaced together is undone together.
      noteSteps(id, replaced.step_ids);
      return replaced;
    },
    onSettled: () => askAgain(queries),
  });
  const set = (part: Partial<typeof NOTHING>) => {
    setAsked((before) => ({ ...before, ...part }));
    setSkipped(new Set());
    replace.reset();
  };
  const turn = (hit: Schemas["TextHitOut"]) => {
    const place = placeKey(hit);
    setSkipped((before) => {
      const after = new Set(before);
      if (!after.delete(place)) after.add(place);
      return after;
    });
  };
  const hits = asked.text && found.data ? found.data.hits : [];
  const left = hits.length > 0 ? (found.data?.total ?? 0) - hits.length : 0;
  const isReplacing = asked.replacement !== "";
  return (
    <Box sx={{ p: 1 }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
        <TextField label="Search for" inputRef={field} value={asked.text} onChange={(event) => { set({ text: event.target.value }); }} sx={{ width: 180 }} />
        <TextField label="Replace by" value={asked.replacement} onChange={(event) => { set({ replacement: event.target.value }); }} sx={{ width: 150 }} />
        <TextField label="Only in files" placeholder="*.xml,*.yml" value={asked.files} onChange={(event) => { set({ files: event.target.value }); }} sx={{ width: 118 }} />
        <Switch label="whole word" isOn={asked.word} onTurn={(word) => { set({ word }); }} />
        <Switch label="match case" isOn={asked.case} onTurn={(on) => { set({ case: on }); }} />
        <Switch label="pattern" isOn={asked.pattern} onTurn={(pattern) => { set({ pattern }); }} />
        {isReplacing && hits.length > 0 && (
          <Button variant="contained" disabled={replace.isPending || left > 0 || query !== asked || skipped.size === hits.length} onClick={() => { replace.mutate(); }}>
            Replace {((found.data?.total ?? 0) - skipped.size).toLocaleString()} places
          </Button>
        )}
      </Box>
      <ProblemNote error={found.error ?? replace.error} />
      <Typography variant="body2" color="text.secondary" role="status" sx={{ my: 0.5 }}>
        {replace.data ? `${replace.data.places.toLocaleString()} places replaced by ${replace.data.steps === 1 ? "1 step" : `${String(replace.data.steps)} steps`}. Ctrl+Z takes them out one by one.` : countOf(asked.text, found.data)}
      </Typography>
      {hits.map((hit) => (
        <Box key={placeKey(hit)} sx={{ display: "flex", alignItems: "center", contentVisibility: "auto", containIntrinsicHeight: "22px" }}>
          {isReplacing && <Checkbox size="small" sx={{ p: 0.25 }} checked={!skipped.has(placeKey(hit))} onChange={() => { turn(hit); }} slotProps={{ input: { "aria-label": `Replace at ${placeKey(hit)}` } }} />}
          <Hit hit={hit} onOpen={onOpen} />
        </Box>
      ))}
      {left > 0 && <Typography variant="body2" color="text.secondary">and {left.toLocaleString()} more that are not listed. Narrow the search to replace them.</Typography>}
    </Box>
  );
}

function Switch({ label, isOn, onTurn }: { label: string; isOn: boolean; onTurn: (on: boolean) => void }) {
  return <FormControlLabel label={label} control={<Checkbox size="small" sx={{ p: 0.5 }} checked={isOn} onChange={(event) => { onTurn(event.target.checked); }} />} sx={{ mx: 0, "& .MuiFormControlLabel-label": { fontSize: 12.5 } }} />;
}

function Hit({ hit, onOpen }: { hit: Schemas["TextHitOut"]; onOpen: (path: string, view?: FilePlace) => void }) {
  return (
    <ButtonBase
      onClick={() => { onOpen(hit.path, { view: "text", line: hit.line }); }}
      sx={{ display: "flex", gap: 1, justifyContent: "flex-start", textAlign: "left", flex: 1, minWidth: 0, py: 0.25, fontSize: 12, "&:hover, &:focus-visible": { bgcolor: "action.hover" } }}
    >
      <Box component="span" sx={{ width: 190, flexShrink: 0, color: "text.secondary", overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}><Mono>{hit.path}:{hit.line}</Mono></Box>
      <Box component="span" sx={{ fontFamily: MONO, whiteSpace: "pre", overflow: "hidden", textOverflow: "ellipsis" }}>
        {hit.before.trimStart()}
        <Box component="mark" sx={{ bgcolor: "action.selected", color: hit.replaced === null ? "inherit" : "error.main", textDecoration: hit.replaced === null ? "none" : "line-through" }}>{hit.match}</Box>
        {hit.replaced !== null && <Box component="ins" sx={{ color: "success.main", textDecoration: "none", fontWeight: 600 }}>{hit.replaced}</Box>}
        {hit.after}
      </Box>
    </ButtonBase>
  );
}

function placeKey(hit: Schemas["TextHitOut"]): string {
  return `${hit.path}:${String(hit.line)}:${String(hit.column)}`;
}

function countOf(text: string, found: Schemas["TextSearchOut"] | undefined): string {
  if (text === "") return "Every file of the server is searched, as the chosen change leaves it.";
  if (!found) return "Searching …";
  if (found.total === 0) return `Not found in ${found.files.toLocaleString()} files.`;
  return `${found.total.toLocaleString()} in ${Object.keys(found.counts).length.toLocaleString()} of ${found.files.toLocaleString()} files.`;
}
