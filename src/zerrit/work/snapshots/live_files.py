"""
Taking in the files of a server: which of them have to be read, and keeping what was read.

Contents are kept as they come in, apart from the snapshot that will name them, so that no large server has to fit into
memory and no long transaction holds up a journal.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Final, NamedTuple

from sqlalchemy.orm import Session

from zerrit.connections import MAX_KEPT, Connection, ConnectionFailed, ConnectionFault, RemoteFile
from zerrit.core.archives import unpack
from zerrit.core.documents import MAX_BYTES
from zerrit.core.errors import ArchiveRefused
from zerrit.core.file_steps import Marks
from zerrit.core.gamebooks import Gamebook
from zerrit.core.paths import INSIDE, pack_of
from zerrit.records import digest_of, load_content, store_contents
from zerrit.work.base.workspace import Workspace

KEPT_AT_ONCE: Final = 16 << 20  # bytes
FILES_AT_ONCE: Final = 500


class FetchedFile(NamedTuple):
    """One file as it was found on a server; `digest` is None for a watched one.

    `content` is the digest of a watched file whose content is kept anyway, since a change touched it. `is_executable` is None
    where the server does not tell.
    """

    path: str
    size: int
    modified: int
    digest: str | None
    stamp: str = ""
    content: str | None = None
    is_executable: bool | None = None


Known = Mapping[str, FetchedFile]


@dataclass(frozen=True)
class Taken:
    """All files of a server. `left_out` are those that could not be taken, with the reason; `read` counts those read.

    `is_same`: they are those that were known, file by file.
    """

    files: tuple[FetchedFile, ...]
    left_out: Mapping[str, str] = field(default_factory=dict)
    read: int = 0
    is_same: bool = False
    empty_folders: frozenset[str] = frozenset()
    listing: tuple[RemoteFile, ...] = ()  #: as the connection gave it; empty where some of it has to be read each time

    def is_known_with(self, left_out: Mapping[str, str]) -> bool:
        """It says already what a fetch says that finds nothing new."""
        return self.is_same and self.read == 0 and self.left_out == left_out

    @cached_property
    def by_path(self) -> Known:
        return {file.path: file for file in self.files}

    @property
    def marks(self) -> Marks:
        """What the files are besides their contents."""
        return Marks(frozenset(file.path for file in self.files if file.is_executable), self.empty_folders)

    @property
    def digests(self) -> dict[str, str]:
        """Digest by path, of tracked files."""
        return {file.path: file.digest for file in self.files if file.digest is not None}

    @property
    def contents(self) -> dict[str, str]:
        """The same with the watched files whose content is kept."""
        return {file.path: kept for file in self.files if (kept := file.digest or file.content) is not None}


def no_progress(_done: int, _of: int) -> None:
    """No one waits for it."""


def take(
    workspace: Workspace,
    connection: Connection,
    gamebook: Gamebook | None,
    known: Known | None = None,
    *,
    empty_before: Collection[str] = (),
    last: Taken | None = None,
    thorough: bool = False,
    progress: Callable[[int, int], None] = no_progress,
) -> Taken:
    """Read every tracked file that is not `known` to be as it was; of watched ones only size and time.

    Ignored files (logs, crash files) are left out. What is larger than any text that Zerrit reads is watched, unless the
    gamebook wants it kept. `thorough` reads all of them. `last` is what was taken the last time; a listing that is the
    same says all. `empty_before` are the folders that were known to be empty.

    `progress` is told now and then how many of how many files are read.

    Raises ConnectionFailed: also where a file that was readable before is not so now.
    """
    before = known or {}
    found: dict[str, FetchedFile] = {}
    wanted: list[RemoteFile] = []
    odd: dict[str, str] = {}
    looked_at: list[RemoteFile] = []
    same = 0
    listing = tuple(connection.files())
    empty = frozenset(one for one in connection.empty_folders if _counts(one, gamebook))
    if last is not None and last.listing and not thorough and listing == last.listing and empty == last.empty_folders:
        # Without copying it: what was worked out of it once, such as its files by path, is kept with it.
        return (
            last
            if last.is_known_with(connection.left_out)
            else replace(last, is_same=True, read=0, left_out=dict(connection.left_out))
        )
    for file in listing:
        path, size, _, stamp, _, is_executable = file
        if pack_of(path):
            odd[path] = "its folder is called like the inside of a packed file; rename that folder"
            continue
        if gamebook is not None and gamebook.is_ignored(path):
            continue
        old = before.get(path)
        if (size > MAX_BYTES and not _is_kept_large(gamebook, path, size)) or (
            gamebook is not None and gamebook.is_watched(path)
        ):
            is_as_it_was = old is not None and (old.size, old.modified) == (size, file.modified)
            content = old.content if old is not None and is_as_it_was else None
            found[path] = now = FetchedFile(path, size, file.modified, None, stamp, content, is_executable)
            same += now == old
            if old is not None and old.content and not is_as_it_was and old.size == size:
                looked_at.append(file)  # written anew, perhaps with what it had, as a rollback does
        elif stamp and old is not None and old.stamp == stamp and old.size == size and old.digest and not thorough:
            found[path] = old if old.is_executable == is_executable else old._replace(is_executable=is_executable)
            same += found[path] is old
        else:
            wanted.append(file)
    left_out = {**connection.left_out, **odd}
    _require_reachable(left_out, before)
    for count, (file, data) in enumerate(_kept(workspace, connection, wanted)):
        progress(count, len(wanted))
        if isinstance(data, ConnectionFailed):
            if file.path in before:
                raise data
            left_out[file.path] = str(data)
        else:
            size, digest = data
            found[file.path] = FetchedFile(
                file.path, size, file.modified, digest, file.stamp, is_executable=file.is_executable
            )
    for file, again in connection.read_many(looked_at):
        content = before[file.path].content
        if not isinstance(again, ConnectionFailed) and digest_of(again) == content:
            found[file.path] = found[file.path]._replace(content=content)
    own = [found[path] for path in sorted(found)] if wanted else list(found.values())
    files, faults = with_insides(workspace, gamebook, own, before)
    if not wanted and same == len(found) and len(files) == len(before) and empty == frozenset(empty_before):
        is_sure = all(file.stamp for file in listing)
        sure = listing if is_sure else ()
        return Taken(tuple(files), left_out | faults, 0, is_same=True, empty_folders=empty, listing=sure)
    return Taken(tuple(files), left_out | faults, len(wanted), empty_folders=empty)


def _is_kept_large(gamebook: Gamebook | None, path: str, size: int) -> bool:
    return gamebook is not None and size <= MAX_KEPT and gamebook.is_kept_large(path)


def _counts(folder: str, gamebook: Gamebook | None) -> bool:
    """An empty folder that is of the server's set-up: not one for logs or for what is only watched."""
    inside = f"{folder}/x"
    return gamebook is None or not (
        gamebook.is_ignored(folder) or gamebook.is_ignored(inside) or gamebook.is_watched(inside)
    )


def with_contents(workspace: Workspace, connection: Connection, taken: Taken, paths: Collection[str]) -> Taken:
    """The same with the contents of these watched files read and kept, so that a rollback can bring them back.

    Raises ConnectionFailed: one cannot be read.
    """
    wanted = [
        RemoteFile(file.path, file.size, file.modified, file.stamp)
        for file in taken.files
        if file.path in paths and file.digest is None and file.content is None
    ]
    read: dict[str, str] = {}
    for file, data in _kept(workspace, connection, wanted):
        if isinstance(data, ConnectionFailed):
            raise data
        read[file.path] = data[1]
    files = (
        tuple(file._replace(content=read.get(file.path, file.content)) for file in taken.files) if read else taken.files
    )
    return replace(taken, files=files)


def with_insides(
    workspace: Workspace, gamebook: Gamebook | None, files: Iterable[FetchedFile], known: Known
) -> tuple[list[FetchedFile], dict[str, str]]:
    """Files with those that are in opened packs behind each, and what could not be opened with the reason.

    The files of a pack that is as it was `known` are taken over from there.
    """
    if gamebook is None or not gamebook.rules.opened:
        return list(files), {}
    own = [file for file in files if not pack_of(file.path)]
    insides: dict[str, list[FetchedFile]] = {}
    for path, file in known.items():
        if pack_of(path):
            insides.setdefault(pack_of(path), []).append(file)
    found: list[FetchedFile] = []
    faults: dict[str, str] = {}
    with workspace.session() as session:
        for file in own:
            found.append(file)
            if file.digest is None or not gamebook.is_opened(file.path):
                continue
            old = known.get(file.path)
            if old is not None and old.digest == file.digest and file.path in insides:
                found += insides[file.path]
                continue
            try:
                found += _opened(session, file)
            except ArchiveRefused as error:
                faults[file.path] = f"what is in it cannot be shown: {error}"
    return found, faults


def _opened(session: Session, file: FetchedFile) -> list[FetchedFile]:
    assert file.digest is not None  # noqa: S101 (the caller saw to it)
    inside = unpack(load_content(session, file.digest))
    kept = keep_files(session, sorted(inside.items()))
    return [one._replace(path=f"{file.path}{INSIDE}{one.path}", modified=file.modified) for one in kept]


def _require_reachable(left_out: Mapping[str, str], before: Known) -> None:
    """A folder that could be listed before and cannot now is not a folder that is gone."""
    for path, reason in left_out.items():
        lost = next((known for known in before if known == path or known.startswith(f"{path}/")), None)
        if lost is not None:
            raise ConnectionFailed(ConnectionFault.DENIED, f"{lost} cannot be reached any more: {reason}")


def _kept(
    workspace: Workspace, connection: Connection, wanted: list[RemoteFile]
) -> Iterator[tuple[RemoteFile, tuple[int, str] | ConnectionFailed]]:
    """Read files and keep their contents, many at once; size and digest of each."""
    batch: list[tuple[RemoteFile, bytes]] = []
    weight = 0

    def flush() -> Iterator[tuple[RemoteFile, tuple[int, str]]]:
        with workspace.session() as session:
            digests = store_contents(session, [data for _, data in batch])
        for (file, data), digest in zip(batch, digests, strict=True):
            yield file, (len(data), digest)
        batch.clear()

    for file, data in connection.read_many(wanted):
        if isinstance(data, ConnectionFailed):
            yield file, data
            continue
        batch.append((file, data))
        weight += len(data)
        if weight >= KEPT_AT_ONCE or len(batch) >= FILES_AT_ONCE:
            yield from flush()
            weight = 0
    yield from flush()


def keep_files(session: Session, files: Iterable[tuple[str, bytes]]) -> list[FetchedFile]:
    """Keep files that did not come from a server: of an archive, for instance."""
    given = list(files)
    digests = store_contents(session, [data for _, data in given])
    return [FetchedFile(path, len(data), 0, digest) for (path, data), digest in zip(given, digests, strict=True)]


def known_files(session: Session, snapshot_id: int) -> dict[str, FetchedFile]:
    """The files of a snapshot, by path."""
    # Plain rows of the driver: thousands are read at each fetch.
    rows = session.connection().exec_driver_sql(
        "SELECT path, size, modified, digest, stamp, content, is_executable FROM snapshot_files WHERE snapshot_id = ?",
        (snapshot_id,),
    )
    found = rows.cursor.fetchall() if rows.cursor is not None else ()
    return {row[0]: FetchedFile._make((*row[:6], None if row[6] is None else bool(row[6]))) for row in found}


class Held(Mapping[str, bytes]):
    """Kept contents by path; each is loaded when someone asks for it."""

    def __init__(self, workspace: Workspace, digests: Mapping[str, str]) -> None:
        self._workspace = workspace
        self.digests = digests

    def __getitem__(self, path: str) -> bytes:
        digest = self.digests[path]
        with self._workspace.session() as session:
            return load_content(session, digest)

    def __iter__(self) -> Iterator[str]:
        return iter(self.digests)

    def __len__(self) -> int:
        return len(self.digests)
