import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";

import { BalanceFigure } from "./BalanceFigure";
import { DerivedFigure } from "./DerivedFigure";
import { DistancesFigure } from "./DistancesFigure";
import type { FigureOf } from "./FigureForm";
import { FreeNumbers } from "./FreeNumbers";
import { LoopsFigure } from "./LoopsFigure";
import { OddsFigure } from "./OddsFigure";
import { RoomFigure } from "./RoomFigure";

const FIGURES = {
  balance: { label: "Balance: sums by group", Figure: BalanceFigure },
  room: { label: "Make room: what to lower", Figure: RoomFigure },
  odds: { label: "Odds of draw tables", Figure: OddsFigure },
  derived: { label: "Derived values, such as prices", Figure: DerivedFigure },
  loops: { label: "Loops of trades that gain", Figure: LoopsFigure },
  numbers: { label: "Next free numbers", Figure: FreeNumbers },
  distances: { label: "Distances", Figure: DistancesFigure },
} as const;
type Name = keyof typeof FIGURES;

/** Figures of a server's files, or of what a change makes of them. */
export function FiguresPanel({ of }: { of: FigureOf }) {
  const [name, setName] = useState<Name>("balance");
  const { Figure } = FIGURES[name];
  return (
    <>
      <TextField select label="Figure" value={name} onChange={(event) => { setName(event.target.value as Name); }} sx={{ width: 260, mb: 1, mr: 1 }}>
        {Object.entries(FIGURES).map(([key, { label }]) => <MenuItem key={key} value={key}>{label}</MenuItem>)}
      </TextField>
      <Figure of={of} />
    </>
  );
}
