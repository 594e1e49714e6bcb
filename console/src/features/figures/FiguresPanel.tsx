import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";

import { BalanceFigure } from "./BalanceFigure";
import type { FigureOf } from "./FigureForm";
import { FreeNumbers, Derived, Distances } from "./FigureTables";
import { OddsFigure } from "./OddsFigure";

const FIGURES = {
  balance: "Balance: sums by group",
  odds: "Odds of draw tables",
  derived: "Derived values",
  numbers: "Next free numbers",
  distances: "Distances",
} as const;
type Figure = keyof typeof FIGURES;

/** Figures of a server's files, or of what a change makes of them. */
export function FiguresPanel({ of }: { of: FigureOf }) {
  const [figure, setFigure] = useState<Figure>("balance");
  return (
    <>
      <TextField select label="Figure" value={figure} onChange={(event) => { setFigure(event.target.value as Figure); }} sx={{ width: 240, mb: 1, mr: 1 }}>
        {Object.entries(FIGURES).map(([name, label]) => <MenuItem key={name} value={name}>{label}</MenuItem>)}
      </TextField>
      {figure === "balance" && <BalanceFigure of={of} />}
      {figure === "odds" && <OddsFigure of={of} />}
      {figure === "derived" && <Derived of={of} />}
      {figure === "numbers" && <FreeNumbers of={of} />}
      {figure === "distances" && <Distances of={of} />}
    </>
  );
}
