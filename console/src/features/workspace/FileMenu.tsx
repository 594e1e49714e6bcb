import Divider from "@mui/material/Divider";
import ListItemText from "@mui/material/ListItemText";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { type MouseEvent, type ReactNode, useState } from "react";

import { EMPTY_STEP, type Schemas } from "../../api/client";

interface Props {
  serverId: string;
  /** The step that was chosen, not yet complete; and what names a change that it opens. */
  onAsk: (step: Schemas["StepIn"], title: string) => void;
  children: ReactNode;
}

interface Opened {
  path: string;
  isFolder: boolean;
  at: { left: number; top: number };
}

/** What can be done with a file or folder of the tree: a right click on it, or the menu key, opens it. */
export function FileMenu({ serverId, onAsk, children }: Props) {
  // What it was opened on is kept while it closes: the browser follows its link after that.
  const [opened, setOpened] = useState<Opened | null>(null);
  const [isOpen, setOpen] = useState(false);
  const open = (event: MouseEvent) => {
    const target = event.target instanceof Element ? event.target : null;
    const marked = target?.closest("[data-path]") ?? target?.querySelector("[data-path]");
    const path = marked instanceof HTMLElement ? (marked.dataset["path"] ?? "") : "";
    if (!marked || path === "") return;
    event.preventDefault();
    const box = marked.getBoundingClientRect();
    // The menu key tells no place of the pointer.
    const at = event.clientX > 0 ? { left: event.clientX, top: event.clientY } : { left: box.left + 16, top: box.bottom };
    setOpened({ path: path.replace(/\/$/, ""), isFolder: path.endsWith("/"), at });
    setOpen(true);
  };
  const close = () => { setOpen(false); };
  const ask = (step: Partial<Schemas["StepIn"]>, word: string) => () => {
    if (!opened) return;
    close();
    onAsk({ ...EMPTY_STEP, kind: "set", address: opened.path, ...step }, `${word} ${opened.path}`);
  };
  const what = opened?.isFolder ? "folder" : "file";
  const saved = opened && `/api/v1/servers/${encodeURIComponent(serverId)}/stored?path=${encodeURIComponent(opened.path)}`;
  return (
    <div onContextMenu={open} style={{ display: "contents" }}>
      {children}
      <Menu open={isOpen} onClose={close} anchorReference="anchorPosition" {...(opened && { anchorPosition: opened.at })}>
        <MenuItem onClick={ask({ kind: "rename", throughout: true, name: opened?.path.split("/").at(-1) ?? "" }, "Rename")}>
          <ListItemText primary="Rename throughout …" secondary="with all that means it in other files" />
        </MenuItem>
        <MenuItem onClick={ask({ kind: "move-file", target: opened?.path ?? "" }, "Move")}>Move the {what} …</MenuItem>
        <MenuItem onClick={ask({ kind: "remove-file" }, "Remove")}>Remove the {what} …</MenuItem>
        {opened?.isFolder && <MenuItem onClick={ask({ kind: "add-folder", address: `${opened.path}/new` }, "Add a folder in")}>Add an empty folder in it …</MenuItem>}
        {!opened?.isFolder && <MenuItem onClick={ask({ kind: "set-executable", executable: true }, "Rights of")}>Make it executable, or not …</MenuItem>}
        <Divider />
        <MenuItem component="a" href={saved ?? ""} download onClick={close}>Save a copy{opened?.isFolder ? " as ZIP" : ""}</MenuItem>
      </Menu>
    </div>
  );
}
