import { closeBrackets, closeBracketsKeymap } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap, indentWithTab } from "@codemirror/commands";
import { bracketMatching, foldGutter, foldKeymap, indentOnInput } from "@codemirror/language";
import { lintGutter, lintKeymap, setDiagnostics } from "@codemirror/lint";
import { highlightSelectionMatches, search, searchKeymap } from "@codemirror/search";
import { EditorState, type Extension } from "@codemirror/state";
import { crosshairCursor, drawSelection, EditorView, highlightActiveLine, highlightActiveLineGutter, keymap, lineNumbers, rectangularSelection } from "@codemirror/view";
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { addressLink } from "../workspace/links";
import { unsavedKey, useUnsaved } from "../workspace/unsaved";
import type { ChosenChange } from "../workspace/useChosenChange";
import { useEditHistory } from "../workspace/workbench";
import { completion, diagnosticsOf, hoverHelp, placeAt } from "./knowledge";
import { languageOf } from "./language";
import { editorTheme } from "./editorTheme";
import { offsetOf, piecesOf } from "./pieces";
import { fromService, plain, restored, TypedText } from "./typedText";

const CHECK_AFTER = 400; // milliseconds of quiet
const KEEP_AFTER = 300;
const PLACE_AFTER = 250;

interface Props {
  serverId: string;
  file: Schemas["FileOut"];
  change: ChosenChange;
  /** The line to show, 1-based; 0 for none. */
  line: number;
  onPlace: (address: string) => void;
}

/** What the editor, which lives as long as its file is open, asks for at the time. */
interface Current extends Omit<Props, "line"> {
  save: () => void;
  follow: (to: "refers_to" | "referred_by", offset: number) => void;
}

/** A file as text. What is typed is checked while one types, and saved as steps by meaning. */
export function TextEditor({ serverId, file, change, line, onPlace }: Props) {
  const parent = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const typed = useRef<TypedText | null>(null);
  const queries = useQueryClient();
  const noteSteps = useEditHistory((state) => state.added);
  const key = unsavedKey(serverId, file.path);
  const [isUnsaved, setUnsaved] = useState(false);
  const [isSaving, setSaving] = useState(false);
  const [problem, setProblem] = useState<Error | null>(null);
  const [isBehind, setBehind] = useState(false);
  const [lost, setLost] = useState(false);
  const [told, setTold] = useState("");
  const [elsewhere, setElsewhere] = useState<Schemas["FindingOut"][]>([]);
  const navigate = useNavigate();
  const current = useRef<Current>({ serverId, file, change, onPlace, save: () => undefined, follow: () => undefined });
  const save = async () => {
    const editor = view.current;
    const text = typed.current;
    if (!editor || !text?.isUnsaved || isSaving) return;
    setSaving(true);
    setProblem(null);
    try {
      const id = await change.ensure(`Edit ${file.path}`);
      const saved = await text.save(editor, file.path, id);
      const detail = await answer(api.GET("/api/v1/changes/{change_id}", { params: { path: { change_id: id } } }));
      // What was typed is undone as one.
      noteSteps(id, detail.step_list.filter((step) => saved.positions.includes(step.position)).map((step) => step.id));
      setBehind(false);
      settle(text);
    } catch (error) {
      setProblem(error as Error);
    } finally {
      setSaving(false);
      await askAgain(queries);
    }
  };
  const settle = (text: TypedText) => {
    setUnsaved(text.isUnsaved);
    if (text.isUnsaved) useUnsaved.getState().keep(key, text.toUnsaved());
    else useUnsaved.getState().drop(key);
  };
  /** To what the value at the cursor refers to, or to what refers to it. */
  const follow = async (to: "refers_to" | "referred_by", offset: number) => {
    const text = typed.current;
    if (!text) return;
    try {
      const place = await placeAt(serverId, file.path, change.id, text.base, text.inBase(offset));
      const about = await answer(api.GET("/api/v1/servers/{server_id}/about", { params: { path: { server_id: serverId }, query: { address: `${file.path}#${place.address}`, change: change.id ?? null } } }));
      const [first] = about[to];
      const nothing = to === "refers_to" ? "The gamebook knows no place that this value refers to." : "The gamebook knows no place that refers to this value.";
      setTold(first ? (about[to].length > 1 ? `The first of ${String(about[to].length)}; the inspector lists all.` : "") : nothing);
      if (first) void navigate(addressLink(serverId, first.address, { view: "text", line: first.line, change: change.id }));
    } catch (error) {
      setProblem(error as Error);
    }
  };
  useEffect(() => {
    current.current = { serverId, file, change, onPlace, save: () => { void save(); }, follow: (to, offset) => { void follow(to, offset); } };
  });

  // One editor for a file; what comes from the service later is put into it, so that the cursor and the view stay.
  useEffect(() => {
    if (!parent.current) return undefined;
    const begun = current.current.file;
    const kept = useUnsaved.getState().files[key];
    const before = kept && restored(kept, begun.text, begun.digest);
    const text = before ?? new TypedText(EditorState.create({ doc: plain(begun.text) }).doc, begun.digest);
    typed.current = text;
    setLost(kept !== undefined && !before);
    setBehind(before !== undefined && before !== null && before.digest !== begun.digest);
    setUnsaved(text.isUnsaved);
    const timers = { check: 0, keep: 0, place: 0 };
    const ask = async (offset: number) => {
      const now = current.current;
      try {
        return await placeAt(now.serverId, now.file.path, now.change.id, text.base, text.inBase(offset));
      } catch {
        return null; // help that does not come is no reason to disturb who types
      }
    };
    const check = async (editor: EditorView) => {
      const now = current.current;
      const asked = text.sinceBase;
      try {
        const found = await answer(
          api.POST("/api/v1/servers/{server_id}/typed", {
            params: { path: { server_id: now.serverId }, query: { change: now.change.id ?? null } },
            body: { path: now.file.path, digest: text.digest, text: null, pieces: piecesOf(text.base, asked), base: null },
          }),
        );
        if (asked === text.sinceBase && editor === view.current) show(editor, found.findings, found.safe_fix);
        setElsewhere(found.elsewhere);
      } catch {
        // The service is away, or the file has changed: saving says so, and what is typed is kept.
      }
    };
    const listener = EditorView.updateListener.of((update) => {
      if (update.docChanged && !update.transactions.some((one) => one.annotation(fromService))) {
        text.typed(update.changes);
        setUnsaved(text.isUnsaved);
        window.clearTimeout(timers.check);
        window.clearTimeout(timers.keep);
        timers.check = window.setTimeout(() => { void check(update.view); }, CHECK_AFTER);
        timers.keep = window.setTimeout(() => { settle(text); }, KEEP_AFTER);
      }
      if (update.selectionSet || update.docChanged) {
        window.clearTimeout(timers.place);
        timers.place = window.setTimeout(() => {
          void ask(update.state.selection.main.head).then((place) => {
            // An answer that comes after the page was left would lead back to it.
            if (place && view.current === update.view) current.current.onPlace(place.address);
          });
        }, PLACE_AFTER);
      }
    });
    const editor = new EditorView({
      parent: parent.current,
      state: EditorState.create({
        doc: text.text,
        extensions: [...BASICS, languageOf(begun.format, begun.path), editorTheme, EditorView.contentAttributes.of({ "aria-label": `Text of ${begun.path}`, tabindex: "0" }), listener, hoverHelp(ask), completion(ask), keymap.of([{ key: "Mod-s", preventDefault: true, run: () => { current.current.save(); return true; } }, ...FOLLOW.map(({ key: pressed, to }) => ({ key: pressed, preventDefault: true, run: (editor: EditorView) => { current.current.follow(to, editor.state.selection.main.head); return true; } }))])],
      }),
    });
    view.current = editor;
    show(editor, begun.findings, begun.safe_fix);
    if (text.isUnsaved) void check(editor);
    return () => {
      Object.values(timers).forEach((timer) => { window.clearTimeout(timer); });
      settle(text);
      view.current = null;
      editor.destroy();
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `current` has whatever changes while the editor lives
  }, [key]);

  useEffect(() => {
    const editor = view.current;
    const text = typed.current;
    if (!editor || !text || isSaving || text.digest === file.digest) return;
    if (text.isUnsaved) {
      setBehind(true);
      return;
    }
    text.replace(editor, file.text, file.digest);
    show(editor, file.findings, file.safe_fix);
  }, [file, isSaving]);

  useEffect(() => {
    const editor = view.current;
    if (!editor || line < 1) return;
    const at = offsetOf(editor.state.doc, line, 1);
    editor.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: "center" }) });
  }, [line, key]);

  useEffect(() => {
    if (!isUnsaved) return undefined;
    const ask = (event: BeforeUnloadEvent) => { event.preventDefault(); };
    window.addEventListener("beforeunload", ask);
    return () => { window.removeEventListener("beforeunload", ask); };
  }, [isUnsaved]);

  const discard = () => {
    if (view.current && typed.current) typed.current.replace(view.current, file.text, file.digest);
    useUnsaved.getState().drop(key);
    setUnsaved(false);
    setBehind(false);
    setLost(false);
    setProblem(null);
    setElsewhere([]);
    if (view.current) show(view.current, file.findings, file.safe_fix);
  };
  return (
    <Box sx={{ height: "100%", display: "flex", flexDirection: "column", minHeight: 0 }}>
      {(isUnsaved || problem) && (
        <Box sx={{ display: "flex", alignItems: "center", gap: 1, px: 1, py: 0.5, borderBottom: 1, borderColor: "divider" }}>
          <Box sx={{ flex: 1, fontWeight: 600 }} role="status">Typed text that is not saved</Box>
          {elsewhere.length > 0 && <Box sx={{ color: "warning.main" }}>{elsewhere.length} new in other files: {elsewhere[0]?.path}</Box>}
          <Button color="inherit" onClick={discard}>Discard typed text</Button>
          <Button variant="contained" disabled={isSaving} title="Ctrl+S" onClick={() => { void save(); }}>{isSaving ? "Saving …" : "Save as steps"}</Button>
        </Box>
      )}
      {isBehind && <Alert severity="warning" variant="outlined">This file was changed in the meantime. Save your text: it is merged with the new version, or you are told what does not fit.</Alert>}
      {lost && (
        <Alert severity="warning" variant="outlined" action={<Button color="inherit" onClick={discard}>Discard</Button>}>
          You typed into an earlier version of this file, and it is not at hand any more. What you typed: <code>{insertedOf(useUnsaved.getState().files[key]?.changes)}</code>
        </Alert>
      )}
      <ProblemNote error={problem} />
      {told && <Alert severity="info" variant="outlined" onClose={() => { setTold(""); }} sx={{ py: 0 }}>{told}</Alert>}
      <Box ref={parent} aria-label="Text of the file" sx={{ flex: 1, minHeight: 0, overflow: "hidden" }} />
    </Box>
  );
}

/** Mark the findings at their places; a click on a mark offers the safe fixes of the file. */
function show(editor: EditorView, findings: readonly Schemas["FindingOut"][], fix: Schemas["OfferedFixOut"] | null): void {
  const offered = fix && {
    label: fix.findings === 1 ? "Apply the safe fix" : `Apply ${String(fix.findings)} safe fixes`,
    apply: () => {
      const from = offsetOf(editor.state.doc, fix.piece.from_line, fix.piece.from_column);
      const to = offsetOf(editor.state.doc, fix.piece.to_line, fix.piece.to_column);
      editor.dispatch({ changes: { from, to, insert: fix.piece.text } });
    },
  };
  editor.dispatch(setDiagnostics(editor.state, diagnosticsOf(editor.state.doc, findings, offered)));
}

/** The words that were typed, of edits that cannot be put back into their text. */
function insertedOf(changes: unknown): string {
  if (!Array.isArray(changes)) return "";
  return changes.filter(Array.isArray).map((piece: unknown[]) => piece.slice(1).join("\n")).filter(Boolean).join(" … ").slice(0, 2000);
}

const FOLLOW = [
  { key: "F12", to: "refers_to" },
  { key: "Shift-F12", to: "referred_by" },
] as const;

const BASICS: Extension[] = [
  lineNumbers(),
  foldGutter(),
  lintGutter(),
  highlightActiveLine(),
  highlightActiveLineGutter(),
  history(),
  drawSelection(),
  rectangularSelection(),
  crosshairCursor(),
  EditorState.allowMultipleSelections.of(true),
  indentOnInput(),
  bracketMatching(),
  closeBrackets(),
  search({ top: true }),
  highlightSelectionMatches(),
  keymap.of([...closeBracketsKeymap, ...defaultKeymap, ...searchKeymap, ...historyKeymap, ...foldKeymap, ...lintKeymap, indentWithTab]),
];
