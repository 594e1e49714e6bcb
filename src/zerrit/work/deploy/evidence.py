"""
What a failed start wrote: logs, crash files, dumps, and whatever else is new or changed.

RunContext back removes it, so it is kept on the run first. The gamebook need not know any of these files.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from zerrit.connections import Connection, ConnectionFailed, RemoteFile
from zerrit.core.wording import counted
from zerrit.records import RunEvidence, load_content, store_contents
from zerrit.work.base.errors import NotFound
from zerrit.work.base.workspace import Workspace
from zerrit.work.snapshots.live_files import Known, Taken

MOST_FILES: Final = 200
MOST_OF_A_FILE: Final = 8 << 20  # bytes; of a larger one the end is kept
TAIL: Final = 1 << 20  # bytes
MOST_IN_ALL: Final = 64 << 20  # bytes
MOST_LISTED: Final = 20_000  # files outside of snapshots that are remembered before a start

Listing = list[tuple[str, int, int]]  #: path, size, modified


def outside_of(listing: list[RemoteFile], known: Mapping[str, object]) -> Listing:
    """The files that no snapshot pins, such as logs: those that were there before a start."""
    return [(file.path, file.size, file.modified) for file in listing if file.path not in known][:MOST_LISTED]


def keep_evidence(
    workspace: Workspace, run_id: int, connection: Connection, taken: Taken, expected: Known, before: Listing
) -> str:
    """Keep every file that the server holds now and should not, or holds with another content. Returns it in words.

    `expected` are the files as they were when the game was started, `before` those that no snapshot pins.
    """
    rows = _of_tracked(taken, expected) + _of_others(connection, taken, before)
    with workspace.session() as session:
        if session.query(RunEvidence).filter_by(run_id=run_id).first() is not None:
            return ""  # kept before the service was killed
    kept: list[RunEvidence] = []
    room = MOST_IN_ALL
    for row in sorted(rows, key=lambda each: -each.modified)[:MOST_FILES]:
        row.run_id = run_id
        if row.digest is None and room > 0:
            room -= _keep_bytes(workspace, connection, row)
        kept.append(row)
    with workspace.session() as session:
        session.add_all(kept)
    more = f" ({len(rows) - len(kept)} more are not)" if len(rows) > len(kept) else ""
    return f"{counted(len(kept), 'file')} that the start wrote kept as evidence{more}" if kept else ""


def _of_tracked(taken: Taken, expected: Known) -> list[RunEvidence]:
    rows = []
    for file in taken.files:
        wanted = expected.get(file.path)
        if wanted is None:
            kind = "added"
        elif file.digest is not None and file.digest != wanted.digest:
            kind = "changed"
        else:
            continue
        rows.append(_row(file.path, kind, file.size, file.modified, file.digest))
    return rows


def _of_others(connection: Connection, taken: Taken, before: Listing) -> list[RunEvidence]:
    was = {path: (size, modified) for path, size, modified in before}
    rows = []
    for file in connection.files():
        if file.path in taken.by_path or was.get(file.path) == (file.size, file.modified):
            continue
        rows.append(_row(file.path, "changed" if file.path in was else "added", file.size, file.modified, None))
    return rows


def _row(path: str, kind: str, size: int, modified: int, digest: str | None) -> RunEvidence:
    return RunEvidence(path=path, kind=kind, size=size, modified=modified, digest=digest, note="")


def _keep_bytes(workspace: Workspace, connection: Connection, row: RunEvidence) -> int:
    """Read and keep a file, or its end; what cannot be read is noted. Returns how many bytes that took."""
    begin = row.size - TAIL if row.size > MOST_OF_A_FILE else 0
    try:
        data = connection.read(row.path, begin)
    except ConnectionFailed as error:
        row.note = f"could not be read: {error}"
        return 0
    row.note = f"only the last {len(data):,} of {row.size:,} bytes are kept" if begin else ""
    with workspace.session() as session:
        (row.digest,) = store_contents(session, (data,))
    return len(data)


def evidence_file(workspace: Workspace, run_id: int, path: str) -> bytes:
    """The bytes of a file that was kept as evidence. Raises NotFound: there is none, or only its size was kept."""
    with workspace.session() as session:
        row = session.get(RunEvidence, (run_id, path))
        if row is None:
            raise NotFound(
                f"Run {run_id} has no evidence file {path}. `zerrit run show {run_id}` lists those that it has."
            )
        if row.digest is None:
            raise NotFound(f"Of {path} only its size was kept ({row.size:,} bytes). {row.note}".rstrip())
        return load_content(session, row.digest)
