import Alert from "@mui/material/Alert";
import Paper from "@mui/material/Paper";
import { lazy, Suspense } from "react";

import type { Schemas } from "../../api/client";
import { DifferenceTable } from "../../shared/DifferenceTable";
import { Loading } from "../../shared/Loading";
import { TextDifference } from "../../shared/TextDifference";

const SideBySide = lazy(async () => ({ default: (await import("./SideBySide")).SideBySide }));

/** How differences are shown. */
export type Shape = "entries" | "text" | "sides";

export const SHAPES: readonly { shape: Shape; word: string }[] = [
  { shape: "entries", word: "by entry" },
  { shape: "text", word: "as text" },
  { shape: "sides", word: "side by side" },
];

interface Props {
  found: Schemas["ComparisonOut"];
  shape: Shape;
  queryKey: readonly unknown[];
  ask: (sides: string) => Promise<Schemas["ComparisonOut"]>;
}

/** What differs between two states, by entry, as the lines that differ, or as two texts side by side. */
export function ComparisonView({ found, shape, queryKey, ask }: Props) {
  return (
    <>
      {found.notes.map((note) => <Alert key={note} severity="warning" variant="outlined" sx={{ mb: 1 }}>{note}</Alert>)}
      {shape === "entries" && <DifferenceTable differences={found.differences} />}
      {shape === "text" && found.texts.map((one) => <Paper key={one.path} sx={{ mb: 1 }}><TextDifference text={one.text} /></Paper>)}
      {shape === "sides" && <Suspense fallback={<Loading />}><SideBySide found={found} queryKey={queryKey} ask={ask} /></Suspense>}
    </>
  );
}
