import { EMPTY_STEP, type Schemas } from "../../api/client";
import { addressOf, type Row, SETTINGS } from "./entryQuery";

type Step = Schemas["StepIn"];

/** The step that gives a cell a value: it sets the field, or adds it where the entry does not have it. */
export function valueStep(path: string, kind: string, row: Row, field: string, value: string): Step {
  const address = `${path}#${addressOf(kind, row, field)}`;
  if (kind === SETTINGS || row.cells[field] !== undefined) return { ...EMPTY_STEP, kind: "set", address, operation: `=${value}` };
  const cut = field.lastIndexOf("/");
  const holder = cut < 0 ? row.address : `${row.address}/${field.slice(0, cut)}`;
  return { ...EMPTY_STEP, kind: "add", address: `${path}#${holder}`, name: field.slice(cut + 1), value };
}

/** The step that changes a value by an operation such as `+10`, `*1.2` or `=5`; a value alone is set. */
export function operationStep(path: string, kind: string, row: Row, field: string, operation: string): Step {
  const written = /^[=+\-*/]/.test(operation) ? operation : `=${operation}`;
  return { ...EMPTY_STEP, kind: "set", address: `${path}#${addressOf(kind, row, field)}`, operation: written };
}

/** Rows of cells as spreadsheets put them on the clipboard. */
export function cellsOf(text: string): string[][] {
  return text.replace(/\r\n?/g, "\n").replace(/\n$/, "").split("\n").map((line) => line.split("\t"));
}
