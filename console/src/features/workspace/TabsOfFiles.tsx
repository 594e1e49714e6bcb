import Box from "@mui/material/Box";
import IconButton from "@mui/material/IconButton";
import Link from "@mui/material/Link";
import Tooltip from "@mui/material/Tooltip";
import { Link as RouterLink } from "react-router";

import { fileLink } from "./links";
import type { Fold } from "./Panes";
import { unsavedKey, useUnsaved } from "./unsaved";
import { useWorkbench } from "./workbench";

const NONE: readonly string[] = [];

interface Props {
  serverId: string;
  path: string;
  folds: Fold[];
  onOpen: (path: string) => void;
}

/** The open files as tabs, and the buttons that fold the panes. */
export function TabsOfFiles({ serverId, path, folds, onOpen }: Props) {
  const open = useWorkbench(({ tabs }) => tabs[serverId]) ?? NONE;
  const closeTab = useWorkbench((state) => state.closeTab);
  const close = (one: string) => {
    closeTab(serverId, one);
    if (one !== path) return;
    const index = open.indexOf(one);
    onOpen(open[index + 1] ?? open[index - 1] ?? "");
  };
  return (
    <Box sx={{ display: "flex", alignItems: "stretch", borderBottom: 1, borderColor: "divider", bgcolor: "background.default", minHeight: 32 }}>
      <Box component="nav" aria-label="Open files" sx={{ flex: 1, minWidth: 0, display: "flex", overflowX: "auto", scrollbarWidth: "thin" }}>
        {open.map((one) => <FileTab key={one} serverId={serverId} path={one} isShown={one === path} name={nameOf(one, open)} onClose={() => { close(one); }} />)}
      </Box>
      <Box sx={{ display: "flex", alignItems: "center", px: 0.5 }}>
        {folds.map((fold) => (
          <Tooltip key={fold.name} title={`${fold.isFolded ? "Show" : "Fold"}: ${fold.name.toLowerCase()}`}>
            <IconButton size="small" aria-label={fold.name} aria-pressed={!fold.isFolded} onClick={fold.turn} sx={{ fontSize: 15, width: 26, color: fold.isFolded ? "text.secondary" : "primary.main" }}>{fold.sign}</IconButton>
          </Tooltip>
        ))}
      </Box>
    </Box>
  );
}

/** The file's name; with its folder where another open file has the same name. */
function nameOf(path: string, open: readonly string[]): string {
  const parts = path.split("/");
  const name = parts.at(-1) ?? path;
  return open.some((other) => other !== path && other.split("/").at(-1) === name) ? parts.slice(-2).join("/") : name;
}

function FileTab({ serverId, path, name, isShown, onClose }: { serverId: string; path: string; name: string; isShown: boolean; onClose: () => void }) {
  const isUnsaved = useUnsaved(({ files }) => unsavedKey(serverId, path) in files);
  return (
    <Box
      sx={{
        display: "flex",
        alignItems: "center",
        flexShrink: 0,
        pl: 1.25,
        borderRight: 1,
        borderColor: "divider",
        bgcolor: isShown ? "background.paper" : "transparent",
        boxShadow: isShown ? (theme) => `inset 0 2px 0 ${theme.vars?.palette.primary.main ?? ""}` : "none",
      }}
    >
      <Link
        component={RouterLink}
        to={fileLink(serverId, path)}
        title={path}
        aria-current={isShown ? "page" : undefined}
        underline="none"
        sx={{ color: isShown ? "text.primary" : "text.secondary", fontSize: 12.5, fontWeight: isShown ? 600 : 400, whiteSpace: "nowrap" }}
      >
        {name}
        {isUnsaved && <Box component="span" role="img" aria-label="not saved" title="Typed text that is not saved" sx={{ color: "warning.main", ml: 0.5 }}>●</Box>}
      </Link>
      <IconButton size="small" aria-label={`Close ${path}`} onClick={onClose} sx={{ fontSize: 13, width: 24, height: 24, ml: 0.25 }}>×</IconButton>
    </Box>
  );
}
