import type { Schemas } from "../../api/client";

export type Snapshot = Schemas["SnapshotOut"];
export type Moment = { at: string; snapshot: Snapshot } | { at: string; run: Schemas["RunOut"] };

/** What of the timeline is shown: one sort of moments, those of a person, those with all the words. */
export interface TimelineFilter {
  sort: string;
  person: string;
  words: string;
}

export const SORTS: readonly { sort: string; word: string; fits: (moment: Moment) => boolean }[] = [
  { sort: "", word: "Everything", fits: () => true },
  { sort: "snapshots", word: "Snapshots", fits: (moment) => "snapshot" in moment && moment.snapshot.kind === "server" },
  { sort: "good", word: "Snapshots that the game ran on", fits: (moment) => "snapshot" in moment && moment.snapshot.is_good },
  { sort: "pinned", word: "Pinned snapshots", fits: (moment) => "snapshot" in moment && moment.snapshot.pinned !== "" },
  { sort: "defaults", word: "Defaults", fits: (moment) => "snapshot" in moment && moment.snapshot.kind === "defaults" },
  { sort: "runs", word: "Deploys, rollbacks, restarts", fits: (moment) => "run" in moment },
  { sort: "failed", word: "Runs that failed", fits: (moment) => "run" in moment && moment.run.result.startsWith("failed") },
];

/** Who did it; a snapshot has no person of its own. */
export function personOf(moment: Moment): string {
  return "run" in moment ? moment.run.person : "";
}

export function fits(moment: Moment, filter: TimelineFilter): boolean {
  const sort = SORTS.find((one) => one.sort === filter.sort);
  if (sort && !sort.fits(moment)) return false;
  if (filter.person && personOf(moment) !== filter.person) return false;
  const text = "run" in moment ? `${moment.run.outcome} ${moment.run.kind} ${moment.run.result} ${moment.run.changes.join(" ")}` : `${moment.snapshot.reason} ${moment.snapshot.label ?? ""} ${String(moment.snapshot.id)} ${moment.snapshot.pinned}`;
  return filter.words.toLowerCase().split(/\s+/).every((word) => text.toLowerCase().includes(word));
}
