"""The folders that a run makes, and those that it leaves without a file: a folder goes with the last file in it."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.connections import Connection, ConnectionFailed, ConnectionFault
from zerrit.core.paths import folders_of, pack_of
from zerrit.core.steps import StepKind
from zerrit.records import Run
from zerrit.work.changes.changes import get_change
from zerrit.work.deploy.packing import Writes


def paths_after(before: Collection[str], writes: Writes) -> set[str]:
    """The paths that there are once the files are written, without those in packed files."""
    gone = {path for path, digest in writes.items() if digest is None}
    return {path for path in (set(before) | writes.keys()) - gone if not pack_of(path)}


def emptied_by(session: Session, change_ids: Sequence[int], before: Collection[str], writes: Writes) -> list[str]:
    """The folders that steps take away or move and in which no file is left.

    A folder that only lost its last file, such as the one of add-ins that are off, stays.
    """
    taken_away = [root for change_id in change_ids for root in _taken_away(session, change_id)]
    emptied = folders_of(paths_after(before, {})) - folders_of(paths_after(before, writes))
    return sorted(one for one in emptied if any(one == root or one.startswith(f"{root}/") for root in taken_away))


def _taken_away(session: Session, change_id: int) -> list[str]:
    return [
        step.address.rstrip("/")
        for step in get_change(session, change_id).steps
        if step.kind in (StepKind.REMOVE_FILE, StepKind.MOVE_FILE)
        or (step.kind == StepKind.PUT_FOLDER and step.data.get("replace_all"))
    ]


def made_by_runs(session: Session, server_id: str) -> set[str]:
    """The folders that runs of a server have made."""
    runs = session.scalars(select(Run).where(Run.server_id == server_id))
    return {folder for run in runs for folder in run.evidence.folders_made or ()}


def to_be_made(connection: Connection, before: Collection[str], writes: Writes) -> list[str]:
    """The folders that are not on the server yet, of those that the files will be in."""
    new = folders_of(paths_after(before, writes)) - folders_of(paths_after(before, {}))
    missing: set[str] = set()
    for folder in sorted(new, key=lambda one: one.count("/")):
        above, _, name = folder.rpartition("/")
        if above in missing or not _holds(connection, above, name):
            missing.add(folder)
    return sorted(missing)


def _holds(connection: Connection, folder: str, name: str) -> bool:
    try:
        return any(one.name == name for one in connection.listing(folder))
    except ConnectionFailed as error:
        if error.fault is ConnectionFault.MISSING:
            return False
        raise
