import Box from "@mui/material/Box";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { when } from "../../shared/when";

const WIDTH = 280;
const HEIGHT = 64;
const EDGE = 6;

/** The numbers that a value had over time, as steps; nothing where fewer than three values are numbers. */
export function ValuePlot({ past }: { past: readonly Schemas["PastOut"][] }) {
  const [drawn] = useState(() => Date.now());
  const points = past
    .map((one) => ({ at: Date.parse(one.at), value: one.value === null || one.value.trim() === "" ? NaN : Number(one.value), text: one.value ?? "" }))
    .filter((one) => Number.isFinite(one.value))
    .reverse();
  const [first] = points;
  const last = points.at(-1);
  if (!first || !last || points.length < 3 || points.length < past.length) return null;
  const low = Math.min(...points.map((one) => one.value));
  const high = Math.max(...points.map((one) => one.value));
  const now = Math.max(drawn, last.at + 1);
  const x = (at: number) => EDGE + ((at - first.at) / (now - first.at)) * (WIDTH - 2 * EDGE);
  const y = (value: number) => (high === low ? HEIGHT / 2 : HEIGHT - EDGE - ((value - low) / (high - low)) * (HEIGHT - 2 * EDGE));
  const steps = points.map((one, index) => `${index === 0 ? "M" : "H"}${x(one.at).toFixed(1)}${index === 0 ? " " : " V"}${y(one.value).toFixed(1)}`).join(" ");
  return (
    <Box component="figure" sx={{ m: 0, mb: 0.75 }}>
      <svg viewBox={`0 0 ${String(WIDTH)} ${String(HEIGHT)}`} width="100%" role="img" aria-label={`${String(points.length)} values from ${first.text} to ${last.text}, between ${String(low)} and ${String(high)}`}>
        <path d={`${steps} H${(WIDTH - EDGE).toFixed(1)}`} fill="none" stroke="currentColor" strokeWidth="1.5" />
        {points.map((one) => (
          <circle key={one.at} cx={x(one.at)} cy={y(one.value)} r="3" fill="currentColor"><title>{`${one.text}, ${when(new Date(one.at).toISOString())}`}</title></circle>
        ))}
      </svg>
      <Box component="figcaption" sx={{ display: "flex", justifyContent: "space-between", color: "text.secondary", fontSize: 11 }}>
        <span>{when(new Date(first.at).toISOString())}: {first.text}</span>
        <span>now: {last.text}</span>
      </Box>
    </Box>
  );
}
