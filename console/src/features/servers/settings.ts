import type { Schemas } from "../../api/client";
import forms from "../../api/serverForms.json";

/** A field of a kind of connection, control or database, as its model in the service describes it. */
export type Field = { name: string; label: string; help: string; type: string; default: unknown; choices?: string[] };
export type Kind = { kind: string; label: string; secret: { label: string; isLong: boolean } | null; fields: Field[] };
/** The settings of one kind, by the names of their fields, as they stand in the form. */
export type Sheet = Record<string, string | boolean>;
/** A connection, control or database as it is in the form. */
export type PartDraft = { kind: string; sheet: Sheet; secret: string };

export const CONNECTIONS = forms.connections as Kind[];
export const CONTROLS = forms.controls as Kind[];
export const DATABASES = forms.databases as Kind[];
export const MAINTENANCE: Schemas["Maintenance"] = forms.maintenance;

/** The name of a field in a sheet; a point in it would lead to a group of its own. */
export function inSheet(field: Field): string {
  return field.name.replace(".", "/");
}

export function kindCalled(kinds: Kind[], name: string): Kind {
  const found = kinds.find((kind) => kind.kind === name) ?? kinds[0];
  if (!found) throw new Error("there is no kind at all");
  return found;
}

function shown(field: Field, value: unknown): string | boolean {
  if (field.type === "switch") return value === true;
  if (Array.isArray(value)) return value.join(" ");
  return value === null || value === undefined ? "" : String(value as string | number);
}

/** The sheet of a kind with its defaults. What another kind was given already and this one has too stays. */
export function sheetOf(kind: Kind, before?: { kind: Kind; sheet: Sheet }): Sheet {
  const isDefault = (field: Field) => {
    const old = before?.kind.fields.find((one) => one.name === field.name);
    return !old || before?.sheet[inSheet(field)] === shown(old, old.default);
  };
  return Object.fromEntries(
    kind.fields.map((field) => [inSheet(field), isDefault(field) ? shown(field, field.default) : (before?.sheet[inSheet(field)] ?? "")]),
  );
}

/** The sheet of settings that the service has. */
export function sheetOfSettings(kind: Kind, settings: object): Sheet {
  const at = (name: string) => name.split(".").reduce<unknown>((value, part) => (value as Record<string, unknown> | undefined)?.[part], settings);
  return Object.fromEntries(kind.fields.map((field) => [inSheet(field), shown(field, at(field.name))]));
}

/** The settings that a sheet says, in the shape of the API. */
export function settingsOf(kind: Kind, sheet: Sheet): Record<string, unknown> {
  const settings: Record<string, unknown> = { kind: kind.kind };
  for (const field of kind.fields) {
    const [group, name] = field.name.includes(".") ? field.name.split(".") : ["", field.name];
    const target = group ? ((settings[group] ??= {}) as Record<string, unknown>) : settings;
    target[name ?? field.name] = typed(field, sheet[inSheet(field)] ?? "");
  }
  return settings;
}

function typed(field: Field, value: string | boolean): unknown {
  if (field.type === "number") return value === "" ? null : Number(value);
  if (field.type === "words") return String(value).split(/\s+/).filter(Boolean);
  return value;
}
