import Box from "@mui/material/Box";
import { useState, type ReactNode } from "react";
import { Group, Panel, Separator, useDefaultLayout, usePanelRef, type PanelImperativeHandle } from "react-resizable-panels";

/** A pane that can be folded, as its button shows it. */
export interface Fold {
  name: string;
  sign: string;
  isFolded: boolean;
  turn: () => void;
}

interface Props {
  tree: ReactNode;
  head: (folds: Fold[]) => ReactNode;
  file: ReactNode;
  under: ReactNode;
  inspector: ReactNode;
  tray: ReactNode;
}

/** The panes of the workspace. They are resized by their edges, folded by their buttons, and stay as they were left. */
export function Panes({ tree, head, file, under, inspector, tray }: Props) {
  const across = useDefaultLayout({ id: "zerrit.panes.across", storage: localStorage });
  const down = useDefaultLayout({ id: "zerrit.panes.down", storage: localStorage });
  const treePane = usePanelRef();
  const underPane = usePanelRef();
  const inspectorPane = usePanelRef();
  const [folded, setFolded] = useState({ tree: false, under: false, inspector: false });
  const note = (name: keyof typeof folded) => (size: { inPixels: number }) => {
    setFolded((before) => ({ ...before, [name]: size.inPixels < 2 }));
  };
  const fold = (name: string, sign: string, isFolded: boolean, pane: { current: PanelImperativeHandle | null }): Fold => ({
    name,
    sign,
    isFolded,
    turn: () => {
      if (isFolded) pane.current?.expand();
      else pane.current?.collapse();
    },
  });
  const folds = [
    fold("File tree", "◧", folded.tree, treePane),
    fold("Findings and search", "⬓", folded.under, underPane),
    fold("Inspector", "◨", folded.inspector, inspectorPane),
  ];
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex", flexDirection: "column" }}>
      <Group id="across" orientation="horizontal" defaultLayout={across.defaultLayout} onLayoutChanged={across.onLayoutChanged} style={{ flex: 1, minHeight: 0 }}>
        <Panel id="tree" panelRef={treePane} defaultSize="20%" minSize="150px" collapsible onResize={note("tree")}><Content isFolded={folded.tree}>{tree}</Content></Panel>
        <Edge name="Width of the file tree" isUpright />
        <Panel id="middle" minSize="260px">
          <Box sx={{ height: "100%", display: "flex", flexDirection: "column", minWidth: 0 }}>
            {head(folds)}
            <Group id="down" orientation="vertical" defaultLayout={down.defaultLayout} onLayoutChanged={down.onLayoutChanged} style={{ flex: 1, minHeight: 0 }}>
              <Panel id="file" minSize="120px">{file}</Panel>
              <Edge name="Height of findings and search" />
              <Panel id="under" panelRef={underPane} defaultSize="24%" minSize="90px" collapsible onResize={note("under")}><Content isFolded={folded.under}>{under}</Content></Panel>
            </Group>
          </Box>
        </Panel>
        <Edge name="Width of the inspector" isUpright />
        <Panel id="inspector" panelRef={inspectorPane} defaultSize="24%" minSize="180px" collapsible onResize={note("inspector")}><Content isFolded={folded.inspector}>{inspector}</Content></Panel>
      </Group>
      {tray}
    </Box>
  );
}

/** What is folded cannot be reached by keyboard either. */
function Content({ isFolded, children }: { isFolded: boolean; children: ReactNode }) {
  return <Box sx={{ height: "100%", visibility: isFolded ? "hidden" : "visible" }}>{children}</Box>;
}

/** The line between two panes: dragged with the mouse, or moved with the arrow keys. */
function Edge({ name, isUpright = false }: { name: string; isUpright?: boolean }) {
  return (
    <Box
      component={Separator}
      aria-label={name}
      sx={{
        [isUpright ? "width" : "height"]: 5,
        flexShrink: 0,
        bgcolor: "divider",
        transition: "background-color 120ms",
        "&:hover, &:focus-visible": { bgcolor: "primary.main", outline: "none" },
      }}
    />
  );
}
