import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink, useParams } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { Trail } from "../../shared/Trail";
import { MaintenanceTab } from "../maintenance/MaintenanceTab";
import { ChangesTab } from "../changes/ChangesTab";
import { ChecksTab } from "../checks/ChecksTab";
import { FilesTab } from "../files/FilesTab";
import { GamebookTab } from "../gamebook/GamebookTab";
import { ReviewTab } from "../review/ReviewTab";
import { TimelineTab } from "../timeline/TimelineTab";
import { FiguresPanel } from "../figures/FiguresPanel";
import { UpgradeTab } from "../upgrade/UpgradeTab";
import { CompareTab } from "./CompareTab";
import { DefaultsDialog } from "./DefaultsDialog";
import { ServerDialog } from "./ServerDialog";

/** One server: its files, what is found in them, its changes, what differs, its figures, its gamebook, its timeline. */
export function ServerPage() {
  const { serverId = "", tab = "files" } = useParams();
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
  if (server.error) return <ProblemNote error={server.error} />;
  if (!server.data) return null;
  const fetched = fetchFiles.data;
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "flex-start", gap: 1, flexWrap: "wrap" }}>
        <Box sx={{ flex: 1, minWidth: 200 }}>
          <Trail steps={[{ name: "Servers", to: "/" }]} title={server.data.title} />
        </Box>
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
      <ProblemNote error={fetchFiles.error} />
      {fetched && (
        <Alert severity="info" variant="outlined" sx={{ mb: 1 }}>
          {fetched.is_new
            ? `Snapshot ${String(fetched.snapshot.id)} with ${String(fetched.snapshot.files)} files. ${[...fetched.changed, ...fetched.added, ...fetched.removed].join(", ")}`
            : `Nothing changed since snapshot ${String(fetched.snapshot.id)}.`}
        </Alert>
      )}
      <Tabs value={tab} variant="scrollable" scrollButtons={false} sx={{ borderBottom: 1, borderColor: "divider", mb: 1.5 }}>
        {["files", "findings", "changes", "compare", "figures", "upgrade", "gamebook", "review", "timeline", "maintenance"].map((name) => (
          <Tab key={name} value={name} label={name[0]?.toUpperCase() + name.slice(1)} component={RouterLink} to={`/servers/${serverId}/${name}`} />
        ))}
      </Tabs>
      {tab === "files" && <FilesTab serverId={serverId} hasFiles={server.data.last_snapshot !== null} />}
      {tab === "findings" && <ChecksTab server={server.data} />}
      {tab === "changes" && <ChangesTab serverId={serverId} />}
      {tab === "compare" && <CompareTab serverId={serverId} />}
      {tab === "figures" && <FiguresPanel of={{ serverId }} />}
      {tab === "upgrade" && <UpgradeTab server={server.data} />}
      {tab === "gamebook" && <GamebookTab server={server.data} />}
      {tab === "review" && <ReviewTab serverId={serverId} />}
      {tab === "maintenance" && <MaintenanceTab server={server.data} />}
      {tab === "timeline" && <TimelineTab serverId={serverId} />}
      {asked === "defaults" && <DefaultsDialog serverId={serverId} onClose={close} />}
      {asked === "settings" && <ServerDialog server={server.data} onClose={close} />}
    </>
  );
}
