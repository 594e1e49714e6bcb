"""Snapshots: taking them, reading them, what differs between two."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from sqlalchemy import func, insert, select
from sqlalchemy.orm import Session

from zerrit.core.checks import Checked, Files, check_files_of
from zerrit.core.compare import (
    FileSet,
    OtherFile,
)
from zerrit.core.documents import MAX_BYTES, Document, Finding
from zerrit.core.file_steps import Marks, other_file
from zerrit.core.gamebooks import Gamebook
from zerrit.core.paths import pack_of
from zerrit.databases import query
from zerrit.records import Server, Snapshot, SnapshotFile, content_sizes, load_content
from zerrit.work.base.errors import NotFound
from zerrit.work.base.workspace import Workspace
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.live_files import FetchedFile, Taken, known_files, take


def store_snapshot(
    workspace: Workspace,
    session: Session,
    server_id: str,
    files: Iterable[FetchedFile],
    reason: str,
    *,
    label: str | None = None,
    is_good: bool = False,
    empty_folders: Iterable[str] | None = None,
) -> Snapshot:
    """Keep files, whose contents are kept already, as a snapshot; with a `label` they are defaults of that version."""
    snapshot = Snapshot(
        server_id=server_id,
        kind="defaults" if label else "server",
        label=label,
        reason=reason,
        pinned="",
        is_good=is_good,
        taken_at=workspace.now(),
        empty_folders=sorted(empty_folders) if empty_folders is not None else None,
    )
    session.add(snapshot)
    session.flush()
    rows = [
        {
            "snapshot_id": snapshot.id,
            "path": file.path,
            "digest": file.digest,
            "size": file.size,
            "modified": file.modified,
            "stamp": file.stamp,
            "content": file.content,
            "is_executable": file.is_executable,
        }
        for file in files
    ]
    if rows:
        session.execute(insert(SnapshotFile), rows)
    return snapshot


def latest_snapshot(session: Session, server_id: str) -> Snapshot | None:
    """The newest snapshot of the server itself."""
    query = select(Snapshot).where(Snapshot.server_id == server_id, Snapshot.kind == "server")
    return session.scalar(query.order_by(Snapshot.id.desc()).limit(1))


def require_latest(session: Session, server_id: str) -> Snapshot:
    """The last snapshot of a server. Raises NotFound: it was never fetched."""
    snapshot = latest_snapshot(session, server_id)
    if snapshot is None:
        raise NotFound(f"No files of {server_id} are known yet. Fetch them first: zerrit fetch {server_id}.")
    return snapshot


def get_snapshot(session: Session, server_id: str, snapshot_id: int) -> Snapshot:
    """Raises NotFound: also for a snapshot of another server, which must not be put on this one."""
    snapshot = session.get(Snapshot, snapshot_id)
    if snapshot is None or snapshot.server_id != server_id or snapshot.kind == "defaults":
        raise NotFound(f"{server_id} has no snapshot {snapshot_id}. `zerrit timeline {server_id}` lists those it has.")
    return snapshot


def defaults_of(session: Session, server_id: str, label: str | None) -> Snapshot | None:
    """The defaults under a version label, or the newest ones."""
    query = select(Snapshot).where(Snapshot.server_id == server_id, Snapshot.kind == "defaults")
    if label:
        query = query.where(Snapshot.label == label)
    return session.scalar(query.order_by(Snapshot.id.desc()).limit(1))


def list_snapshots(session: Session, server_id: str) -> list[Snapshot]:
    """The snapshots and defaults of a server, the newest first."""
    query = select(Snapshot).where(Snapshot.server_id == server_id).order_by(Snapshot.id.desc())
    return list(session.scalars(query))


def digests(session: Session, snapshot: Snapshot) -> dict[str, str]:
    """Digest by path, of tracked files."""
    rows = session.execute(
        select(SnapshotFile.path, SnapshotFile.digest)
        .where(SnapshotFile.snapshot_id == snapshot.id, SnapshotFile.digest.is_not(None))
        .order_by(SnapshotFile.path)
    )
    return {path: digest for path, digest in rows if digest is not None}


def rights(session: Session, snapshot: Snapshot) -> dict[str, bool]:
    """Whether a file may be run as a program, by path, of the files of which the host told it."""
    rows = session.execute(
        select(SnapshotFile.path, SnapshotFile.is_executable).where(
            SnapshotFile.snapshot_id == snapshot.id, SnapshotFile.is_executable.is_not(None)
        )
    )
    return {path: is_executable for path, is_executable in rows if is_executable is not None}


def contents(session: Session, snapshot: Snapshot) -> dict[str, str]:
    """Digest by path, of tracked files and of watched ones whose content is kept."""
    kept = func.coalesce(SnapshotFile.digest, SnapshotFile.content)
    rows = session.execute(
        select(SnapshotFile.path, kept)
        .where(SnapshotFile.snapshot_id == snapshot.id, kept.is_not(None))
        .order_by(SnapshotFile.path)
    )
    return {path: digest for path, digest in rows if digest is not None}


def documents(workspace: Workspace, session: Session, server: Server, snapshot: Snapshot) -> dict[str, Document]:
    """The tracked text files of a snapshot, read as the server's gamebook says."""
    return documents_of(workspace, session, server, digests(session, snapshot))


def documents_of(
    workspace: Workspace, session: Session, server: Server, wanted: Mapping[str, str]
) -> dict[str, Document]:
    """The text files among kept contents, by path and digest, read as the server's gamebook says."""
    gamebook, gamebook_digest = gamebook_of(session, server)
    read: dict[str, Document] = {}
    large = _too_large(session, gamebook, wanted)
    for path, digest in wanted.items():
        if digest in large:
            continue
        workspace.ahead.give_way()
        read[path] = workspace.read(lambda d: load_content(session, d), path, digest, gamebook, gamebook_digest)
    return {path: document for path, document in read.items() if not document.is_binary}


def _too_large(session: Session, gamebook: Gamebook | None, wanted: Mapping[str, str]) -> frozenset[str]:
    """The digests of contents that are larger than any text that is read."""
    if gamebook is None:
        return frozenset()
    sizes = content_sizes(session, (digest for path, digest in wanted.items() if gamebook.is_kept_large(path)))
    return frozenset(digest for digest, size in sizes.items() if size > MAX_BYTES)


def file_set(workspace: Workspace, session: Session, server: Server, files: Iterable[FetchedFile]) -> FileSet:
    """The files of a state for comparing: texts as the gamebook reads them, all others by size and hash."""
    listed = list(files)
    texts = documents_of(workspace, session, server, {file.path: file.digest for file in listed if file.digest})
    others = {
        file.path: OtherFile(file.size, file.digest or file.content or "", file.stamp)
        for file in listed
        if file.path not in texts
    }
    return FileSet(texts, others)


def take_live(workspace: Workspace, server: Server) -> Taken:
    """The files of a server as they are now; read where they may differ from its newest snapshot. Raises ConnectionFailed."""
    with workspace.session() as session:
        gamebook, _ = gamebook_of(session, server)
        newest = latest_snapshot(session, server.id)
        known = known_files(session, newest.id) if newest is not None else {}
    with workspace.connection_to(server) as connection:
        return take(workspace, connection, gamebook, known)


def files_of(workspace: Workspace, session: Session, server: Server, snapshot: Snapshot) -> Files:
    """The files of a snapshot as the checks take them."""
    gamebook, _ = gamebook_of(session, server)
    texts = documents(workspace, session, server, snapshot)
    wanted = gamebook.binaries if gamebook is not None else frozenset[str]()
    data = {
        path: load_content(session, digest) for path, digest in digests(session, snapshot).items() if path in wanted
    }
    others = {
        file.path: other_file(file.digest or file.content, file.size)
        for file in snapshot.files
        if file.path not in texts
    }
    return Files(texts, others, data.get, query, marks=marks_of(snapshot))


def marks_of(snapshot: Snapshot) -> Marks:
    """What the files of a snapshot are besides their contents."""
    executable = frozenset(file.path for file in snapshot.files if file.is_executable)
    return Marks(executable, frozenset(snapshot.empty_folders or ()))


def checked_in(workspace: Workspace, session: Session, server: Server, snapshot: Snapshot) -> Checked:
    """The check of the files of a snapshot."""
    gamebook, gamebook_digest = gamebook_of(session, server)
    key = (snapshot.id, gamebook_digest)

    def check() -> Checked:
        # The last check of this server is where most of a new one comes from: few files differ between two snapshots.
        earlier = workspace.last_checked.get((server.id, gamebook_digest))
        found = check_files_of(
            files_of(workspace, session, server, snapshot),
            gamebook,
            earlier=earlier,
            between=workspace.ahead.give_way,
        )
        if snapshot.kind == "server":
            workspace.last_checked.keep((server.id, gamebook_digest), found)
        return found

    return workspace.checked.get_or_make(key, check)


def findings_in(workspace: Workspace, session: Session, server: Server, snapshot: Snapshot) -> tuple[Finding, ...]:
    """All findings in the files of a snapshot."""
    _, gamebook_digest = gamebook_of(session, server)
    return workspace.findings.get_or_make(
        (snapshot.id, gamebook_digest), lambda: checked_in(workspace, session, server, snapshot).findings
    )


@dataclass(frozen=True, slots=True)
class PathDifferences:
    """Paths that differ between two states of a server."""

    changed: tuple[str, ...]
    added: tuple[str, ...]
    removed: tuple[str, ...]

    def __bool__(self) -> bool:
        return bool(self.changed or self.added or self.removed)

    @property
    def all(self) -> tuple[str, ...]:
        return (*self.changed, *self.added, *self.removed)


def differing_paths(old: Mapping[str, str], new: Mapping[str, str]) -> PathDifferences:
    """Compare digests by path. What is in a packed file differs only where that file does."""

    def is_news(path: str) -> bool:
        pack = pack_of(path)
        return not pack or pack not in old or old.get(pack) != new.get(pack)

    return PathDifferences(
        tuple(sorted(path for path in old.keys() & new.keys() if old[path] != new[path])),
        tuple(sorted(path for path in new.keys() - old.keys() if is_news(path))),
        tuple(sorted(path for path in old.keys() - new.keys() if is_news(path))),
    )


def require_defaults(session: Session, server_id: str, label: str | None) -> Snapshot:
    """The defaults of a version, or the newest. Raises NotFound."""
    found = defaults_of(session, server_id, label)
    if found is None:
        which = f"defaults {label}" if label else "defaults"
        raise NotFound(f"{server_id} has no {which} to compare with. Import the files that the game ships first.")
    return found
