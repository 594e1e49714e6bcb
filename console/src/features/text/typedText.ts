import { Annotation, ChangeSet, Text } from "@codemirror/state";
import type { EditorView } from "@codemirror/view";

import { answer, api, ApiProblem, type Schemas } from "../../api/client";
import type { Unsaved } from "../workspace/unsaved";
import { LARGEST_BASE } from "../workspace/unsaved";
import { piecesOf, stretchBetween } from "./pieces";

/** Marks a change that no one typed: text that came from the service. */
export const fromService = Annotation.define<boolean>();

/** What is typed into one file since it was last the same as at the service. */
export class TypedText {
  private changes: ChangeSet;
  /** Typed while a save is on its way. */
  private later: ChangeSet | null = null;

  constructor(
    public base: Text,
    public digest: string,
    changes?: ChangeSet,
  ) {
    this.changes = changes ?? ChangeSet.empty(base.length);
  }

  /** The edits since then. */
  get sinceBase(): ChangeSet {
    return this.changes;
  }

  get isUnsaved(): boolean {
    return !this.changes.empty;
  }

  typed(changes: ChangeSet): void {
    this.changes = this.changes.compose(changes);
    if (this.later) this.later = this.later.compose(changes);
  }

  /** The text as it was typed. */
  get text(): Text {
    return this.changes.apply(this.base);
  }

  /** Where a place of the typed text was in the saved one. */
  inBase(offset: number): number {
    return this.changes.invertedDesc.mapPos(offset);
  }

  body(path: string): Schemas["TypedIn"] {
    return { path, digest: this.digest, text: null, pieces: piecesOf(this.base, this.changes), base: null };
  }

  toUnsaved(): Unsaved {
    const base = this.base.length <= LARGEST_BASE ? this.base.toString() : null;
    return { digest: this.digest, changes: this.changes.toJSON(), base };
  }

  /** Take text that the service has and that no one here has typed into. */
  replace(view: EditorView, text: string, digest: string): void {
    const stretch = stretchBetween(view.state.doc.toString(), plain(text));
    if (stretch) view.dispatch({ changes: stretch, annotations: fromService.of(true) });
    this.base = view.state.doc;
    this.digest = digest;
    this.changes = ChangeSet.empty(this.base.length);
  }

  /** Save what was typed as steps of a change; what is typed in the meantime stays unsaved. */
  async save(view: EditorView, path: string, changeId: number): Promise<Schemas["SavedTextOut"]> {
    const sent = view.state.doc;
    this.later = ChangeSet.empty(sent.length);
    try {
      const saved = await this.send(path, changeId, sent);
      const later = this.later;
      if (saved.text === null) {
        this.base = sent;
        this.changes = later;
      } else {
        // Another person edited the file as well: their part comes in under what was typed since.
        const stretch = stretchBetween(sent.toString(), plain(saved.text));
        const theirs = ChangeSet.of(stretch ?? [], sent.length);
        view.dispatch({ changes: theirs.map(later), annotations: fromService.of(true) });
        this.base = theirs.apply(sent);
        this.changes = later.map(theirs, true);
      }
      this.digest = saved.digest;
      return saved;
    } finally {
      this.later = null;
    }
  }

  private async send(path: string, changeId: number, sent: Text): Promise<Schemas["SavedTextOut"]> {
    const post = (body: Schemas["TypedIn"]) =>
      answer(api.POST("/api/v1/changes/{change_id}/text", { params: { path: { change_id: changeId } }, body }));
    try {
      return await post(this.body(path));
    } catch (error) {
      if (!(error instanceof ApiProblem) || error.kind !== "outdated") throw error;
      return post({ path, digest: this.digest, text: sent.toString(), pieces: [], base: this.base.toString() });
    }
  }
}

/** A text as the editor counts it: every line ends with LF. */
export function plain(text: string): string {
  return text.replace(/\r\n?/g, "\n");
}

/** What was typed before a reload, put back; null where the file is another one now and the text before is not kept. */
export function restored(unsaved: Unsaved, text: string, digest: string): TypedText | null {
  const before = unsaved.digest === digest ? plain(text) : unsaved.base;
  if (before === null) return null;
  const base = Text.of(before.split("\n"));
  try {
    return new TypedText(base, unsaved.digest, ChangeSet.fromJSON(unsaved.changes));
  } catch {
    return null;
  }
}
