const PAIRS = [["yes", "no"], ["true", "false"], ["on", "off"], ["1", "0"]];

/** The pair of words for on and off that one of these words belongs to; nothing where none does. */
export function switchPair(words: string[]): string[] {
  return PAIRS.find((pair) => words.some((word) => pair.includes(word.toLowerCase()))) ?? [];
}
