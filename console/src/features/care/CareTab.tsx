import Box from "@mui/material/Box";

import type { Schemas } from "../../api/client";
import { DriftPanel } from "./DriftPanel";
import { ManualPanel } from "./ManualPanel";
import { KeepingPanel } from "./KeepingPanel";
import { WindowsPanel } from "./WindowsPanel";

/** How a server is looked after: what somebody else wrote, when things happen by themselves, what is kept. */
export function CareTab({ server }: { server: Schemas["ServerOut"] }) {
  return (
    <Box>
      {(server.connection["kind"] === "manual" || server.control["kind"] === "manual") && <ManualPanel server={server} />}
      <DriftPanel serverId={server.id} />
      <WindowsPanel serverId={server.id} />
      <KeepingPanel server={server} />
    </Box>
  );
}
