import { answer, api } from "../../api/client";

const SENT_AT_ONCE = 16_000_000; // bytes
const FILES_AT_ONCE = 200;
const ASKED_AT_ONCE = 10_000;

/** Send the bytes of files, some at a time, but for those that the service has; the digest of each, by which a step names it. */
export async function sentContents(files: readonly File[], onSent: (bytes: number, of: number) => void): Promise<Map<File, string>> {
  const digests = await digestsOf(files);
  const missing = await missingOf([...new Set(digests.values())]);
  const left = files.filter((file) => !digests.has(file) || missing.delete(digests.get(file) ?? ""));
  const total = left.reduce((sum, file) => sum + file.size, 0);
  let done = 0;
  while (left.length > 0) {
    const part: File[] = [];
    for (let weight = 0; left[0] && (part.length === 0 || weight + left[0].size <= SENT_AT_ONCE) && part.length < FILES_AT_ONCE; ) {
      weight += left[0].size;
      part.push(left.shift() as File);
    }
    const form = new FormData();
    for (const file of part) form.append("files", file);
    const stored = await answer(api.POST("/api/v1/contents", { body: { files: [] }, bodySerializer: () => form }));
    part.forEach((file, index) => { digests.set(file, stored[index]?.digest ?? ""); });
    done += part.reduce((sum, file) => sum + file.size, 0);
    onSent(done, total);
  }
  return digests;
}

/** The SHA-256 of each file; none where the browser works none out, as on a page that is not secure. */
async function digestsOf(files: readonly File[]): Promise<Map<File, string>> {
  const digests = new Map<File, string>();
  if (!window.isSecureContext) return digests;
  for (const file of files) {
    const sum = await crypto.subtle.digest("SHA-256", await file.arrayBuffer());
    digests.set(file, [...new Uint8Array(sum)].map((byte) => byte.toString(16).padStart(2, "0")).join(""));
  }
  return digests;
}

async function missingOf(digests: string[]): Promise<Set<string>> {
  const missing = new Set<string>();
  for (let start = 0; start < digests.length; start += ASKED_AT_ONCE) {
    const asked = digests.slice(start, start + ASKED_AT_ONCE);
    for (const one of await answer(api.POST("/api/v1/contents/missing", { body: { digests: asked } }))) missing.add(one);
  }
  return missing;
}
