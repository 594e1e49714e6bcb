import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import type { Extension } from "@codemirror/state";
import { EditorView } from "@codemirror/view";
import { tags } from "@lezer/highlight";

import { MONO } from "../../theme";

/** The editor in the colours of the console; they follow its scheme by themselves, being CSS variables. */
export const editorTheme: Extension = [
  EditorView.theme({
    "&": { height: "100%", fontSize: "12.5px", backgroundColor: "var(--mui-palette-background-paper)", color: "var(--mui-palette-text-primary)" },
    ".cm-scroller": { fontFamily: MONO, lineHeight: "19px" },
    ".cm-content": { caretColor: "var(--mui-palette-primary-main)" },
    ".cm-gutters": { backgroundColor: "var(--mui-palette-background-default)", color: "var(--mui-palette-text-secondary)", border: "none" },
    ".cm-activeLine": { backgroundColor: "var(--mui-palette-action-hover)" },
    ".cm-activeLineGutter": { backgroundColor: "var(--mui-palette-action-selected)" },
    "&.cm-focused .cm-cursor": { borderLeftColor: "var(--mui-palette-primary-main)" },
    "&.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground, .cm-selectionBackground": { backgroundColor: "var(--mui-palette-action-focus)" },
    ".cm-panels": { backgroundColor: "var(--mui-palette-background-default)", color: "var(--mui-palette-text-primary)" },
    ".cm-tooltip": { backgroundColor: "var(--mui-palette-background-paper)", border: "1px solid var(--mui-palette-divider)", borderRadius: "4px" },
    ".cm-diagnostic": { fontFamily: '"Inter Variable", sans-serif', fontSize: "12.5px", maxWidth: "70ch" },
    ".cm-place": { padding: "6px 10px", fontFamily: '"Inter Variable", sans-serif', fontSize: "12.5px", maxWidth: "60ch" },
    ".cm-place code": { fontFamily: MONO },
  }),
  syntaxHighlighting(
    HighlightStyle.define([
      { tag: [tags.comment, tags.lineComment, tags.blockComment], color: "var(--mui-palette-text-secondary)", fontStyle: "italic" },
      { tag: [tags.tagName, tags.heading, tags.keyword], color: "var(--mui-palette-primary-main)" },
      { tag: [tags.attributeName, tags.propertyName, tags.definition(tags.propertyName)], color: "var(--mui-palette-info-main)" },
      { tag: [tags.string, tags.attributeValue, tags.special(tags.string)], color: "var(--mui-palette-secondary-main)" },
      { tag: [tags.number, tags.bool, tags.null, tags.atom], color: "var(--mui-palette-warning-main)" },
      { tag: tags.invalid, color: "var(--mui-palette-error-main)" },
    ]),
  ),
];
