import Box from "@mui/material/Box";
import { useSearchParams } from "react-router";

import type { Schemas } from "../../api/client";
import { BundleInstall } from "./BundleInstall";
import { KeptBundles } from "./KeptBundles";
import { SameBundles } from "./SameBundles";
import { ServerBundles } from "./ServerBundles";

/** The bundles of a server, those that are kept, and what one of them would bring. */
export function BundlesTab({ server }: { server: Schemas["ServerOut"] }) {
  const [params, setParams] = useSearchParams();
  const looked = Number(params.get("look") ?? "");
  const look = (bundle: number | null) => { setParams(bundle === null ? {} : { look: String(bundle) }); };
  if (looked > 0) return <BundleInstall key={looked} server={server} bundle={looked} onClose={() => { look(null); }} />;
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      <ServerBundles server={server} onLook={look} />
      <KeptBundles onLook={look} />
      <SameBundles server={server} />
    </Box>
  );
}
