interface Page {
  title: string;
  detail: string;
  to: string;
}

const AREAS: readonly [string, string][] = [
  ["files", "the workspace"],
  ["findings", "what is found in the files, and waivers"],
  ["changes", "open and deployed changes"],
  ["compare", "two states side by side"],
  ["figures", "sums, room, odds, prices, loops, distances"],
  ["upgrade", "carry your changes over to new defaults"],
  ["gamebook", "what the game accepts"],
  ["review", "settings that no one has reviewed"],
  ["timeline", "snapshots, deploys and rollbacks"],
  ["maintenance", "schedule, drift, retention"],
];

/** The pages of the console; those of a server where one is open. */
export function pagesOf(server: string): Page[] {
  const general: Page[] = [
    { title: "Overview", detail: "every server, and what needs attention", to: "/" },
    { title: "All servers", detail: "one setting on every server", to: "/servers" },
    { title: "Shelf", detail: "snippets that are kept, and where they were put", to: "/shelf" },
    { title: "Add a server", detail: "reach its files, test it, first snapshot, first report", to: "/add-server" },
    { title: "Account", detail: "password, sessions and tokens", to: "/account" },
  ];
  const own = server ? AREAS.map(([area, detail]) => ({ title: `${area[0]?.toUpperCase() ?? ""}${area.slice(1)}`, detail: `${server} · ${detail}`, to: `/servers/${server}/${area}` })) : [];
  return [...own, ...general];
}
