const WORDS: Record<string, string> = {
  restart: "after a restart",
  reload: "after a reload",
  "map change": "with the next map change",
  "new world": "in a new world only",
  rejoin: "when players join again",
};

/** When a written value holds, in words. */
export function effectWord(takesEffect: string): string {
  return WORDS[takesEffect] ?? takesEffect;
}
