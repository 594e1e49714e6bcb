import Box from "@mui/material/Box";

type Tone = "success" | "error" | "warning" | "info" | "text";

const MARKS: Record<string, { sign: string; tone: Tone; word?: string }> = {
  changed: { sign: "◆", tone: "warning" },
  added: { sign: "▲", tone: "success" },
  removed: { sign: "▼", tone: "error" },
  executable: { sign: "◆", tone: "warning", word: "may be run now" },
  "not-executable": { sign: "◆", tone: "warning", word: "may not be run now" },
  "empty-folder-added": { sign: "▲", tone: "success", word: "empty folder added" },
  "empty-folder-removed": { sign: "▼", tone: "error", word: "empty folder removed" },
  moved: { sign: "↕", tone: "info" },
  renamed: { sign: "≡", tone: "info" },
  comment: { sign: "¶", tone: "text" },
  layout: { sign: "·", tone: "text" },
  add: { sign: "▲", tone: "success" },
  combine: { sign: "◆", tone: "warning" },
  replace: { sign: "◈", tone: "warning" },
  same: { sign: "=", tone: "text", word: "same already" },
  skip: { sign: "×", tone: "text" },
  ask: { sign: "?", tone: "error" },
  conflict: { sign: "✕", tone: "error" },
  updated: { sign: "◆", tone: "success", word: "updated" },
  merged: { sign: "◈", tone: "warning", word: "both merged" },
  within: { sign: "✓", tone: "success" },
  outside: { sign: "✕", tone: "error" },
  error: { sign: "■", tone: "error" },
  warning: { sign: "●", tone: "warning" },
  notice: { sign: "○", tone: "info" },
  comes: { sign: "▲", tone: "warning" },
  goes: { sign: "▼", tone: "success" },
  fixes: { sign: "✓", tone: "success" },
  "in-use": { sign: "⊘", tone: "text" },
  unused: { sign: "?", tone: "warning", word: "waives nothing" },
  ended: { sign: "×", tone: "warning" },
  unread: { sign: "◐", tone: "info" },
  read: { sign: "✓", tone: "success" },
  "own value": { sign: "◆", tone: "warning" },
  waived: { sign: "⊘", tone: "text" },
  done: { sign: "✓", tone: "success" },
  failed: { sign: "✗", tone: "error" },
  interrupted: { sign: "‖", tone: "warning" },
  cancelled: { sign: "×", tone: "warning" },
  confirmed: { sign: "★", tone: "success" },
  good: { sign: "✓", tone: "success", word: "the game came up" },
  pinned: { sign: "⚑", tone: "info" },
  right: { sign: "✓", tone: "success" },
  wrong: { sign: "✗", tone: "error" },
  "to do": { sign: "□", tone: "warning" },
  waits: { sign: "…", tone: "text" },
  halted: { sign: "✗", tone: "error" },
  refused: { sign: "✗", tone: "error" },
  odd: { sign: "◆", tone: "warning" },
  split: { sign: "◈", tone: "warning" },
  running: { sign: "…", tone: "info" },
  "set already": { sign: "=", tone: "text" },
  impossible: { sign: "✗", tone: "error" },
  "as-shipped": { sign: "=", tone: "text", word: "as shipped" },
  own: { sign: "▲", tone: "success", word: "own file" },
  watched: { sign: "◌", tone: "text" },
  unknown: { sign: "–", tone: "text", word: "no defaults" },
  deployed: { sign: "✓", tone: "success" },
  "rolled-back": { sign: "↩", tone: "error", word: "rolled back" },
  "failed: rolled back": { sign: "↩", tone: "error" },
  "failed: not written": { sign: "✗", tone: "error" },
  restored: { sign: "↩", tone: "success" },
  restarted: { sign: "✓", tone: "success" },
  checked: { sign: "✓", tone: "info" },
  draft: { sign: "✎", tone: "text" },
  queued: { sign: "…", tone: "info" },
  deploying: { sign: "…", tone: "info" },
  withdrawn: { sign: "×", tone: "text" },
  runs: { sign: "✓", tone: "success" },
  asking: { sign: "…", tone: "text" },
  "no answer": { sign: "✗", tone: "error" },
  crashed: { sign: "✗", tone: "error" },
  stopped: { sign: "■", tone: "warning" },
  on: { sign: "✓", tone: "success" },
  off: { sign: "×", tone: "text" },
  unclear: { sign: "?", tone: "warning" },
  loaded: { sign: "✓", tone: "success" },
  "not loaded": { sign: "✗", tone: "error" },
};

/**
 * A kind as a shape of its own with its word beside it, so that nothing hangs on the colour. Where there is no room the word is in the
 * tooltip, and a screen reader says it.
 */
export function KindMark({ kind, isShort = false }: { kind: string; isShort?: boolean }) {
  const mark = MARKS[kind] ?? { sign: "•", tone: "text" as const };
  const color = mark.tone === "text" ? "text.secondary" : `${mark.tone}.main`;
  if (isShort) {
    return <Box component="span" role="img" aria-label={mark.word ?? kind} title={mark.word ?? kind} sx={{ color, fontWeight: 600, fontSize: "0.86em" }}>{mark.sign}</Box>;
  }
  return (
    <Box component="span" sx={{ color, whiteSpace: "nowrap", fontWeight: 600, fontSize: "0.86em" }}>
      <Box component="span" aria-hidden sx={{ display: "inline-block", width: "1.3em", textAlign: "center" }}>
        {mark.sign}
      </Box>
      {mark.word ?? kind}
    </Box>
  );
}
