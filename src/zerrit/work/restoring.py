"""
Putting back less than a whole server: a folder, a file, one entry; one old change, keeping all that came since; what
somebody else wrote meanwhile. Each becomes a change like any other: it is looked at, checked, and deployed.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.addresses import Address, Segment, parse_address
from zerrit.core.checks import touched
from zerrit.core.compare import Difference, compare_files
from zerrit.core.documents import Document
from zerrit.core.documents.edits import remove_nodes
from zerrit.core.documents.selecting import select as select_nodes
from zerrit.core.errors import MergeRefused
from zerrit.core.gamebooks import Gamebook
from zerrit.core.merge import Clash, merge_three
from zerrit.core.nearest import did_you_mean
from zerrit.core.steps import Step, StepKind, replay
from zerrit.core.wording import counted
from zerrit.records import Change, Run, RunFile, Server, Snapshot
from zerrit.work.activity import note
from zerrit.work.changes import get_change, open_with_steps, reader, row_of_step, step_of
from zerrit.work.errors import Conflict, NotFound, Refused
from zerrit.work.kept_gamebooks import gamebook_of
from zerrit.work.runs import runs_of_change
from zerrit.work.servers import get_server
from zerrit.work.snapshots import (
    differing_paths,
    digests,
    documents,
    documents_of,
    get_snapshot,
    require_latest,
)
from zerrit.work.workspace import Workspace

Texts = Mapping[str, Document]
DriftKind = Literal["changed", "added", "removed"]


# --- a folder, a file, an entry ---------------------------------------------------------------------------------------


def restore_part(workspace: Workspace, person: str, server_id: str, snapshot_id: int, what: str, title: str) -> Change:
    """Open a change that makes a folder (`sea/`), a file or an entry as it was in a snapshot.

    Raises NotFound: there is no such thing in either state. Refused: it is so already, or it is no text.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        snapshot = get_snapshot(session, server_id, snapshot_id)
        latest = require_latest(session, server_id)
        old, new = (documents(workspace, session, server, one) for one in (snapshot, latest))
        all_old, all_new = digests(session, snapshot), digests(session, latest)
    if what.endswith("/"):
        paths = sorted(path for path in all_old.keys() | all_new.keys() if path.startswith(what))
        if not paths:
            raise NotFound(f"Neither snapshot {snapshot_id} nor the newest files have a folder {what}.")
    else:
        address = parse_address(what)
        if address.segments:
            steps = [_entry_step(old, new, address, what)]
            return open_with_steps(workspace, person, server_id, title or f"{what} as in snapshot {snapshot_id}", steps)
        paths = [address.path]
        if address.path not in all_old.keys() | all_new.keys():
            close = did_you_mean(address.path, sorted(all_old.keys() | all_new.keys()))
            raise NotFound(f"Neither snapshot {snapshot_id} nor the newest files have {what}. {close}".rstrip())
    differing = [path for path in paths if all_old.get(path) != all_new.get(path)]
    if not differing:
        raise Refused(f"{what} is as in snapshot {snapshot_id} already.")
    for path in differing:
        if (path in all_old and path not in old) or (path in all_new and path not in new):
            raise Refused(
                f"{path} is no text, so no step can put it back. A rollback can, and so can the exported snapshot."
            )
    steps = list(_whole_files(new, old, differing))
    return open_with_steps(workspace, person, server_id, title or f"{what} as in snapshot {snapshot_id}", steps)


def _whole_files(now: Texts, wanted: Texts, paths: list[str]) -> Iterator[Step]:
    """The steps that make files the wanted ones."""
    for path in paths:
        if path not in wanted:
            yield Step(StepKind.REMOVE_FILE, path)
        else:
            yield Step(StepKind.PUT, path, content=wanted[path].text)


def _entry_step(old: Texts, new: Texts, address: Address, what: str) -> Step:
    path = address.path
    if path not in old or path not in new:
        where = "the snapshot" if path not in old else "the newest files"
        raise NotFound(f"{path} is not among {where}. Restore the whole file.")
    there = select_nodes(old[path].root, old[path].keys, address.segments)
    here = select_nodes(new[path].root, new[path].keys, address.segments)
    if len(there) > 1 or len(here) > 1:
        raise Refused(f"{what} leads to several places; name one entry.")
    if not there and not here:
        raise NotFound(f"Neither the snapshot nor the newest files have {what}.")
    if not there:
        return Step(StepKind.REMOVE, what)
    wanted = old[path].text[there[0].start : there[0].end]
    if not here:  # what the snapshot has more than itself without the entry
        without = _without(old[path], address.segments)
        return Step(StepKind.CARRY, path, base=without.text, content=old[path].text)
    text = new[path].text
    return Step(StepKind.CARRY, path, base=text, content=text[: here[0].start] + wanted + text[here[0].end :])


def _without(document: Document, segments: tuple[Segment, ...]) -> Document:
    return remove_nodes(document, segments).document


# --- one old change ---------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Undoing:
    """What taking one old change back would do to the newest files. `change` is the one that was opened for it."""

    change_id: int
    steps: tuple[Step, ...]
    differences: tuple[Difference, ...]
    clashes: tuple[Clash, ...]
    change: Change | None = None


def undo_change(
    workspace: Workspace,
    person: str,
    change_id: int,
    choices: Mapping[str, str],
    *,
    rest: Literal["", "mine", "theirs"] = "",
    keep: bool = False,
    title: str = "",
) -> Undoing:
    """Take back what one deployed change did, and keep all that came since.

    It is a three-way merge: from what the change made back to what was before it, brought into the newest files. Where
    later changes touched the same places, those clash; `choices` decides them by address (`mine` leaves the newest,
    `theirs` takes the old one, or `=VALUE`), `rest` all others. With `keep` a change is opened.

    Raises NotFound, Conflict: it was never deployed. Refused: it would do nothing, or something is undecided.
    """
    with workspace.session() as session:
        change = get_change(session, change_id)
        server = get_server(session, change.server_id)
        gamebook, _ = gamebook_of(session, server)
        before, after = _around(workspace, session, server, gamebook, change)
        now = documents(workspace, session, server, require_latest(session, server.id))
        default_title = f"Take back change {change_id}: {change.title}"[:200]
    steps: list[Step] = []
    clashes: list[Clash] = []
    became: dict[str, Document] = dict(now)
    for path in touched(before, after):
        made = _undone(path, before.get(path), after.get(path), now.get(path), choices, rest)
        clashes += made.clashes
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
    found = Undoing(change_id, tuple(steps), differences, tuple(clashes))
    if not keep:
        return found
    if clashes:
        raise Refused(
            f"{counted(len(clashes), 'place')} changed since; decide first which value holds: {clashes[0].address}."
        )
    if not differences:
        raise Refused(f"Nothing of change {change_id} is left to be taken back.")
    opened = open_with_steps(workspace, person, server.id, title or default_title, steps)
    return Undoing(change_id, found.steps, found.differences, (), opened)


@dataclass(frozen=True, slots=True)
class _Undone:
    step: Step | None = None
    document: Document | None = None
    clashes: tuple[Clash, ...] = ()


def _undone(
    path: str,
    before: Document | None,
    after: Document | None,
    now: Document | None,
    choices: Mapping[str, str],
    rest: str,
) -> _Undone:
    """How one file goes back to what it was before a change, keeping what came since."""
    if after is None:  # the change took it away
        if now is not None or before is None:
            return _Undone()
        return _Undone(Step(StepKind.PUT, path, content=before.text), before)
    if now is None:  # somebody took it away since, which is kept
        return _Undone()
    if before is None:  # the change brought it
        if now.text != after.text:
            clash = Clash(path, None, "changed since", None, "the change brought this file, and it was changed since")
            if _decided(clash, choices, rest) != "theirs":
                return _Undone(clashes=() if _decided(clash, choices, rest) else (clash,))
        return _Undone(Step(StepKind.REMOVE_FILE, path))
    own = {place.partition("#")[2]: choice for place, choice in choices.items() if place.partition("#")[0] == path}
    try:
        first = merge_three(after, now, before, own, only_fitting=True)
        decided = own | ({clash.address: rest for clash in first.clashes} if rest else {})
        merged = merge_three(after, now, before, decided, only_fitting=True)
    except MergeRefused as error:
        raise Refused(f"{path}: {error}") from error
    clashes = tuple(
        Clash(f"{path}#{clash.address}", clash.base, clash.mine, clash.theirs, clash.why) for clash in merged.clashes
    )
    if merged.document.text == now.text:
        return _Undone(clashes=clashes)
    step = Step(StepKind.CARRY, path, base=after.text, content=before.text, choices=decided)
    return _Undone(step, merged.document, clashes)


def _decided(clash: Clash, choices: Mapping[str, str], rest: str) -> str:
    return choices.get(clash.address, rest)


def _around(
    workspace: Workspace, session: Session, server: Server, gamebook: Gamebook | None, change: Change
) -> tuple[Texts, Texts]:
    """The files as a change found them and as it left them, by the run that deployed it."""
    run = next((one for one in runs_of_change(session, change.id) if one.state == "deployed"), None)
    if run is None and change.state == "deployed" and change.adopted_id is not None:
        after_id, before_id = change.adopted_id, change.base_id
        before = documents(workspace, session, server, get_snapshot(session, server.id, before_id))
        return before, documents(workspace, session, server, get_snapshot(session, server.id, after_id))
    if run is None or run.before_id is None:
        raise Conflict(f"Change {change.id} is {change.state}; only a change that was deployed can be taken back.")
    found = documents(workspace, session, server, get_snapshot(session, server.id, run.before_id))
    current: Texts = found
    for change_id in run.change_ids:
        steps = [step_of(row) for row in get_change(session, change_id).steps]
        after = replay(current, steps, reader(gamebook)).documents
        if change_id == change.id:
            return current, after
        current = after
    raise Conflict(f"Run {run.id} does not say what change {change.id} did.")


# --- drift ------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class DriftFile:
    """A file that somebody else wrote. `writer` says who usually does."""

    path: str
    kind: DriftKind
    writer: str


@dataclass(frozen=True)
class Drift:
    """What a fetch found that Zerrit had not written: the two snapshots, the files, the differences."""

    server: str
    before: int
    after: int
    files: tuple[DriftFile, ...]
    differences: tuple[Difference, ...]


def drift_of(workspace: Workspace, server_id: str, snapshot_id: int | None = None) -> Drift:
    """The drift that a snapshot found; without a number, the newest one that found any.

    Raises NotFound: there is none.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        before, after = _drifted(session, server_id, gamebook, snapshot_id)
        paths = differing_paths(digests(session, before), digests(session, after))
        listed: tuple[tuple[DriftKind, tuple[str, ...]], ...] = (
            ("changed", paths.changed),
            ("added", paths.added),
            ("removed", paths.removed),
        )
        by_game = _written_at_stop(session, server_id).get(after.id, frozenset())
        files = tuple(
            DriftFile(path, kind, _writer(session, server_id, gamebook, path, by_game))
            for kind, some in listed
            for path in some
        )
        old, new = (_texts(workspace, session, server, one, paths.all) for one in (before, after))
    return Drift(server_id, before.id, after.id, files, tuple(compare_files(old, new)))


def _texts(
    workspace: Workspace, session: Session, server: Server, snapshot: Snapshot, paths: tuple[str, ...]
) -> dict[str, Document]:
    held = digests(session, snapshot)
    return documents_of(workspace, session, server, {path: held[path] for path in paths if path in held})


def _drifted(
    session: Session, server_id: str, gamebook: Gamebook | None, snapshot_id: int | None
) -> tuple[Snapshot, Snapshot]:
    """The snapshot that found a drift, and the one before it.

    What the game writes by itself is no news; it counts only where that snapshot is asked for.
    """
    query = select(Snapshot).where(Snapshot.server_id == server_id, Snapshot.kind == "server")
    own = {run_id for run_id in session.scalars(select(Run.after_id).where(Run.server_id == server_id)) if run_id}
    at_stop = _written_at_stop(session, server_id)
    snapshots = list(session.scalars(query.order_by(Snapshot.id)))
    pairs = [
        (one, two)
        for one, two in pairwise(snapshots)
        if two.id not in own and (snapshot_id is None or two.id == snapshot_id)
    ]
    for before, after in reversed(pairs):
        paths = differing_paths(digests(session, before), digests(session, after)).all
        by_game = at_stop.get(after.id, frozenset())
        is_news = any(path not in by_game and (gamebook is None or not gamebook.is_rewritten(path)) for path in paths)
        if is_news or (paths and snapshot_id is not None):
            return before, after
    if snapshot_id is not None:
        raise NotFound(f"Snapshot {snapshot_id} of {server_id} found nothing that somebody else had written.")
    raise NotFound(
        f"Nobody but Zerrit and the game itself wrote to the files of {server_id}, as far as they were fetched."
    )


def _written_at_stop(session: Session, server_id: str) -> dict[int, frozenset[str]]:
    """By snapshot, the files that the game or its host wrote when a run stopped it, right before the snapshot."""
    rows = session.execute(select(Run.before_id, Run.evidence).where(Run.server_id == server_id))
    return {before: frozenset(evidence.get("written_at_stop", ())) for before, evidence in rows if before is not None}


def _writer(session: Session, server_id: str, gamebook: Gamebook | None, path: str, by_game: frozenset[str]) -> str:
    if path in by_game:
        return "the game or its host, while it stopped"
    if gamebook is not None and gamebook.is_rewritten(path):
        return "the game, which writes it when it stops"
    query = select(Run.id).join(RunFile).where(Run.server_id == server_id, RunFile.path == path)
    last = session.scalar(query.order_by(Run.id.desc()).limit(1))
    return f"Zerrit, last in run {last}; so it was somebody else this time" if last else "a person, or the host's panel"


def adopt_drift(workspace: Workspace, person: str, server_id: str, snapshot_id: int | None, title: str) -> Change:
    """Make what somebody else wrote a change of its own, which is deployed already. Raises NotFound, Refused."""
    found = drift_of(workspace, server_id, snapshot_id)
    with workspace.session() as session:
        server = get_server(session, server_id)
        before, after = (get_snapshot(session, server_id, one) for one in (found.before, found.after))
        paths = tuple(file.path for file in found.files)
        steps = _drift_steps(
            _texts(workspace, session, server, before, paths), _texts(workspace, session, server, after, paths)
        )
        if not steps:
            raise Refused("What drifted is no text; there is nothing that a change could say.")
        now = workspace.now()
        change = Change(
            server_id=server_id,
            title=(title or f"Found on the server with snapshot {after.id}")[:200],
            state="deployed",
            base_id=before.id,
            adopted_id=after.id,
            author=person,
            version=1,
            created_at=now,
            updated_at=now,
            steps=[],
            looks=[],
            waits=[],
        )
        change.steps = [row_of_step(step, number, person, now) for number, step in enumerate(steps, 1)]
        session.add(change)
        session.flush()
        note(
            workspace, session, person, "drift.adopted", server_id, f"{change.id}: snapshots {before.id} to {after.id}"
        )
    workspace.publish("change", {"change": change.id, "server": server_id})
    return change


def undo_drift(workspace: Workspace, person: str, server_id: str, snapshot_id: int | None, title: str) -> Change:
    """Open a change that takes back what somebody else wrote, and keeps what came since. Raises NotFound, Refused."""
    found = drift_of(workspace, server_id, snapshot_id)
    with workspace.session() as session:
        server = get_server(session, server_id)
        before, after = (get_snapshot(session, server_id, one) for one in (found.before, found.after))
        gamebook, _ = gamebook_of(session, server)
        paths = tuple(file.path for file in found.files if gamebook is None or not gamebook.is_rewritten(file.path))
        if not paths:
            raise Refused("Only the game itself wrote there, and it will again; there is nothing to take back.")
        old = _texts(workspace, session, server, before, paths)
        new = _texts(workspace, session, server, after, paths)
    steps = _drift_steps(new, old)
    return open_with_steps(workspace, person, server_id, title or f"Take back what snapshot {found.after} found", steps)


def _drift_steps(before: Texts, after: Texts) -> list[Step]:
    """The steps that make one state of files another one."""
    steps = []
    for path in touched(before, after):
        if path not in after:
            steps.append(Step(StepKind.REMOVE_FILE, path))
        elif path not in before or not (before[path].ok and after[path].ok):
            steps.append(Step(StepKind.PUT, path, content=after[path].text))
        else:
            steps.append(Step(StepKind.CARRY, path, base=before[path].text, content=after[path].text))
    return steps
