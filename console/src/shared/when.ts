const SHOWN = new Intl.DateTimeFormat(undefined, { dateStyle: "medium", timeStyle: "medium" });

/** A moment in the reader's own time. */
export function when(iso: string): string {
  return SHOWN.format(new Date(iso));
}

/** Seconds between two moments, with one place. */
export function seconds(from: string, to: string | null): string {
  const end = to === null ? Date.now() : Date.parse(to);
  return `${((end - Date.parse(from)) / 1000).toFixed(1)} s`;
}
