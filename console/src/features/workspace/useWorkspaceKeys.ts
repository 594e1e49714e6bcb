import { useEffect, useRef } from "react";

import { isTyped } from "../../shared/isTyped";

interface Actions {
  undo: () => void;
  redo: () => void;
  turnView: () => void;
}

/** Keys of the workspace. Those that also mean something in a field or in the editor are left to it. */
export function useWorkspaceKeys(actions: Actions): void {
  const current = useRef(actions);
  useEffect(() => { current.current = actions; });
  useEffect(() => {
    const pressed = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey) || event.altKey || event.defaultPrevented) return;
      const key = event.key.toLowerCase();
      if (key === "e" && event.shiftKey) current.current.turnView();
      else if (isTyped(event.target)) return;
      else if (key === "z" && event.shiftKey) current.current.redo();
      else if (key === "z") current.current.undo();
      else return;
      event.preventDefault();
    };
    window.addEventListener("keydown", pressed);
    return () => { window.removeEventListener("keydown", pressed); };
  }, []);
}
