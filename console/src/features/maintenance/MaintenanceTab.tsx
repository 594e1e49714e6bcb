import Box from "@mui/material/Box";

import type { Schemas } from "../../api/client";
import { DriftPanel } from "./DriftPanel";
import { ManualPanel } from "./ManualPanel";
import { RetentionPanel } from "./RetentionPanel";
import { SchedulePanel } from "./SchedulePanel";

/** Maintenance of a server: drift, schedule, retention. */
export function MaintenanceTab({ server }: { server: Schemas["ServerOut"] }) {
  return (
    <Box>
      {(server.connection.kind === "manual" || server.control.kind === "manual") && <ManualPanel server={server} />}
      <DriftPanel serverId={server.id} />
      <SchedulePanel serverId={server.id} />
      <RetentionPanel server={server} />
    </Box>
  );
}
