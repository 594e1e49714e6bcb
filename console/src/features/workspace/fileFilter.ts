import type { Schemas } from "../../api/client";

/** Which files are shown: those with all the words, of one state. */
export interface FileFilter {
  words: string;
  only: string;
}

export const FILTERS: readonly { only: string; word: string }[] = [
  { only: "", word: "All files" },
  { only: "findings", word: "With findings" },
  { only: "touched", word: "In this change" },
  { only: "changed", word: "Changed from the defaults" },
  { only: "own", word: "Own files" },
  { only: "as-shipped", word: "As shipped" },
  { only: "watched", word: "Watched" },
];

/** The file is still being checked. */
export function isUnchecked(file: Schemas["FileStateOut"]): boolean {
  return file.errors === null;
}

export function fits(file: Schemas["FileStateOut"], filter: FileFilter, touched: ReadonlySet<string>): boolean {
  const text = `${file.path} ${file.purpose}`.toLowerCase();
  if (!filter.words.toLowerCase().split(/\s+/).every((word) => text.includes(word))) return false;
  if (filter.only === "findings") return (file.errors ?? 0) + (file.warnings ?? 0) > 0;
  if (filter.only === "touched") return touched.has(file.path);
  return filter.only === "" || file.state === filter.only;
}
