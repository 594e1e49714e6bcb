import type { QueryClient } from "@tanstack/react-query";

/**
 * Ask anew for what is on the page, all or that of one kind, after something was changed. What is being asked for already is let go: its
 * answer may be from before.
 */
export async function askAgain(queries: QueryClient, kind?: string): Promise<void> {
  const which = kind === undefined ? {} : { queryKey: [kind] };
  await queries.cancelQueries(which);
  await queries.invalidateQueries(which);
}
