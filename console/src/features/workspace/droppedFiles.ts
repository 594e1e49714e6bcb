/** A file that was dropped, with its path below what was dropped: its name, or for a file in a folder `folder/name`. */
export interface DroppedFile {
  path: string;
  file: File;
}

export const MOST_DROPPED = 500;

/** All files that were dropped, those in folders too, as far as there are no more than `MOST_DROPPED`. */
export async function droppedFiles(items: DataTransferItemList): Promise<DroppedFile[]> {
  // The list is empty as soon as the event is over, so everything in it is taken before anything is waited for.
  const taken = [...items].filter((item) => item.kind === "file").map((item) => ({ entry: item.webkitGetAsEntry(), file: item.getAsFile() }));
  const found: DroppedFile[] = [];
  for (const { entry, file } of taken) {
    if (entry) await walk(entry, "", found);
    else if (file) found.push({ path: file.name, file });
  }
  return found;
}

async function walk(entry: FileSystemEntry, above: string, found: DroppedFile[]): Promise<void> {
  if (found.length > MOST_DROPPED) return;
  const path = above ? `${above}/${entry.name}` : entry.name;
  if (entry.isFile) {
    found.push({ path, file: await new Promise((done, fail) => { (entry as FileSystemFileEntry).file(done, fail); }) });
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  // A reader gives some names at a time, and none at the end.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((done, fail) => { reader.readEntries(done, fail); });
    if (some.length === 0) return;
    for (const one of some) await walk(one, path, found);
  }
}
