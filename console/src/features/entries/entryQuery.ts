import { queryOptions } from "@tanstack/react-query";

import { answer, api, type Schemas } from "../../api/client";

export type Entries = Schemas["EntriesOut"];
export type Row = Schemas["RowOut"];

/** One condition on a column: `>10`, `<=4`, `=cloth`, `!=cloth`, or a part of the value. */
export interface Condition {
  field: string;
  text: string;
}

/** What is asked of the entries, beside the file and the page. */
export interface EntryFilter {
  search: string;
  only: "" | "changed" | "findings";
  where: readonly Condition[];
}

/** By which field entries are grouped, and of which one the sum is wanted; empty for none. */
export interface Grouping {
  by: string;
  sum: string;
}

export const NO_GROUPS: Grouping = { by: "", sum: "" };

export const NO_FILTER: EntryFilter = { search: "", only: "", where: [] };

/** Entries in a table have a name, and may have a comment and inner entries; every other column is a field. */
export const TRAIL = "trail";
export const COMMENT = "comment";
export const PART = "part:";
export const SETTINGS = "settings";

/** The address of a cell in its file. */
export function addressOf(kind: string, row: Row, field: string): string {
  return kind === SETTINGS || isOwn(field) ? row.address : `${row.address}/${field}`;
}

/** A column that stands for the entry itself and not for a field of it. */
export function isOwn(field: string): boolean {
  return field === TRAIL || field === COMMENT || field.startsWith(PART) || field === "__check__";
}

/** A field's name without the sign of its format. */
export function titleOf(field: string): string {
  return field.replace(/(^|\/)@/g, "$1");
}

export const PAGE = 100;
/** Seconds after which a first page may come before everything is read and checked; then it is asked for again. */
const PATIENCE = 0.25;
const ASK_AGAIN = 400; // milliseconds

/** What is asked of the service for one page of a file. */
interface Asked {
  path: string;
  change: number | null;
  kind?: string;
  /** The place whose page is wanted; then `page` does not count. */
  address?: string;
  below?: string;
  page?: number;
  filter?: EntryFilter;
  sort?: string;
  descending?: boolean;
}

/** A page of entries; with nothing but the file, its first one. */
export function pageOfEntries(serverId: string, { path, change, kind = "", address = "", below = "", page = 0, filter = NO_FILTER, sort = "", descending = false }: Asked) {
  const query = {
    path,
    kind,
    change,
    search: filter.search,
    only: filter.only,
    where: filter.where.map((one) => `${one.field}:${one.text}`),
    sort,
    descending,
    below,
    address,
    offset: page * PAGE,
    limit: PAGE,
    patience: PATIENCE,
  };
  return queryOptions({
    queryKey: ["entries", serverId, query],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/entries", { params: { path: { server_id: serverId }, query } })),
    refetchInterval: (asking) => (asking.state.data?.is_complete === false ? ASK_AGAIN : false),
    retry: false,
  });
}
