"""Steps that install a bundle, or put another version of it in place of the one that is there."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from hashlib import sha256

from zerrit.core.bundles.installed import InstalledBundle
from zerrit.core.bundles.inventory import is_setting
from zerrit.core.bundles.paths import is_folder, moved, path_for
from zerrit.core.bundles.placement import Placement
from zerrit.core.bundles.switching import names_added
from zerrit.core.documents import Document
from zerrit.core.examination.game_files import Files
from zerrit.core.file_steps import NOT_KEPT, TOO_LARGE, Load, Read
from zerrit.core.merge import Conflict, FileMerge, FileState, KeyNote, key_notes, merge_folders
from zerrit.core.rules.bundles import BundleRules
from zerrit.core.steps import Step, StepKind, whole_file


@dataclass(frozen=True, slots=True)
class Sources:
    """What a plan is made from: the files of the server, how files are read, and the contents by their digests.

    `programs` are the files of the bundle that may be executed.
    """

    files: Files
    read: Read
    load: Load
    programs: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class BundleInstall:
    """The steps and what they come to, by path.

    `new`, `replaced` and `removed` are files that come, change and go; `kept` are those that stay as the admin edited
    them; `merges` those into which the edits are carried. `left` are files of the old version that the new one does not
    have and that stay, with the reason. `added` and `dropped` are the keys of settings that the new version has more and
    less.
    """

    steps: tuple[Step, ...]
    new: tuple[str, ...] = ()
    replaced: tuple[str, ...] = ()
    removed: tuple[str, ...] = ()
    kept: tuple[str, ...] = ()
    merges: tuple[FileMerge, ...] = ()
    conflicts: tuple[Conflict, ...] = ()
    left: Mapping[str, str] = field(default_factory=dict)
    added: tuple[KeyNote, ...] = ()
    dropped: tuple[KeyNote, ...] = ()
    is_base_known: bool = True


def plan_install(
    rules: BundleRules | None,
    placement: Placement,
    digests: Mapping[str, str],
    sources: Sources,
    installed: Sequence[InstalledBundle] = (),
    base: Mapping[str, str] | None = None,
    *,
    needs: Sequence[str] = (),
    choices: Mapping[str, str] | None = None,
    if_refused: str = "fail",
) -> BundleInstall:
    """Install the files of a placement; `digests` are those of the archive's contents by their path in it.

    `base` are the digests of the version that is installed, as it came, by the server's paths; without it, it is not known
    what the admin edited, and every setting that differs is asked about. `choices` decides conflicts by address: mine,
    theirs or =VALUE.

    Raises EditRefused: a list that must name it cannot be written. MergeRefused: a choice fits no conflict.
    """
    old = next((one for one in installed if (one.kind, one.name) == (placement.kind, placement.name)), None)
    new = {path: digests[source] for path, source in placement.files.items()}
    programs = {path: "" for path, source in placement.files.items() if source in sources.programs}
    texts = dict(placement.made)
    if old is not None and rules is not None and old.state == "off":
        new, texts = _where_it_is(rules, placement.name, new), _where_it_is(rules, placement.name, texts)
        programs = _where_it_is(rules, placement.name, programs)
        base = _where_it_is(rules, placement.name, base) if base is not None else None
    plan = _Plan(rules, sources, old, new, texts, base, dict(choices or {}))
    plan.work_out()
    names: list[Step] = []
    if rules is not None and (old is None or old.state != "off"):
        names = names_added(rules, placement.name, needs, sources.files.documents, sources.read, installed)
    return plan.result(_puts(rules, placement, plan.written, frozenset(programs), if_refused), names)


def _where_it_is(rules: BundleRules, name: str, paths: Mapping[str, str]) -> dict[str, str]:
    """The paths of a bundle that is off."""
    return {moved(path, name, rules.when_on, rules.when_off): value for path, value in paths.items()}


class _Plan:
    """Working out what becomes of each file."""

    def __init__(
        self,
        rules: BundleRules | None,
        sources: Sources,
        old: InstalledBundle | None,
        new: Mapping[str, str],
        texts: Mapping[str, str],
        base: Mapping[str, str] | None,
        choices: dict[str, str],
    ) -> None:
        self.rules, self.sources, self.old, self.new, self.base, self.choices = rules, sources, old, new, base, choices
        self.texts = {path: text for path, text in texts.items() if self._mine(path) is None}
        self.written: dict[str, str] = {}
        self.fresh: list[str] = []
        self.replaced: list[str] = []
        self.removed: list[str] = []
        self.kept: list[str] = []
        self.left: dict[str, str] = {}
        self.merged: list[FileMerge] = []
        self.merge_steps: list[Step] = []
        self.added: list[KeyNote] = []
        self.dropped: list[KeyNote] = []
        self._doubtful: list[str] = []

    def _mine(self, path: str) -> str | None:
        """The digest of a file on the server; NOT_KEPT where it is not known, None where there is none."""
        document = self.sources.files.documents.get(path)
        if document is not None:
            return sha256(document.to_bytes()).hexdigest()
        return self.sources.files.others.get(path)

    def work_out(self) -> None:
        for path, theirs in self.new.items():
            self._one(path, theirs)
        self._work_out_merges()
        self._work_out_removals()

    def _one(self, path: str, theirs: str) -> None:
        mine = self._mine(path)
        base = (self.base or {}).get(path)
        if mine == theirs:
            return
        if mine is None:
            self.written[path] = theirs
            self.fresh.append(path)
        elif base is not None and mine == base:
            self.written[path] = theirs
            self.replaced.append(path)
        elif base is not None and theirs == base:
            self.kept.append(path)
        elif base is not None or is_setting(self.rules, path):
            self._doubtful.append(path)
        else:
            self.written[path] = theirs
            self.replaced.append(path)

    def _work_out_merges(self) -> None:
        """Files that both sides changed, or of which it is not known who did."""
        base = {
            path: self._document(self.base[path], path)
            for path in self._doubtful
            if self.base is not None and path in self.base
        }
        mine = {path: self._own(path) for path in self._doubtful}
        theirs = {path: self._document(self.new[path], path) for path in self._doubtful}
        self.merged = merge_folders(base, mine, theirs, self.choices)
        for merge in self.merged:
            path = merge.path
            notes = key_notes(base.get(path), theirs.get(path))
            self.added += notes[0]
            self.dropped += notes[1]
            if not merge.conflicts:
                self._carry(merge, base.get(path), mine[path], theirs[path])
        for path in self.replaced:
            if is_setting(self.rules, path) and self.base is not None and path in self.base:
                notes = key_notes(self._document(self.base[path], path), self._document(self.new[path], path))
                self.added += notes[0]
                self.dropped += notes[1]

    def _carry(self, merge: FileMerge, base: Document | None, mine: Document, theirs: Document) -> None:
        path = merge.path
        if merge.data is None or merge.data == mine.to_bytes():
            self.kept.append(path)
        elif merge.data == theirs.to_bytes():
            self.written[path] = self.new[path]
            self.replaced.append(path)
        elif base is None:  # both have something of it, and nothing of one stands against the other
            self.merge_steps.append(whole_file(path, self.sources.read(merge.data, path)))
        else:
            prefix = f"{path}#"
            chosen = {a.removeprefix(prefix): word for a, word in self.choices.items() if a.startswith(prefix)}
            step = Step(StepKind.MERGE_VERSION, path, base=base.text, content=theirs.text, choices=chosen)
            self.merge_steps.append(step)

    def _work_out_removals(self) -> None:
        """Files of the old version that the new one does not have."""
        there = set(self.old.files) if self.old is not None else set()
        for path in sorted(there - self.new.keys() - self.texts.keys()):
            base = (self.base or {}).get(path)
            if base is None:
                known = (
                    "it did not come with the version that is installed"
                    if self.base is not None
                    else "it is not known whether it came with the version that is installed"
                )
                self.left[path] = known
            elif self._mine(path) == base:
                self.removed.append(path)
            elif self._mine(path) in (NOT_KEPT, TOO_LARGE):
                self.left[path] = "it is only watched, so it is not known whether it is as it came"
            else:
                self.left[path] = "it was edited here"

    def _own(self, path: str) -> Document:
        document = self.sources.files.documents.get(path)
        if document is not None:
            return document
        return self.sources.read(self.sources.files.data(path) or b"", path)

    def _document(self, digest: str, path: str) -> Document:
        return self.sources.read(self.sources.load(digest), path)

    def result(self, puts: Sequence[Step], names: Sequence[Step]) -> BundleInstall:
        """The plan as it is told."""
        made = [Step(StepKind.PUT_FILE, path, content=text) for path, text in self.texts.items()]
        removals = [Step(StepKind.REMOVE_FILE, path) for path in self.removed]
        conflicts = tuple(conflict for merge in self.merged for conflict in merge.conflicts)
        return BundleInstall(
            (*puts, *made, *self.merge_steps, *removals, *names),
            (*self.fresh, *self.texts),
            tuple(self.replaced),
            tuple(self.removed),
            tuple(self.kept),
            tuple(merge for merge in self.merged if merge.state is not FileState.KEPT),
            conflicts,
            self.left,
            tuple(self.added),
            tuple(self.dropped),
            self.base is not None or self.old is None,
        )


def _puts(
    rules: BundleRules | None,
    placement: Placement,
    written: Mapping[str, str],
    programs: frozenset[str],
    if_refused: str,
) -> list[Step]:
    """One step for each folder of the bundle, and one for each single file."""
    homes: Sequence[str] = ()
    if rules is not None:
        homes = [path_for(one, placement.name) for one in (*rules.when_on, *rules.when_off) if is_folder(one)]
    elif placement.files:
        homes = sorted({path.partition("/")[0] for path in placement.files if "/" in path})
    steps: list[Step] = []
    left = dict(written)
    for home in homes:
        inside = {path[len(home) + 1 :]: left.pop(path) for path in list(left) if path.startswith(f"{home}/")}
        if inside:
            run = tuple(path for path in inside if f"{home}/{path}" in programs)
            steps.append(Step(StepKind.PUT_FOLDER, home, files=inside, executables=run, if_refused=if_refused))
    return steps + [
        Step(
            StepKind.PUT_FILE, path, digest=digest, executable=True if path in programs else None, if_refused=if_refused
        )
        for path, digest in left.items()
    ]
