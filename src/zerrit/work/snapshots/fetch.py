"""Fetch a server's files; import the defaults that its game ships."""

from __future__ import annotations

import time
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from zerrit.core.archives import unpack
from zerrit.core.paths import pack_of
from zerrit.core.states import EDITABLE, ChangeState
from zerrit.core.steps import Step, StepKind, is_touched_by
from zerrit.core.wording import counted
from zerrit.records import Change, Snapshot, SnapshotFile
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import Refused, WrongState
from zerrit.work.base.run_records import require_no_run
from zerrit.work.base.workspace import Workspace
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.live_files import FetchedFile, Known, Taken, keep_files, known_files, take
from zerrit.work.snapshots.snapshots import (
    PathDifferences,
    defaults_of,
    differing_paths,
    latest_snapshot,
    store_snapshot,
)

PROGRESS_EVERY: Final = 0.25  # seconds


@dataclass(frozen=True, slots=True)
class Fetched:
    """The snapshot that holds what the server has now, and what differs from the one before."""

    snapshot: Snapshot
    is_new: bool
    drift: PathDifferences
    taken: Taken


class _Progress:
    """Tells whoever listens how far a fetch is, a few times each second."""

    def __init__(self, workspace: Workspace, server_id: str) -> None:
        self._workspace = workspace
        self._server_id = server_id
        self._said = time.monotonic()

    def __call__(self, done: int, of: int) -> None:
        now = time.monotonic()
        if now - self._said >= PROGRESS_EVERY:
            self._said = now
            self._workspace.publish("fetch", {"server": self._server_id, "done": done, "of": of})


def fetch(workspace: Workspace, person: str, server_id: str, *, thorough: bool = False) -> Fetched:
    """Read what may have changed on a server. A snapshot is kept when something differs from the last one.

    `thorough` reads every file, whatever its time says.

    Raises NotFound, WrongState: a deploy or rollback is under way. ConnectionFailed.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, gamebook_digest = gamebook_of(session, server)
        require_no_run(session, server_id)
        before = latest_snapshot(session, server_id)
        key = (before.id if before is not None else 0, gamebook_digest)
        last: Taken | None = workspace.taken.get(key)
        known = last.by_path if last is not None else known_files(session, key[0])
    with workspace.storing.shared():
        with workspace.connection_to(server) as connection:
            progress = _Progress(workspace, server_id)
            taken = take(
                workspace,
                connection,
                gamebook,
                known,
                empty_before=(before.empty_folders or ()) if before is not None else (),
                last=last,
                thorough=thorough,
                progress=progress,
            )
        if taken.is_same and before is not None:
            workspace.taken.keep(key, taken)
            return Fetched(before, False, PathDifferences((), (), ()), taken)
        return _kept(workspace, person, server_id, before, known, taken)


def _kept(
    workspace: Workspace, person: str, server_id: str, before: Snapshot | None, known: Known, taken: Taken
) -> Fetched:
    """What was taken as a snapshot, where it differs from the last one."""
    with workspace.session() as session:
        require_no_run(session, server_id)  # one that began while the files were read may have written some of them
        newest = latest_snapshot(session, server_id)
        if (newest.id if newest else None) != (before.id if before else None):
            raise WrongState(f"The files of {server_id} were taken by another person at the same time. Use those.")
        drift = differing_paths(_digests(known.values()), taken.digests)
        if before is not None and not drift and not _tells_more(session, before, known, taken):
            _renew_stamps(session, before.id, known, taken)
            return Fetched(before, False, drift, taken)
        snapshot = store_snapshot(
            workspace,
            session,
            server_id,
            taken.files,
            "fetched" if before else "first fetch",
            empty_folders=taken.empty_folders,
        )
        files = counted(len(taken.files), "file")
        count = files if before is None else f"{len(drift.all)} of {files} differ"
        note(workspace, session, person, "server.fetched", server_id, count)
    workspace.publish("server", {"server": server_id})
    return Fetched(snapshot, True, drift if before is not None else PathDifferences((), (), ()), taken)


def _digests(files: Iterable[FetchedFile]) -> dict[str, str]:
    return {file.path: file.digest for file in files if file.digest is not None}


def _tells_more(session: Session, before: Snapshot, known: Known, taken: Taken) -> bool:
    """Whether a snapshot would say more than the last one, though no tracked file differs."""
    # Packed files that the gamebook opened or closed since show other paths, and nothing of them has changed.
    if set(filter(pack_of, known)) != set(filter(pack_of, taken.by_path)):
        return True
    return _changed_watched(session, before.server_id, known, taken) or _changed_marks(before, known, taken)


def _changed_watched(session: Session, server_id: str, known: Known, taken: Taken) -> bool:
    """Whether a watched file was changed that a change has written, or that an open one is about to write.

    Others may change all the time, such as saved worlds; a snapshot for each of them would say nothing.
    """
    now = taken.by_path
    changed = [path for path in known.keys() | now.keys() if _is_other(known.get(path), now.get(path))]
    if not changed or any(path in known and known[path].content for path in changed):
        return bool(changed)
    query = select(Change).where(Change.server_id == server_id, Change.state.in_([*EDITABLE, ChangeState.QUEUED]))
    steps = [
        Step(StepKind(row.kind), row.address, **row.data) for change in session.scalars(query) for row in change.steps
    ]
    return any(is_touched_by(step, path) for step in steps for path in changed)


def _changed_marks(before: Snapshot, known: Known, taken: Taken) -> bool:
    """Whether a file is executable that was not, or the other way round, or a folder is empty that was not there."""
    is_other = any(
        file.path in known and {file.is_executable, known[file.path].is_executable} == {True, False}
        for file in taken.files
    )
    return is_other or frozenset(before.empty_folders or ()) != taken.empty_folders


def _is_other(was: FetchedFile | None, now: FetchedFile | None) -> bool:
    """Whether a watched file came, went, or is not as it was by size and time, or by the content that is kept."""
    if was is None or now is None:
        return (was or now) is not None and (was or now).digest is None  # type: ignore[union-attr]
    if was.digest is not None or now.digest is not None or (was.content and was.content == now.content):
        return False
    return (was.size, was.modified) != (now.size, now.modified)


def _renew_stamps(session: Session, snapshot_id: int, known: Known, taken: Taken) -> None:
    """The files are the same, and their times are told anew: old enough by now to be relied on the next time. Which are
    executable may not have been known.
    """
    rows = [
        {
            "snapshot_id": snapshot_id,
            "path": file.path,
            "stamp": file.stamp,
            "modified": file.modified,
            "is_executable": file.is_executable,
        }
        for file in taken.files
        if file.path in known
        and (file.stamp, file.is_executable) != (known[file.path].stamp, known[file.path].is_executable)
        and (file.digest is not None or file.content is not None)
    ]
    if rows:
        session.execute(update(SnapshotFile), rows)


def import_defaults(workspace: Workspace, person: str, server_id: str, label: str, archive: bytes) -> Snapshot:
    """Keep the files of a ZIP as the defaults of version `label`.

    Raises Refused: it is no ZIP, holds a path that leaves it, or is too large. WrongState: the label is taken by
    other files.
    """
    label = label.strip()
    if not label or len(label) > 40:
        raise Refused("Give the version that these defaults belong to, such as 2.1.")
    files = list(unpack(archive).items())
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        before = defaults_of(session, server_id, label)
        if before is not None:
            raise WrongState(
                f"Defaults {label} of {server_id} are known already and are not changed. Choose another label."
            )
        kept = keep_files(session, [file for file in files if gamebook is None or gamebook.is_tracked(file[0])])
        snapshot = store_snapshot(workspace, session, server_id, kept, f"defaults {label}", label=label)
        note(workspace, session, person, "defaults.imported", server_id, f"{label}, {len(kept)} files")
    return snapshot
