import { create } from "zustand";
import { createJSONStorage, persist } from "zustand/middleware";

import type { Schemas } from "../../api/client";

type Step = Schemas["StepIn"];

interface Workbench {
  /** Paths of the open files, by server. */
  tabs: Record<string, string[]>;
  /** The change that edits go into, by server. */
  chosen: Record<string, number>;
  /** Suggested rules that are put off, by server. */
  later: Record<string, string[]>;
  openTab: (server: string, path: string) => void;
  closeTab: (server: string, path: string) => void;
  choose: (server: string, change: number | undefined) => void;
  /** Put a suggestion off; null shows all again. */
  putOff: (server: string, suggestion: string | null) => void;
}

const MOST_TABS = 12;

/** What the workspace of this browser looks like: it stays as it was left. */
export const useWorkbench = create<Workbench>()(
  persist(
    (set) => ({
      tabs: {},
      chosen: {},
      later: {},
      openTab: (server, path) => {
        set(({ tabs }) => {
          const open = tabs[server] ?? [];
          return open.includes(path) ? {} : { tabs: { ...tabs, [server]: [...open, path].slice(-MOST_TABS) } };
        });
      },
      closeTab: (server, path) => {
        set(({ tabs }) => ({ tabs: { ...tabs, [server]: (tabs[server] ?? []).filter((one) => one !== path) } }));
      },
      putOff: (server, suggestion) => {
        set(({ later }) => ({ later: { ...later, [server]: suggestion === null ? [] : [...(later[server] ?? []), suggestion] } }));
      },
      choose: (server, change) => {
        set(({ chosen }) => {
          const others = Object.fromEntries(Object.entries(chosen).filter(([id]) => id !== server));
          return { chosen: change === undefined ? others : { ...others, [server]: change } };
        });
      },
    }),
    { name: "zerrit.workbench", storage: createJSONStorage(() => localStorage) },
  ),
);

interface Edits {
  /** Steps that were added together from this page, by change; one undo removes the last group. */
  done: Record<number, number[][]>;
  /** Groups of steps that were undone and can be redone, by change; the last one comes back first. */
  undone: Record<number, Step[][]>;
  added: (change: number, steps: number[], isRedo?: boolean) => void;
  removed: (change: number, steps: Step[]) => void;
}

/** What undo and redo work on. A new edit clears what could be redone, as in any editor. */
export const useEditHistory = create<Edits>()((set) => ({
  done: {},
  undone: {},
  added: (change, steps, isRedo = false) => {
    set(({ done, undone }) => ({
      done: { ...done, [change]: [...(done[change] ?? []), steps] },
      undone: { ...undone, [change]: isRedo ? (undone[change] ?? []).slice(0, -1) : [] },
    }));
  },
  removed: (change, steps) => {
    set(({ done, undone }) => ({
      done: { ...done, [change]: (done[change] ?? []).slice(0, -1) },
      undone: { ...undone, [change]: [...(undone[change] ?? []), steps] },
    }));
  },
}));
