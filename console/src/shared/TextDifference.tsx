import Box from "@mui/material/Box";

import { MONO } from "../theme";

function toneOf(line: string): { color?: string; bgcolor?: string; fontWeight?: number } {
  if (line.startsWith("+++") || line.startsWith("---")) return { fontWeight: 600 };
  if (line.startsWith("@@")) return { color: "info.main" };
  if (line.startsWith("+")) return { color: "success.main", bgcolor: "rgba(60, 150, 90, 0.10)" };
  if (line.startsWith("-")) return { color: "error.main", bgcolor: "rgba(190, 70, 60, 0.10)" };
  return {};
}

/** A unified difference; the sign at the start of each line says what its colour says. */
export function TextDifference({ text }: { text: string }) {
  return (
    <Box sx={{ fontFamily: MONO, fontSize: 12, lineHeight: 1.5, overflowX: "auto", whiteSpace: "pre", py: 0.5 }}>
      {text.split("\n").map((line, index) => (
        <Box key={index} sx={{ px: 1, ...toneOf(line) }}>
          {line || " "}
        </Box>
      ))}
    </Box>
  );
}
