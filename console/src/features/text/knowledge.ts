import { autocompletion, type CompletionContext, type CompletionResult } from "@codemirror/autocomplete";
import type { Diagnostic } from "@codemirror/lint";
import type { Extension, Text } from "@codemirror/state";
import { hoverTooltip } from "@codemirror/view";

import { answer, api, type Schemas } from "../../api/client";
import { offsetOf } from "./pieces";

export type Place = Schemas["AddressOut"];

/** Asks what a place in the file belongs to; the offset is one of the text as it is saved. */
export type AskPlace = (offset: number) => Promise<Place | null>;

export async function placeAt(serverId: string, path: string, changeId: number | undefined, text: Text, offset: number): Promise<Place> {
  const line = text.lineAt(Math.min(offset, text.length));
  return answer(
    api.GET("/api/v1/servers/{server_id}/address", {
      params: {
        path: { server_id: serverId },
        query: { path, line: line.number, column: offset - line.from + 1, change: changeId ?? null },
      },
    }),
  );
}

const SEVERITY: Record<string, Diagnostic["severity"]> = { error: "error", warning: "warning", notice: "info" };

/** Findings as marks at their places; where the file has safe fixes, each mark offers them. */
export function diagnosticsOf(text: Text, findings: readonly Schemas["FindingOut"][], fix: { label: string; apply: () => void } | null): Diagnostic[] {
  const found = findings.map((finding): Diagnostic => {
    const from = offsetOf(text, finding.line, finding.column);
    const rest = text.sliceString(from, text.lineAt(from).to);
    const word = /^[\w.-]+/.exec(rest)?.[0].length ?? 1;
    return {
      from,
      to: Math.min(from + word, text.length),
      severity: SEVERITY[finding.severity] ?? "info",
      source: finding.code,
      message: `${finding.message} ${finding.hint}`.trim(),
      ...(fix && finding.severity === "error" && { actions: [{ name: fix.label, apply: fix.apply }] }),
    };
  });
  return found.sort((one, other) => one.from - other.from);
}

/** What the gamebook knows of the field under the pointer. */
export function hoverHelp(ask: AskPlace): Extension {
  return hoverTooltip(async (_view, pos) => {
    const place = await ask(pos);
    if (!place?.address) return null;
    return {
      pos,
      create: () => {
        const dom = document.createElement("div");
        dom.className = "cm-place";
        const address = document.createElement("code");
        address.textContent = place.address;
        dom.append(address);
        for (const text of [place.known?.allowed, place.known?.note]) {
          if (text) dom.append(document.createElement("br"), text);
        }
        return { dom };
      },
    };
  });
}

/** The words that the gamebook knows for the value at the cursor. */
export function completion(ask: AskPlace): Extension {
  const source = async (context: CompletionContext): Promise<CompletionResult | null> => {
    const typed = context.matchBefore(/[^"'=:<>,[\]{}\n]*/);
    if (!typed || (!context.explicit && typed.text.trim() === "")) return null;
    const place = await ask(context.pos);
    const words = place?.known?.kind === "switch" ? ["true", "false"] : (place?.known?.words ?? []);
    if (context.aborted || words.length === 0) return null;
    const from = typed.from + (typed.text.length - typed.text.trimStart().length);
    return { from, options: words.map((label) => ({ label, type: "constant" })), validFor: /^[^"'=:<>,[\]{}\n]*$/ };
  };
  return autocompletion({ override: [source], activateOnTypingDelay: 200 });
}
