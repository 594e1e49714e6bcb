import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { Mono } from "../../shared/Mono";

type List = Schemas["KnownListOut"];

/** The lists with their words, and where they come from. */
export function KnownLists({ lists, onLine }: { lists: List[]; onLine: (line: number) => void }) {
  return (
    <Paper>
      {lists.map((list) => <ListRow key={list.name} list={list} onLine={onLine} />)}
    </Paper>
  );
}

const FEW = 14;

function ListRow({ list, onLine }: { list: List; onLine: (line: number) => void }) {
  const [isOpen, setOpen] = useState(false);
  const words = list.words ?? [];
  const shown = isOpen ? words : words.slice(0, FEW);
  return (
    <Box sx={{ p: 1.25, borderBottom: 1, borderColor: "divider" }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap" }}>
        <strong>{list.name}</strong>
        <Box sx={{ color: "text.secondary" }}>
          {list.words === null ? "not known, since a file that it comes from is broken" : `${String(words.length)} words`}
        </Box>
        <Box sx={{ color: "text.secondary", flex: 1 }}><Mono>{list.source}</Mono></Box>
        <Link component="button" onClick={() => { onLine(list.line); }}>line {list.line}</Link>
      </Box>
      {list.note && <Box sx={{ color: "text.secondary" }}>{list.note}</Box>}
      <Mono>{shown.join(" · ")}</Mono>{" "}
      {words.length > FEW && (
        <Link component="button" onClick={() => { setOpen(!isOpen); }}>{isOpen ? "fewer" : `all ${String(words.length)}`}</Link>
      )}
    </Box>
  );
}
