"""The folders that runs make."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.connections import Connection, ConnectionFailed, ConnectionFault
from zerrit.core.paths import folders_of, pack_of
from zerrit.records import Run
from zerrit.work.deploy.packing import Writes


def paths_after(before: Collection[str], writes: Writes) -> set[str]:
    """The paths that there are once the files are written, without those in packed files."""
    gone = {path for path, digest in writes.items() if digest is None}
    return {path for path in (set(before) | writes.keys()) - gone if not pack_of(path)}


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
