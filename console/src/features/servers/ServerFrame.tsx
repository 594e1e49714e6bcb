import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Suspense, useState } from "react";
import { Outlet, Link as RouterLink, useLocation, useOutletContext, useParams } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { Trail } from "../../shared/Trail";
import { usePageTitle } from "../../shared/usePageTitle";
import { DefaultsDialog } from "./DefaultsDialog";
import { ServerDialog } from "./ServerDialog";

const AREAS = ["files", "findings", "changes", "compare", "figures", "bundles", "upgrade", "gamebook", "review", "timeline", "maintenance"];

/** The server whose page is open. */
export function useServer(): Schemas["ServerOut"] {
  return useOutletContext<Schemas["ServerOut"]>();
}

/** One server: its name, what is done with all of it, and the way to its areas. */
export function ServerFrame() {
  const { serverId = "" } = useParams();
  const [, , , named, ...rest] = useLocation().pathname.split("/");
  const area = named || "files";
  const file = decodeURIComponent(rest.at(-1) ?? "");
  const [asked, setAsked] = useState<"defaults" | "settings" | null>(null);
  const close = () => { setAsked(null); };
  const queries = useQueryClient();
  const path = { server_id: serverId };
  const server = useQuery({
    queryKey: ["servers", serverId],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}", { params: { path } })),
  });
  const fetchFiles = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/servers/{server_id}/fetch", { params: { path } })),
    onSuccess: () => askAgain(queries),
  });
  usePageTitle(server.data ? [area === "files" ? file : area, server.data.title].filter(Boolean).join(" · ") : "");
  if (server.error) return <Box sx={{ p: 2 }}><ProblemNote error={server.error} /></Box>;
  if (!server.data) return <Loading />;
  const fetched = fetchFiles.data;
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex", flexDirection: "column" }}>
      <Box sx={{ display: "flex", alignItems: "center", columnGap: 1.5, flexWrap: { xs: "wrap", md: "nowrap" }, px: { xs: 1.5, sm: 2 }, pt: { xs: 0.75, md: 0 }, borderBottom: 1, borderColor: "divider", flexShrink: 0 }}>
        <Trail steps={[{ name: "Servers", to: "/" }]} title={server.data.title} isShort />
        <Tabs value={AREAS.includes(area) ? area : false} variant="scrollable" scrollButtons={false} sx={{ flex: 1, minWidth: { xs: "100%", md: 0 }, order: { xs: 3, md: 0 }, "& .MuiTab-root": { minWidth: 0, px: 1 } }}>
          {AREAS.map((name) => (
            <Tab key={name} value={name} label={name[0]?.toUpperCase() + name.slice(1)} component={RouterLink} to={`/servers/${serverId}/${name}`} />
          ))}
        </Tabs>
        <Box sx={{ display: "flex", gap: 0.75, py: 0.75, ml: "auto", whiteSpace: "nowrap" }}>
          <Button color="inherit" onClick={() => { setAsked("settings"); }}>
            Settings
          </Button>
          <Button variant="outlined" onClick={() => { setAsked("defaults"); }}>
            Import defaults
          </Button>
          <Button variant="contained" disabled={fetchFiles.isPending} onClick={() => { fetchFiles.mutate(); }}>
            {fetchFiles.isPending ? "Fetching …" : "Fetch files"}
          </Button>
        </Box>
      </Box>
      <ProblemNote error={fetchFiles.error} />
      {fetched && (
        <Alert severity="info" variant="outlined" sx={{ m: 1 }} onClose={() => { fetchFiles.reset(); }}>
          {fetched.is_new
            ? `Snapshot ${String(fetched.snapshot.id)} with ${String(fetched.snapshot.files)} files. ${[...fetched.changed, ...fetched.added, ...fetched.removed].join(", ")}`
            : `Nothing changed since snapshot ${String(fetched.snapshot.id)}.`}
        </Alert>
      )}
      <Suspense fallback={<Loading />}>
        <Outlet context={server.data} />
      </Suspense>
      {asked === "defaults" && <DefaultsDialog serverId={serverId} onClose={close} />}
      {asked === "settings" && <ServerDialog server={server.data} onClose={close} />}
    </Box>
  );
}
