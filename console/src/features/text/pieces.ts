import type { ChangeSet, Text } from "@codemirror/state";

import type { Schemas } from "../../api/client";

/** The edits since `base` as the service takes them: lines and columns are 1-based, columns count UTF-16 units, as here. */
export function piecesOf(base: Text, changes: ChangeSet): Schemas["PieceIn"][] {
  const pieces: Schemas["PieceIn"][] = [];
  changes.iterChanges((from, to, _fromNew, _toNew, inserted) => {
    const start = base.lineAt(from);
    const end = base.lineAt(to);
    pieces.push({
      from_line: start.number,
      from_column: from - start.from + 1,
      to_line: end.number,
      to_column: to - end.from + 1,
      text: inserted.toString(),
    });
  });
  return pieces;
}

/** The offset of a place that the service names; a place beyond the text is its end. */
export function offsetOf(text: Text, line: number, column: number): number {
  const found = text.line(Math.min(Math.max(line, 1), text.lines));
  return Math.min(found.from + Math.max(column - 1, 0), found.to);
}

/** The one stretch in which two texts differ, so that a new text does not move the cursor or the view. */
export function stretchBetween(old: string, next: string): { from: number; to: number; insert: string } | null {
  if (old === next) return null;
  const most = Math.min(old.length, next.length);
  let from = 0;
  while (from < most && old.charCodeAt(from) === next.charCodeAt(from)) from += 1;
  let tail = 0;
  while (tail < most - from && old.charCodeAt(old.length - 1 - tail) === next.charCodeAt(next.length - 1 - tail)) tail += 1;
  return { from, to: old.length - tail, insert: next.slice(from, next.length - tail) };
}
