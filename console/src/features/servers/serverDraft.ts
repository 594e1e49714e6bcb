import type { Schemas } from "../../api/client";
import { CONNECTIONS, CONTROLS, kindCalled, MAINTENANCE, settingsOf, sheetOf, sheetOfSettings, type Kind, type PartDraft } from "./settings";

/** A server as it stands in a form. */
export type Draft = { id: string; title: string; gamebook: string; connection: PartDraft; control: PartDraft };

export const PARTS = [
  { which: "connection", label: "Connection", kinds: CONNECTIONS },
  { which: "control", label: "Control", kinds: CONTROLS },
] as const;

function part(kinds: Kind[], settings?: { kind: string }): PartDraft {
  const kind = kindCalled(kinds, settings?.kind ?? "");
  return { kind: kind.kind, sheet: settings ? sheetOfSettings(kind, settings) : sheetOf(kind), secret: "" };
}

export function draftOf(server?: Schemas["ServerOut"]): Draft {
  return {
    id: server?.id ?? "",
    title: server?.title ?? "",
    gamebook: server?.gamebook ?? "",
    connection: part(CONNECTIONS, server?.connection),
    control: part(CONTROLS, server?.control),
  };
}

export function connectionOf({ connection }: Draft): Pick<Schemas["ServerIn"], "connection" | "connection_secret"> {
  return { connection: settingsOf(kindCalled(CONNECTIONS, connection.kind), connection.sheet) as Schemas["ServerIn"]["connection"], connection_secret: connection.secret };
}

export function controlOf({ control }: Draft): Pick<Schemas["ServerIn"], "control" | "control_secret"> {
  return { control: settingsOf(kindCalled(CONTROLS, control.kind), control.sheet) as Schemas["ServerIn"]["control"], control_secret: control.secret };
}

export function serverOf(draft: Draft, known?: Schemas["ServerOut"]): Schemas["ServerIn"] {
  return {
    id: draft.id,
    title: draft.title,
    gamebook: draft.gamebook || null,
    ...connectionOf(draft),
    ...controlOf(draft),
    maintenance: known?.maintenance ?? MAINTENANCE,
  };
}
