import createClient from "openapi-fetch";

import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

/** What the service says when it refuses or fails (RFC 9457). */
export class ApiProblem extends Error {
  readonly kind: string;
  readonly status: number;
  readonly facts: Record<string, unknown>;

  constructor(body: unknown, status: number) {
    const problem = isProblem(body) ? body : undefined;
    super(problem?.detail ?? `The service answered ${String(status)} without saying why.`);
    this.kind = problem?.type.split(":").at(-1) ?? "unknown";
    this.status = status;
    this.facts = problem?.facts ?? {};
  }
}

function isProblem(body: unknown): body is Schemas["Problem"] {
  return typeof body === "object" && body !== null && "detail" in body && "type" in body;
}

/** A run that begins at once, without a word to the players. */
export const AT_ONCE: Schemas["OptionsIn"] = { announce: 0, wait: "", rehearse: false };

/** A step that sets a value, before it says which; other kinds change what they need. */
export const EMPTY_STEP: Schemas["StepIn"] = {
  kind: "set", address: "", operation: "", name: "", fields: {}, key: "", where: "", target: "", snippet: "", origin: "", into: "", take: [], existing: "", choices: {}, names: [], base: "", content: "", digest: "", folders: [], executable: null, executables: [], replace_all: false, throughout: false, leave: [], keep: [], keep_ratio: [], alone: false, if_refused: "",
};

export const api = createClient<paths>({ credentials: "same-origin" });

/** The data of an answer; throws an `ApiProblem` where there is none. */
export async function answer<T>(
  asked: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  let got;
  try {
    got = await asked;
  } catch {
    throw new ApiProblem(
      { type: "unreachable", detail: "The service does not answer. Is it still running?" },
      0,
    );
  }
  if (!got.response.ok) throw new ApiProblem(got.error, got.response.status);
  return got.data as T;
}
