import Box from "@mui/material/Box";
import { lazy, type ComponentType } from "react";
import { useParams } from "react-router";

import type { Schemas } from "../../api/client";
import { NoSuchPage } from "../../shared/NoSuchPage";
import { useServer } from "./ServerFrame";

type Area = ComponentType<{ server: Schemas["ServerOut"] }>;

/** Each area is loaded when it is visited. */
const AREAS: Record<string, Area> = {
  findings: lazy(async () => ({ default: (await import("../checks/ChecksTab")).ChecksTab })),
  changes: lazy(async () => ({ default: (await import("../changes/ChangesTab")).ChangesTab })),
  compare: lazy(async () => ({ default: (await import("../compare/CompareTab")).CompareTab })),
  figures: lazy(async () => ({ default: (await import("../figures/ServerFigures")).ServerFigures })),
  bundles: lazy(async () => ({ default: (await import("../bundles/BundlesTab")).BundlesTab })),
  upgrade: lazy(async () => ({ default: (await import("../upgrade/UpgradeTab")).UpgradeTab })),
  gamebook: lazy(async () => ({ default: (await import("../gamebook/GamebookTab")).GamebookTab })),
  review: lazy(async () => ({ default: (await import("../review/ReviewTab")).ReviewTab })),
  timeline: lazy(async () => ({ default: (await import("../timeline/TimelineTab")).TimelineTab })),
  maintenance: lazy(async () => ({ default: (await import("../maintenance/MaintenanceTab")).MaintenanceTab })),
};

/** One area of a server, beside its files. */
export function ServerArea() {
  const { area = "" } = useParams();
  const server = useServer();
  const Shown = AREAS[area];
  return (
    <Box sx={{ flex: 1, minHeight: 0, overflow: "auto", px: { xs: 1.5, sm: 2 }, py: 1.5 }}>
      {Shown ? <Shown server={server} /> : <NoSuchPage />}
    </Box>
  );
}
