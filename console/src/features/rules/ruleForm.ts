import forms from "../../api/ruleForms.json";

export type RuleData = Record<string, unknown>;

export interface RuleField {
  name: string;
  help: string;
  type: "text" | "long" | "number" | "switch" | "choice" | "texts" | "names" | "places" | "words" | "data";
  needed: boolean;
  default: string | number | boolean | null;
  choices?: string[];
}

export interface RuleKind {
  part: string;
  about: string;
  fields: RuleField[];
}

export const KINDS = forms.kinds as RuleKind[];
const COMMON = forms.common as RuleField[];

/** What stands in the fields of a form: text, or yes and no. */
export type Sheet = Record<string, string | boolean>;

/** The part on logs and crash files: it has a form, and holds no rules. */
export const TROUBLE = "trouble";

/** Guesses judge nothing: an accepted one goes to its place in the gamebook, and what every rule may say goes nowhere. */
export const GUESSES = "guesses";

/** All fields of a kind of rule; conditions of one entry have no names for addresses, a closed group has only what every rule has. */
export function fieldsOf(part: string): RuleField[] {
  return [...(KINDS.find((kind) => kind.part === part)?.fields ?? []), ...(part === TROUBLE || part === GUESSES ? [] : COMMON)];
}

/** `price_each` as words. */
export function labelOf(name: string): string {
  const words = name.replace(/[_.]/g, " ");
  return words.charAt(0).toUpperCase() + words.slice(1);
}

export function sheetOf(part: string, data: RuleData): Sheet {
  return Object.fromEntries(fieldsOf(part).map((field) => [field.name, shown(field, valueAt(data, field.name))]));
}

function valueAt(data: RuleData, name: string): unknown {
  const [first = "", second] = name.split(".");
  const value = data[first];
  return second === undefined ? value : (value as RuleData | undefined)?.[second];
}

function shown(field: RuleField, value: unknown): string | boolean {
  if (field.type === "switch") return value === true;
  if (value === undefined || value === null) return "";
  switch (field.type) {
    case "texts":
    case "words":
      return Array.isArray(value) ? value.map(String).join("\n") + (field.type === "words" ? "\n" : "") : plain(value);
    case "places":
      return Array.isArray(value) ? value.map(placeText).join("\n") : "";
    case "names":
      return Object.entries(value as Record<string, unknown>).map(([name, text]) => `${name} = ${plain(text)}`).join("\n");
    case "data":
      return JSON.stringify(value);
    default:
      return plain(value);
  }
}

function plain(value: unknown): string {
  return typeof value === "string" ? value : JSON.stringify(value);
}

function placeText(value: unknown): string {
  if (typeof value === "string") return value;
  return Object.entries(value as Record<string, unknown>).map(([name, text]) => `${name}: ${plain(text)}`).join("");
}

/** The rule as the form says it; keys that the form does not know stay as they were. Throws on data that is not JSON. */
export function dataOf(part: string, sheet: Sheet, before: RuleData): RuleData {
  const fields = fieldsOf(part);
  const known = new Set(fields.map((field) => field.name.split(".")[0]));
  const data: RuleData = Object.fromEntries(Object.entries(before).filter(([name]) => !known.has(name)));
  for (const field of fields) {
    const value = meant(field, sheet[field.name] ?? "");
    if (value === undefined) continue;
    const [first = "", second] = field.name.split(".");
    if (second === undefined) data[first] = value;
    else data[first] = { ...(data[first] as RuleData | undefined), [second]: value };
  }
  return data;
}

function meant(field: RuleField, value: string | boolean): unknown {
  if (typeof value === "boolean") return value ? true : undefined;
  const text = value.trim();
  if (text === "") return undefined;
  const lines = text.split("\n").map((line) => line.trim()).filter(Boolean);
  switch (field.type) {
    case "number":
      return Number.isFinite(Number(text)) ? Number(text) : text;
    case "texts":
      return lines;
    case "words":
      return value.includes("\n") ? lines : text;
    case "places":
      return lines.map((line) => {
        const found = /^(folder|file):\s*(.+)$/.exec(line);
        return found ? { [found[1] ?? ""]: found[2] } : line;
      });
    case "names":
      return Object.fromEntries(lines.map((line) => {
        const at = line.indexOf("=");
        return at < 0 ? [line, ""] : [line.slice(0, at).trim(), line.slice(at + 1).trim()];
      }));
    case "data":
      return JSON.parse(text);
    default:
      return text;
  }
}
