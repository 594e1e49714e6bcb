import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";

import { Mono } from "../../shared/Mono";

const FEW = 6;

/** Paths under a title with their number; of many, the first ones until all are asked for. */
export function FileList({ title, paths }: { title: string; paths: readonly string[] }) {
  const [isOpen, setOpen] = useState(false);
  if (paths.length === 0) return null;
  const shown = isOpen ? paths : paths.slice(0, FEW);
  return (
    <Box>
      <Box component="span" sx={{ fontWeight: 600 }}>{title} ({paths.length.toLocaleString()})</Box>
      <Box component="ul" sx={{ m: 0, pl: 2.5, maxHeight: 260, overflow: "auto" }} tabIndex={isOpen ? 0 : undefined} aria-label={title}>
        {shown.map((path) => <Box component="li" key={path} sx={{ overflowWrap: "anywhere" }}><Mono>{path}</Mono></Box>)}
      </Box>
      {paths.length > FEW && <Button size="small" onClick={() => { setOpen(!isOpen); }}>{isOpen ? "Show fewer" : `Show all ${paths.length.toLocaleString()}`}</Button>}
    </Box>
  );
}
