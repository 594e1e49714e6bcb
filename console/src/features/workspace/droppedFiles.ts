/** A file that was dropped, with its path below what was dropped: its name, or for a file in a folder `folder/name`. */
export interface DroppedFile {
  path: string;
  file: File;
}

/** What was dropped. `folders` are those in which nothing is. */
export interface Dropped {
  files: DroppedFile[];
  folders: string[];
}

export const MOST_DROPPED = 20_000;

/** All files that were dropped, those in folders too, as far as there are no more than `MOST_DROPPED`. */
export async function droppedFiles(items: DataTransferItemList): Promise<Dropped> {
  // The list is empty as soon as the event is over, so everything in it is taken before anything is waited for.
  const taken = [...items].filter((item) => item.kind === "file").map((item) => ({ entry: item.webkitGetAsEntry(), file: item.getAsFile() }));
  const found: Dropped = { files: [], folders: [] };
  for (const { entry, file } of taken) {
    if (entry) await walk(entry, "", found);
    else if (file) found.files.push({ path: file.name, file });
  }
  return found;
}

async function walk(entry: FileSystemEntry, above: string, found: Dropped): Promise<void> {
  if (found.files.length > MOST_DROPPED) return;
  const path = above ? `${above}/${entry.name}` : entry.name;
  if (entry.isFile) {
    found.files.push({ path, file: await new Promise((done, fail) => { (entry as FileSystemFileEntry).file(done, fail); }) });
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  let isEmpty = true;
  // A reader gives some names at a time, and none at the end.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((done, fail) => { reader.readEntries(done, fail); });
    if (some.length === 0) break;
    isEmpty = false;
    for (const one of some) await walk(one, path, found);
  }
  if (isEmpty) found.folders.push(path);
}

/** The one folder that was dropped, or an empty text where it was files, or several folders. */
export function droppedFolder({ files, folders }: Dropped): string {
  const tops = new Set([...files.map(({ path }) => path), ...folders.map((path) => `${path}/`)].map((path) => (path.includes("/") ? path.slice(0, path.indexOf("/")) : "")));
  const [only] = tops;
  return tops.size === 1 ? (only ?? "") : "";
}
