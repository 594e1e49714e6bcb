"""Drift: what another program or person changed on a server, and the change that adopts or reverts it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.compare import Difference, compare_files
from zerrit.core.documents import Document
from zerrit.core.gamebooks import Gamebook
from zerrit.core.paths import folders_of
from zerrit.core.states import ChangeState
from zerrit.core.steps import Step, StepKind, whole_file
from zerrit.records import Change, Run, RunFile, Server, Snapshot
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import create_with_steps, row_of_step
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.large_databases import differing_rows
from zerrit.work.snapshots.snapshots import (
    differing_paths,
    digests,
    documents_of,
    get_snapshot,
    rights,
)

Texts = Mapping[str, Document]
DriftKind = Literal[
    "changed", "added", "removed", "executable", "not-executable", "empty-folder-added", "empty-folder-removed"
]


@dataclass(frozen=True, slots=True)
class DriftFile:
    """A file or empty folder that was changed outside Zerrit. `writer` says who usually does.

    `executable` and `not-executable`: only the right to run the file changed, or that as well.
    """

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
            for kind, some in (*listed, *_differing_marks(session, before, after).items())
            for path in some
        )
        old, new = (_side(workspace, session, server, one, paths.all) for one in (before, after))
        rows = differing_rows(session, old.digests, new.digests)
    differences = compare_files({**old.texts, **rows.old}, {**new.texts, **rows.new})
    return Drift(server_id, before.id, after.id, files, tuple(differences))


def _differing_marks(session: Session, before: Snapshot, after: Snapshot) -> dict[DriftKind, tuple[str, ...]]:
    """What differs between two snapshots besides contents, by kind. What a host does not tell differs from nothing.

    A folder that is empty no more because a file is in it was not removed.
    """
    old, new = rights(session, before), rights(session, after)
    told = sorted(old.keys() & new.keys())
    gone: set[str] = set()
    come: set[str] = set()
    if before.empty_folders is not None and after.empty_folders is not None:
        gone = set(before.empty_folders) - set(after.empty_folders)
        gone -= folders_of(file.path for file in after.files) if gone else set()
        come = set(after.empty_folders) - set(before.empty_folders)
    return {
        "executable": tuple(path for path in told if new[path] and not old[path]),
        "not-executable": tuple(path for path in told if old[path] and not new[path]),
        "empty-folder-added": tuple(sorted(come)),
        "empty-folder-removed": tuple(sorted(gone)),
    }


@dataclass(frozen=True, slots=True)
class _Side:
    """Files of a snapshot: their digests, those of them that are texts, and the snapshot with all else that it knows."""

    digests: Mapping[str, str]
    texts: Texts
    snapshot: Snapshot


def _side(workspace: Workspace, session: Session, server: Server, snapshot: Snapshot, paths: tuple[str, ...]) -> _Side:
    held = digests(session, snapshot)
    wanted = {path: held[path] for path in sorted(paths) if path in held}
    return _Side(wanted, documents_of(workspace, session, server, wanted), snapshot)


def _drifted(
    session: Session, server_id: str, gamebook: Gamebook | None, snapshot_id: int | None
) -> tuple[Snapshot, Snapshot]:
    """The snapshot that found a drift, and the one before it.

    What the game writes automatically is no news; it counts only where that snapshot is asked for.
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
        is_news = is_news or any(_differing_marks(session, before, after).values())
        if is_news or (paths and snapshot_id is not None):
            return before, after
    if snapshot_id is not None:
        raise NotFound(f"Snapshot {snapshot_id} of {server_id} found nothing that another person had written.")
    raise NotFound(
        f"No one but Zerrit and the game itself wrote to the files of {server_id}, as far as they were fetched."
    )


def _written_at_stop(session: Session, server_id: str) -> dict[int, frozenset[str]]:
    """By snapshot, the files that the game or its host wrote when a run stopped it, right before the snapshot."""
    rows = session.execute(select(Run.before_id, Run.evidence).where(Run.server_id == server_id))
    return {before: frozenset(evidence.written_at_stop) for before, evidence in rows if before is not None}


def _writer(session: Session, server_id: str, gamebook: Gamebook | None, path: str, by_game: frozenset[str]) -> str:
    if path in by_game:
        return "the game or its host, while it stopped"
    if gamebook is not None and gamebook.is_rewritten(path):
        return "the game, which writes it when it stops"
    query = select(Run.id).join(RunFile).where(Run.server_id == server_id, RunFile.path == path)
    last = session.scalar(query.order_by(Run.id.desc()).limit(1))
    return (
        f"Zerrit, last in run {last}; so it was another person this time" if last else "a person, or the host's panel"
    )


def adopt_drift(workspace: Workspace, person: str, server_id: str, snapshot_id: int | None, title: str) -> Change:
    """Adopt what was changed outside Zerrit as a change, which is deployed already. Raises NotFound, Refused."""
    found = drift_of(workspace, server_id, snapshot_id)
    with workspace.session() as session:
        server = get_server(session, server_id)
        before, after = (get_snapshot(session, server_id, one) for one in (found.before, found.after))
        paths = tuple(file.path for file in found.files)
        steps = _drift_steps(session, *(_side(workspace, session, server, one, paths) for one in (before, after)))
        change = _adopted(before, after, title, person, workspace.now())
        change.steps = [row_of_step(step, number, person, change.created_at) for number, step in enumerate(steps, 1)]
        session.add(change)
        session.flush()
        said = f"{change.id}: snapshots {before.id} to {after.id}"
        note(workspace, session, person, "drift.adopted", server_id, said)
    workspace.publish("change", {"change": change.id, "server": server_id})
    return change


def _adopted(before: Snapshot, after: Snapshot, title: str, person: str, now: datetime) -> Change:
    """A change without steps that leads from one snapshot to another and is deployed already."""
    return Change(
        server_id=after.server_id,
        title=(title or f"Found on the server with snapshot {after.id}")[:200],
        state=ChangeState.DEPLOYED,
        base_id=before.id,
        adopted_id=after.id,
        author=person,
        version=1,
        created_at=now,
        updated_at=now,
        steps=[],
        checklist=[],
        pending=[],
    )


def revert_drift(workspace: Workspace, person: str, server_id: str, snapshot_id: int | None, title: str) -> Change:
    """Create a change that reverts what was changed outside Zerrit, and keeps what came since. Raises NotFound, Refused."""
    found = drift_of(workspace, server_id, snapshot_id)
    with workspace.session() as session:
        server = get_server(session, server_id)
        before, after = (get_snapshot(session, server_id, one) for one in (found.before, found.after))
        gamebook, _ = gamebook_of(session, server)
        paths = tuple(file.path for file in found.files if gamebook is None or not gamebook.is_rewritten(file.path))
        if not paths:
            raise Refused("Only the game itself wrote there, and it will again; there is nothing to revert.")
        old = _side(workspace, session, server, before, paths)
        new = _side(workspace, session, server, after, paths)
        steps = _drift_steps(session, new, old)
    return create_with_steps(workspace, person, server_id, title or f"Revert what snapshot {found.after} found", steps)


def _drift_steps(session: Session, before: _Side, after: _Side) -> list[Step]:
    """The steps that make one state of files another one."""
    paths = sorted(before.digests.keys() | after.digests.keys())
    marks = _differing_marks(session, before.snapshot, after.snapshot)
    return [
        *(_drift_step(path, before, after) for path in paths if before.digests.get(path) != after.digests.get(path)),
        *(Step(StepKind.SET_EXECUTABLE, path, executable=True) for path in marks["executable"]),
        *(Step(StepKind.SET_EXECUTABLE, path, executable=False) for path in marks["not-executable"]),
        *(Step(StepKind.ADD_FOLDER, path) for path in marks["empty-folder-added"]),
        *(Step(StepKind.REMOVE_FILE, path) for path in marks["empty-folder-removed"]),
    ]


def _drift_step(path: str, before: _Side, after: _Side) -> Step:
    if path not in after.digests:
        return Step(StepKind.REMOVE_FILE, path)
    old, new = before.texts.get(path), after.texts.get(path)
    if new is None or (old is not None and old.text == new.text):  # no text, or another encoding of the same
        return Step(StepKind.PUT_FILE, path, digest=after.digests[path])
    if old is None or not (old.ok and new.ok):
        return whole_file(path, new)
    return Step(StepKind.MERGE_VERSION, path, base=old.text, content=new.text)
