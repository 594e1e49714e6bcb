import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { ReactNode } from "react";

/** What a figure is about: a server's files, or what a change makes of them. */
export interface FigureOf { serverId: string; changeId?: number }

/** Fields in a row, and the button that works the figure out. */
export function FigureForm({ children, onSubmit }: { children: ReactNode; onSubmit: () => void }) {
  return (
    <Box component="form" sx={{ display: "flex", gap: 1, mb: 1, flexWrap: "wrap", alignItems: "center" }} onSubmit={(event) => { event.preventDefault(); onSubmit(); }}>
      {children}
      <Button type="submit" variant="outlined">Calculate</Button>
    </Box>
  );
}
