import { create } from "zustand";
import { createJSONStorage, persist } from "zustand/middleware";

/** Text that was typed and is not saved: the edits since `digest`, as the editor writes them, and the text they began with. */
export interface Unsaved {
  digest: string;
  changes: unknown;
  /** Kept for files that fit; with it the service can merge edits that another person saved first. */
  base: string | null;
}

interface Store {
  files: Record<string, Unsaved>;
  keep: (key: string, unsaved: Unsaved) => void;
  drop: (key: string) => void;
}

export const LARGEST_BASE = 1_000_000;

/** By server and file; it survives a reload, a lost connection and an ended session. */
export const useUnsaved = create<Store>()(
  persist(
    (set) => ({
      files: {},
      keep: (key, unsaved) => { set(({ files }) => ({ files: { ...files, [key]: unsaved } })); },
      drop: (key) => { set(({ files }) => ({ files: Object.fromEntries(Object.entries(files).filter(([one]) => one !== key)) })); },
    }),
    {
      name: "zerrit.unsaved",
      storage: createJSONStorage(() => ({
        getItem: (name) => sessionStorage.getItem(name),
        removeItem: (name) => { sessionStorage.removeItem(name); },
        setItem: (name, value) => {
          try {
            sessionStorage.setItem(name, value);
          } catch {
            // The storage is full. The text is still in the editor, and leaving the page asks first.
          }
        },
      })),
    },
  ),
);

export function unsavedKey(serverId: string, path: string): string {
  return `${serverId}:${path}`;
}
