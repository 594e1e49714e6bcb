import type { Schemas } from "../../api/client";
import { CONNECTIONS, CONTROLS, DATABASES, kindCalled, MAINTENANCE, settingsOf, sheetOf, sheetOfSettings, type Kind, type PartDraft } from "./settings";

/** A server as it stands in a form. */
export type Draft = { id: string; title: string; gamebook: string; connection: PartDraft; control: PartDraft; database: PartDraft };
export type Part = "connection" | "control" | "database";

export const PARTS: Record<Part, { label: string; kinds: Kind[] }> = {
  connection: { label: "Connection", kinds: CONNECTIONS },
  control: { label: "Control", kinds: CONTROLS },
  database: { label: "Database", kinds: DATABASES },
};

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
    database: part(DATABASES, server?.database),
  };
}

export function connectionOf({ connection }: Draft): Pick<Schemas["ServerIn"], "connection" | "connection_secret"> {
  return { connection: settingsOf(kindCalled(CONNECTIONS, connection.kind), connection.sheet) as Schemas["ServerIn"]["connection"], connection_secret: connection.secret };
}

export function controlOf({ control }: Draft): Pick<Schemas["ServerIn"], "control" | "control_secret"> {
  return { control: settingsOf(kindCalled(CONTROLS, control.kind), control.sheet) as Schemas["ServerIn"]["control"], control_secret: control.secret };
}

function databaseOf({ database }: Draft): { database: Schemas["ServerOut"]["database"]; database_secret: string } {
  return { database: settingsOf(kindCalled(DATABASES, database.kind), database.sheet) as Schemas["ServerOut"]["database"], database_secret: database.secret };
}

export function serverOf(draft: Draft, known?: Schemas["ServerOut"]): Schemas["ServerIn"] {
  return {
    id: draft.id,
    title: draft.title,
    gamebook: draft.gamebook || null,
    ...connectionOf(draft),
    ...controlOf(draft),
    ...databaseOf(draft),
    maintenance: known?.maintenance ?? MAINTENANCE,
  };
}
