import { MergeView } from "@codemirror/merge";
import { lineNumbers, EditorView } from "@codemirror/view";
import { EditorState } from "@codemirror/state";
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";

import type { Schemas } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { languageOf } from "../text/language";
import { editorTheme } from "../text/editorTheme";
import { plain } from "../text/typedText";

interface Props {
  /** The comparison; of those files that differ, one is shown. */
  found: Schemas["ComparisonOut"];
  /** What the comparison is known as, and how it is asked for with one complete file. */
  queryKey: readonly unknown[];
  ask: (path: string) => Promise<Schemas["ComparisonOut"]>;
}

/** One file in both states, side by side; what is alike is folded. */
export function SideBySide({ found, queryKey, ask }: Props) {
  const paths = [...new Set(found.differences.map((one) => one.address.split("#")[0] ?? ""))];
  const [chosen, setChosen] = useState("");
  const path = paths.includes(chosen) ? chosen : (paths[0] ?? "");
  const names = useMemo((): [string, string] => [found.old, found.new], [found.old, found.new]);
  const both = useQuery({ queryKey: [...queryKey, "sides", path], queryFn: () => ask(path), enabled: path !== "" });
  if (path === "") return <Box sx={{ p: 2 }}>No difference.</Box>;
  const sides = both.data?.sides;
  return (
    <>
      <TextField select label="File" value={path} onChange={(event) => { setChosen(event.target.value); }} sx={{ minWidth: 320, mb: 1 }}>
        {paths.map((one) => <MenuItem key={one} value={one}>{one}</MenuItem>)}
      </TextField>
      <ProblemNote error={both.error} />
      {both.isPending && <Loading />}
      {sides && sides.old === null && sides.new === null && <Alert severity="info" variant="outlined">{path} is not a text file in these states.</Alert>}
      {sides && (sides.old !== null || sides.new !== null) && <Both path={path} names={names} old={sides.old ?? ""} fresh={sides.new ?? ""} />}
    </>
  );
}

const LONGEST_SCAN = 20_000; // steps of the search for equal parts; beyond, larger stretches are marked

function Both({ path, names, old, fresh }: { path: string; names: [string, string]; old: string; fresh: string }) {
  const parent = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!parent.current) return undefined;
    const extensions = (name: string) => [EditorView.contentAttributes.of({ "aria-label": `${path}: ${name}`, tabindex: "0" }), lineNumbers(), languageOf("", path), editorTheme, EditorView.editable.of(false), EditorState.readOnly.of(true)];
    const view = new MergeView({
      parent: parent.current,
      a: { doc: plain(old), extensions: extensions(names[0]) },
      b: { doc: plain(fresh), extensions: extensions(names[1]) },
      gutter: true,
      collapseUnchanged: { margin: 3, minSize: 6 },
      diffConfig: { scanLimit: LONGEST_SCAN },
    });
    return () => { view.destroy(); };
  }, [path, names, old, fresh]);
  return (
    <Paper>
      <Box sx={{ display: "flex", borderBottom: 1, borderColor: "divider", fontWeight: 600, fontSize: 12.5 }}>
        {names.map((name) => <Box key={name} sx={{ flex: 1, px: 1.5, py: 0.5 }}>{name}</Box>)}
      </Box>
      <Box
        ref={parent}
        role="group"
        aria-label={`${path} in both states`}
        sx={{
          maxHeight: "70vh",
          overflow: "auto",
          "& .cm-merge-a .cm-changedLine, & .cm-deletedChunk": { bgcolor: "color-mix(in srgb, var(--mui-palette-error-main) 10%, transparent)" },
          "& .cm-merge-b .cm-changedLine": { bgcolor: "color-mix(in srgb, var(--mui-palette-success-main) 10%, transparent)" },
          "& .cm-merge-a .cm-changedText": { background: "color-mix(in srgb, var(--mui-palette-error-main) 28%, transparent)" },
          "& .cm-merge-b .cm-changedText": { background: "color-mix(in srgb, var(--mui-palette-success-main) 28%, transparent)" },
          "& .cm-collapsedLines::before, & .cm-collapsedLines::after": { content: '"⋯"' },
          "& .cm-collapsedLines": { background: "var(--mui-palette-action-hover)", color: "text.secondary", px: 1 },
        }}
      />
    </Paper>
  );
}
