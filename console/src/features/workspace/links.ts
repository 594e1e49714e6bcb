/** What of a file is shown: its entries or its text, the selected address, a line, and the change that is looked at. */
export interface FilePlace {
  view?: "entries" | "text" | undefined;
  address?: string | undefined;
  line?: number | undefined;
  change?: number | undefined;
  kind?: string | undefined;
}

/** The link to a file in the workspace of its server. */
export function fileLink(serverId: string, path: string, place: FilePlace = {}): string {
  const query = new URLSearchParams();
  for (const [name, value] of Object.entries(place)) {
    if (value !== undefined && value !== "") query.set(name, String(value));
  }
  const asked = query.toString();
  const encoded = path.split("/").map(encodeURIComponent).join("/");
  return `/servers/${encodeURIComponent(serverId)}/files${encoded && `/${encoded}`}${asked && `?${asked}`}`;
}

/** The link to an address `PATH#NODE`, or to a path alone. */
export function addressLink(serverId: string, address: string, place: FilePlace = {}): string {
  const [path, node] = partsOf(address);
  return fileLink(serverId, path, { ...place, address: node });
}

/** The path and the node of `PATH#NODE`; a path alone has no node. */
export function partsOf(address: string): [path: string, node: string] {
  const sign = address.indexOf("#");
  return sign < 0 ? [address, ""] : [address.slice(0, sign), address.slice(sign + 1)];
}
