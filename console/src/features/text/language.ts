import { json } from "@codemirror/lang-json";
import { xml } from "@codemirror/lang-xml";
import { yaml } from "@codemirror/lang-yaml";
import { StreamLanguage } from "@codemirror/language";
import { c, java } from "@codemirror/legacy-modes/mode/clike";
import { javascript } from "@codemirror/legacy-modes/mode/javascript";
import { lua } from "@codemirror/legacy-modes/mode/lua";
import { powerShell } from "@codemirror/legacy-modes/mode/powershell";
import { properties } from "@codemirror/legacy-modes/mode/properties";
import { python } from "@codemirror/legacy-modes/mode/python";
import { shell } from "@codemirror/legacy-modes/mode/shell";
import { toml } from "@codemirror/legacy-modes/mode/toml";
import type { Extension } from "@codemirror/state";

const BY_FORMAT: Record<string, () => Extension> = {
  xml: () => xml(),
  yaml: () => yaml(),
  json: () => json(),
  ini: () => StreamLanguage.define(properties),
  properties: () => StreamLanguage.define(properties),
  toml: () => StreamLanguage.define(toml),
  lua: () => StreamLanguage.define(lua),
  javascript: () => StreamLanguage.define(javascript),
  c: () => StreamLanguage.define(c),
  shell: () => StreamLanguage.define(shell),
  batch: () => StreamLanguage.define(shell),
  powershell: () => StreamLanguage.define(powerShell),
  python: () => StreamLanguage.define(python),
};

const BY_SUFFIX: Record<string, () => Extension> = {
  java: () => StreamLanguage.define(java),
};

const FORMATS: Record<string, string> = { xml: "xml", yml: "yaml", yaml: "yaml", json: "json", ini: "ini", cfg: "ini", properties: "ini", toml: "toml", lua: "lua", js: "javascript", sh: "shell", bat: "batch", ps1: "powershell", py: "python" };

/** How a file is coloured: as the service reads it; where that is not known, or is other text, by its suffix. */
export function languageOf(format: string, path: string): Extension {
  const suffix = path.split(".").at(-1)?.toLowerCase() ?? "";
  const known = format === "" ? FORMATS[suffix] : format;
  return (BY_FORMAT[known ?? ""] ?? BY_SUFFIX[suffix])?.() ?? [];
}
