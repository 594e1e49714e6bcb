import Box from "@mui/material/Box";
import { useGridApiContext, type GridRenderEditCellParams } from "@mui/x-data-grid";
import { useEffect, useId, useRef } from "react";

import type { Schemas } from "../../api/client";
import { switchPair } from "../../shared/switches";

/** The cell of a setting being edited: free text, with the words that the gamebook knows for it offered below. */
export function WordCell({ id, field, value, row }: GridRenderEditCellParams<Schemas["RowOut"], string>) {
  const grid = useGridApiContext();
  const list = useId();
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => { input.current?.focus(); }, []);
  const words = row.known?.kind === "switch" ? switchPair([row.cells["value"] ?? ""]) : (row.known?.words ?? []);
  return (
    <>
      <Box
        component="input"
        ref={input}
        list={list}
        value={value ?? ""}
        onChange={(event: React.ChangeEvent<HTMLInputElement>) => { void grid.current.setEditCellValue({ id, field, value: event.target.value }); }}
        sx={{ width: "100%", height: "100%", border: 0, px: 1, font: "inherit", color: "inherit", bgcolor: "transparent", outline: "none" }}
      />
      <datalist id={list}>{words.map((word) => <option key={word} value={word} />)}</datalist>
    </>
  );
}
