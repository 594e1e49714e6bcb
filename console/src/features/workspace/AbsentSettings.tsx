import Box from "@mui/material/Box";
import Button from "@mui/material/Button";

import { EMPTY_STEP, type Schemas } from "../../api/client";
import { Mono } from "../../shared/Mono";
import type { Edits } from "./useEdits";

const MOST = 12;

interface Props {
  absent: readonly Schemas["AbsentOut"][];
  path: string;
  edits: Edits;
  /** Of a whole file the group is named, too. */
  isOfFile?: boolean;
}

function placeOf(one: Schemas["AbsentOut"]): string {
  const parent = one.parent.slice(one.parent.indexOf("#") + 1);
  return parent ? `${parent}/${one.name}` : one.name;
}

/** Known settings that the entry, group or file does not have; one with a default can be added as it holds now, with its note. */
export function AbsentSettings({ absent, path, edits, isOfFile = false }: Props) {
  const add = (one: Schemas["AbsentOut"]) => {
    void edits.add([{ ...EMPTY_STEP, kind: "add", address: one.parent, name: one.name, value: one.default, content: one.note }], `Edit ${path}`).catch(() => undefined);
  };
  return (
    <>
      {absent.slice(0, MOST).map((one) => (
        <Box key={`${one.parent}/${one.name}`} sx={{ mb: 0.25 }}>
          <Mono>{isOfFile ? placeOf(one) : one.name}</Mono>{one.is_below_nothing && " (its group is not there either)"}: {one.default ? <>the game takes <Mono>{one.default}</Mono></> : "no default known"}
          {one.default && !one.is_below_nothing && <Button size="small" sx={{ ml: 1, py: 0 }} disabled={edits.isBusy} aria-label={`Add ${one.name}`} onClick={() => { add(one); }}>Add</Button>}
          {one.note && <Box sx={{ color: "text.secondary", fontSize: 11.5 }}>{one.note}</Box>}
        </Box>
      ))}
      {absent.length > MOST && <Box sx={{ color: "text.secondary" }}>and {absent.length - MOST} others</Box>}
    </>
  );
}
