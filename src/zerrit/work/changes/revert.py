"""Revert one old change and keep everything that came after it, by a three-way merge."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Final, Literal

from sqlalchemy.orm import Session

from zerrit.core.checks import Files, touched
from zerrit.core.compare import Difference, FileSet, OtherFile, compare_file_sets
from zerrit.core.documents import Document
from zerrit.core.errors import MergeRefused
from zerrit.core.examination.game_files import databases_in
from zerrit.core.file_steps import NOT_KEPT, TOO_LARGE, Marks
from zerrit.core.gamebooks import Gamebook
from zerrit.core.merge import Conflict, merge_three
from zerrit.core.paths import folders_of
from zerrit.core.states import ChangeState, RunState
from zerrit.core.steps import Step, StepKind, touched_others, whole_file
from zerrit.core.wording import counted
from zerrit.records import Change, Server, content_sizes
from zerrit.work.base.errors import Refused, WrongState
from zerrit.work.base.run_records import runs_of_change
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import create_with_steps, files_after, get_change, replayed_on, step_of
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.snapshots import (
    files_of,
    get_snapshot,
    require_latest,
)


@dataclass(frozen=True)
class Reversion:
    """What taking one old change back would do to the latest files. `change` is the one that was opened for it."""

    change_id: int
    steps: tuple[Step, ...]
    differences: tuple[Difference, ...]
    conflicts: tuple[Conflict, ...]
    change: Change | None = None


def revert_change(
    workspace: Workspace,
    person: str,
    change_id: int,
    choices: Mapping[str, str],
    *,
    rest: Literal["", "current", "previous"] = "",
    create: bool = False,
    title: str = "",
) -> Reversion:
    """Revert what one deployed change did, and keep all that came since.

    It is a three-way merge: from what the change made back to what was before it, brought into the latest files. Where
    later changes touched the same places, those conflict; `choices` decides them by address (`current` leaves the
    newest, `previous` takes the old one, or `=VALUE`), `rest` all others. With `create` a change is opened.

    Raises NotFound, WrongState: it was never deployed. Refused: it would do nothing, or something is undecided.
    """
    with workspace.session() as session:
        change = get_change(session, change_id)
        server = get_server(session, change.server_id)
        gamebook, _ = gamebook_of(session, server)
        before, after, moved = _around(workspace, session, server, gamebook, change)
        now = files_of(workspace, session, server, require_latest(session, server.id))
        default_title = f"Revert change {change_id}: {change.title}"[:200]
    sides = {address: _SIDES.get(choice, choice) for address, choice in choices.items()}
    steps: list[Step] = []
    conflicts: list[Conflict] = []
    became, others = dict(now.documents), dict(now.others)
    back = _moved_back(moved, now)
    for new, old in back.items():
        steps.append(Step(StepKind.MOVE_FILE, new, target=old))
        others[old] = others.pop(new)
    done = {*moved, *moved.values()}
    differing = {*touched(before.documents, after.documents), *touched_others(before.others, after.others)}
    for path in sorted(differing - done):
        made = _reverted_file(path, (before, after, now), sides, _SIDES.get(rest, ""))
        is_rewritten = (gamebook is not None and gamebook.is_rewritten(path)) or path in databases_in(
            now.documents, [path]
        )
        made = made if is_rewritten else _exact(path, made, (before, after, now))
        conflicts += made.conflicts
        if made.step is not None:
            steps.append(made.step)
            others.pop(path, None)
            became.pop(path, None)
        if made.document is not None:
            became[path] = made.document
        elif made.step is not None and made.step.digest:
            others[path] = made.step.digest
    steps += _marks_back(before.marks, after.marks, now.marks, {*became, *others})
    with workspace.session() as session:
        differences = _differing(session, now, replace(now, documents=became, others=others))
    found = Reversion(change_id, tuple(steps), differences, tuple(conflicts))
    if not create:
        return found
    if conflicts:
        raise Refused(
            f"{counted(len(conflicts), 'place')} changed since; decide first which value holds: {conflicts[0].address}."
        )
    if not steps:
        raise Refused(f"Nothing of change {change_id} is left to be taken back.")
    opened = create_with_steps(workspace, person, server.id, title or default_title, steps)
    return Reversion(change_id, found.steps, found.differences, (), opened)


#: The sides of the merge that reverts a change: the latest files, and what was before the change.
_SIDES: Final = {"current": "mine", "previous": "theirs"}


@dataclass(frozen=True, slots=True)
class _Reverted:
    step: Step | None = None
    document: Document | None = None
    conflicts: tuple[Conflict, ...] = ()


def _differing(session: Session, now: Files, became: Files) -> tuple[Difference, ...]:
    paths = {*touched(now.documents, became.documents), *touched_others(now.others, became.others)}
    sizes = content_sizes(session, [files.others[p] for files in (now, became) for p in paths if p in files.others])
    old, new = (
        FileSet(
            {p: one.documents[p] for p in paths if p in one.documents},
            {p: OtherFile(sizes.get(one.others[p], 0), one.others[p]) for p in paths if p in one.others},
        )
        for one in (now, became)
    )
    return tuple(compare_file_sets(old, new))


def _moved_back(moved: Mapping[str, str], now: Files) -> dict[str, str]:
    """The files that the change only moved and that can go back: the path that they have, and the one of before."""
    return {
        new: old
        for new, old in moved.items()
        if new in now.others and old not in now.others and old not in now.documents
    }


def _marks_back(before: Marks, after: Marks, now: Marks, paths: Collection[str]) -> Iterator[Step]:
    """What takes back which files are executable, and empty folders, as far as no one changed that since."""
    for path in sorted(before.executable ^ after.executable):
        was = path in before.executable
        if path in paths and (path in now.executable) is not was:
            yield Step(StepKind.SET_EXECUTABLE, path, executable=was)
    for folder in sorted(after.empty_folders - before.empty_folders):
        if folder in now.empty_folders:
            yield Step(StepKind.REMOVE_FILE, folder)
    there = now.empty_folders | folders_of((*now.empty_folders, *paths))
    for folder in sorted(before.empty_folders - after.empty_folders):
        if folder not in there:
            yield Step(StepKind.ADD_FOLDER, folder)


def _reverted_file(path: str, states: tuple[Files, Files, Files], choices: Mapping[str, str], rest: str) -> _Reverted:
    """The same for a file that may be no text before the change, after it, or now."""
    if not any(path in files.others for files in states):
        texts = [files.documents.get(path) for files in states]
        return _reverted(path, texts[0], texts[1], texts[2], choices, rest)
    if any(files.others.get(path) in (NOT_KEPT, TOO_LARGE) for files in states):
        return _Reverted()  # its content is not kept, so nothing could put it back
    before, after, now = (_content(files, path) for files in states)
    if _is_same(now, before) or (now is None and after is not None):  # it is so already, or someone took it away since
        return _Reverted()
    if not _is_same(now, after):
        if after is None:  # the change took it away, and someone brought another one
            return _Reverted()
        conflict = Conflict(path, None, "changed since", None, "the change wrote this file, and it was changed since")
        if _decided(conflict, choices, rest) != "theirs":
            return _Reverted(conflicts=() if _decided(conflict, choices, rest) else (conflict,))
    if before is None:
        return _Reverted(Step(StepKind.REMOVE_FILE, path))
    if isinstance(before, Document):
        return _Reverted(whole_file(path, before), before)
    return _Reverted(Step(StepKind.PUT_FILE, path, digest=before))


def _exact(path: str, made: _Reverted, states: tuple[Files, Files, Files]) -> _Reverted:
    """A text that nothing changed since goes back to the very text of before: a merge by meaning leaves comments as they are.

    Not for a file that the game writes: what it writes at the stop would be lost.
    """
    before, after, now = (files.documents.get(path) for files in states)
    if made.document is None or before is None or after is None or now is None:
        return made
    if now.text != after.text or made.document.text == before.text:
        return made
    return _Reverted(whole_file(path, before), before)


def _content(files: Files, path: str) -> Document | str | None:
    """A text, or the digest of what is none."""
    return files.documents.get(path) or files.others.get(path)


def _is_same(one: Document | str | None, other: Document | str | None) -> bool:
    if isinstance(one, Document) and isinstance(other, Document):
        return one.text == other.text
    return one == other


def _reverted(
    path: str,
    before: Document | None,
    after: Document | None,
    now: Document | None,
    choices: Mapping[str, str],
    rest: str,
) -> _Reverted:
    """How one file goes back to what it was before a change, keeping what came since."""
    if after is None:  # the change took it away
        if now is not None or before is None:
            return _Reverted()
        return _Reverted(whole_file(path, before), before)
    if now is None:  # someone took it away since, which is kept
        return _Reverted()
    if before is None:  # the change brought it
        if now.text != after.text:
            conflict = Conflict(
                path, None, "changed since", None, "the change brought this file, and it was changed since"
            )
            if _decided(conflict, choices, rest) != "theirs":
                return _Reverted(conflicts=() if _decided(conflict, choices, rest) else (conflict,))
        return _Reverted(Step(StepKind.REMOVE_FILE, path))
    own = {place.partition("#")[2]: choice for place, choice in choices.items() if place.partition("#")[0] == path}
    try:
        first = merge_three(after, now, before, own, only_fitting=True)
        decided = own | ({conflict.address: rest for conflict in first.conflicts} if rest else {})
        merged = merge_three(after, now, before, decided, only_fitting=True)
    except MergeRefused as error:
        raise Refused(f"{path}: {error}") from error
    conflicts = tuple(
        Conflict(f"{path}#{conflict.address}", conflict.base, conflict.mine, conflict.theirs, conflict.reason)
        for conflict in merged.conflicts
    )
    if merged.document.text == now.text:
        return _Reverted(conflicts=conflicts)
    step = Step(StepKind.MERGE_VERSION, path, base=after.text, content=before.text, choices=decided)
    return _Reverted(step, merged.document, conflicts)


def _decided(conflict: Conflict, choices: Mapping[str, str], rest: str) -> str:
    return choices.get(conflict.address, rest)


def _around(
    workspace: Workspace, session: Session, server: Server, gamebook: Gamebook | None, change: Change
) -> tuple[Files, Files, Mapping[str, str]]:
    """The files as a change found them and as it left them, by the run that deployed it; and which it only moved, by the path
    that they got.
    """
    run = next((one for one in runs_of_change(session, change.id) if one.state == RunState.DEPLOYED), None)
    if run is None and change.state == ChangeState.DEPLOYED and change.adopted_id is not None:
        after_id, before_id = change.adopted_id, change.base_id
        before = files_of(workspace, session, server, get_snapshot(session, server.id, before_id))
        return before, files_of(workspace, session, server, get_snapshot(session, server.id, after_id)), {}
    if run is None or run.before_id is None:
        raise WrongState(f"Change {change.id} is {change.state}; only a change that was deployed can be taken back.")
    current = files_of(workspace, session, server, get_snapshot(session, server.id, run.before_id))
    for change_id in run.change_ids:
        steps = [step_of(row) for row in get_change(session, change_id).steps]
        replayed = replayed_on(session, gamebook, current, steps)
        after = files_after(workspace, current, replayed)
        if change_id == change.id:
            return current, after, {path: old for path, old in replayed.moved.items() if old not in after.others}
        current = after
    raise WrongState(f"Run {run.id} does not say what change {change.id} did.")
