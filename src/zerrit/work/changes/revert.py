"""Revert one old change and keep everything that came after it, by a three-way merge."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final, Literal

from sqlalchemy.orm import Session

from zerrit.core.checks import touched
from zerrit.core.compare import Difference, compare_files
from zerrit.core.documents import Document
from zerrit.core.errors import MergeRefused
from zerrit.core.gamebooks import Gamebook
from zerrit.core.merge import Conflict, merge_three
from zerrit.core.states import ChangeState, RunState
from zerrit.core.steps import Step, StepKind, replay
from zerrit.core.wording import counted
from zerrit.records import Change, Server
from zerrit.work.base.errors import Refused, WrongState
from zerrit.work.base.run_records import runs_of_change
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import create_with_steps, get_change, reader, step_of
from zerrit.work.changes.drift import Texts
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.snapshots import (
    documents,
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
        before, after = _around(workspace, session, server, gamebook, change)
        now = documents(workspace, session, server, require_latest(session, server.id))
        default_title = f"Revert change {change_id}: {change.title}"[:200]
    sides = {address: _SIDES.get(choice, choice) for address, choice in choices.items()}
    steps: list[Step] = []
    conflicts: list[Conflict] = []
    became: dict[str, Document] = dict(now)
    for path in touched(before, after):
        made = _reverted(path, before.get(path), after.get(path), now.get(path), sides, _SIDES.get(rest, ""))
        conflicts += made.conflicts
        if made.step is not None:
            steps.append(made.step)
        if made.document is not None:
            became[path] = made.document
        elif made.step is not None and made.step.kind is StepKind.REMOVE_FILE:
            became.pop(path, None)
    paths = touched(now, became)
    differences = tuple(
        compare_files({p: now[p] for p in paths if p in now}, {p: became[p] for p in paths if p in became})
    )
    found = Reversion(change_id, tuple(steps), differences, tuple(conflicts))
    if not create:
        return found
    if conflicts:
        raise Refused(
            f"{counted(len(conflicts), 'place')} changed since; decide first which value holds: {conflicts[0].address}."
        )
    if not differences:
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
        return _Reverted(Step(StepKind.PUT_FILE, path, content=before.text), before)
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
) -> tuple[Texts, Texts]:
    """The files as a change found them and as it left them, by the run that deployed it."""
    run = next((one for one in runs_of_change(session, change.id) if one.state == RunState.DEPLOYED), None)
    if run is None and change.state == ChangeState.DEPLOYED and change.adopted_id is not None:
        after_id, before_id = change.adopted_id, change.base_id
        before = documents(workspace, session, server, get_snapshot(session, server.id, before_id))
        return before, documents(workspace, session, server, get_snapshot(session, server.id, after_id))
    if run is None or run.before_id is None:
        raise WrongState(f"Change {change.id} is {change.state}; only a change that was deployed can be taken back.")
    found = documents(workspace, session, server, get_snapshot(session, server.id, run.before_id))
    current: Texts = found
    for change_id in run.change_ids:
        steps = [step_of(row) for row in get_change(session, change_id).steps]
        after = replay(current, steps, reader(gamebook)).documents
        if change_id == change.id:
            return current, after
        current = after
    raise WrongState(f"Run {run.id} does not say what change {change.id} did.")
