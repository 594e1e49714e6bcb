import { json } from "@codemirror/lang-json";
import { xml } from "@codemirror/lang-xml";
import { yaml } from "@codemirror/lang-yaml";
import { StreamLanguage } from "@codemirror/language";
import { lua } from "@codemirror/legacy-modes/mode/lua";
import { properties } from "@codemirror/legacy-modes/mode/properties";
import { shell } from "@codemirror/legacy-modes/mode/shell";
import type { Extension } from "@codemirror/state";

const BY_FORMAT: Record<string, () => Extension> = {
  xml: () => xml(),
  yaml: () => yaml(),
  json: () => json(),
  ini: () => StreamLanguage.define(properties),
};

const BY_SUFFIX: Record<string, () => Extension> = {
  sh: () => StreamLanguage.define(shell),
  bat: () => StreamLanguage.define(shell),
  lua: () => StreamLanguage.define(lua),
};

const FORMATS: Record<string, string> = { xml: "xml", yml: "yaml", yaml: "yaml", json: "json", ini: "ini", cfg: "ini", properties: "ini" };

/** How a file is coloured: as the service reads it; where that is not known, or is other text, by its suffix. */
export function languageOf(format: string, path: string): Extension {
  const suffix = path.split(".").at(-1)?.toLowerCase() ?? "";
  const known = format === "" ? FORMATS[suffix] : format;
  return (BY_FORMAT[known ?? ""] ?? BY_SUFFIX[suffix])?.() ?? [];
}
