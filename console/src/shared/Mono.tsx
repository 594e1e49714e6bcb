import Box from "@mui/material/Box";
import type { ReactNode } from "react";

import { MONO } from "../theme";

/** Addresses, values and other text that must be read letter by letter. */
export function Mono({ children }: { children: ReactNode }) {
  return (
    <Box component="span" sx={{ fontFamily: MONO, fontSize: "0.92em", overflowWrap: "anywhere" }}>
      {children}
    </Box>
  );
}
