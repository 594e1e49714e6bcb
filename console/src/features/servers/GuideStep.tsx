import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";

/** One part of the guide, with its number. */
export function GuideStep({ number, title, children }: { number: number; title: string; children: ReactNode }) {
  return (
    <Paper component="section" aria-label={title} sx={{ p: 2, mb: 1.5 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>{number}. {title}</Typography>
      {children}
    </Paper>
  );
}
