"""Writing the files of a run: many at once, with progress by file and byte, and taken up where it ended."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Final

from zerrit.connections import Connection, ConnectionFailed, ConnectionFault, NewFile
from zerrit.core.paths import ending_of, folders_of
from zerrit.core.wording import counted
from zerrit.records import content_sizes, digest_of, load_contents
from zerrit.work.base.workspace import Workspace
from zerrit.work.deploy.journal import StageFailed
from zerrit.work.deploy.packing import Writes

NOTED_EVERY: Final = 0.5  # seconds between two notes of which files are written
MOST_NAMED: Final = 5
LOADED_AT_ONCE: Final = 4 << 20  # bytes of small files
MOST_LOADED: Final = 100  # of them


@dataclass(slots=True)
class Progress:
    """How far a writing is, in files and bytes."""

    files: int
    size: int
    done: int = 0
    sent: int = 0

    def add(self, size: int) -> None:
        """One more file is done."""
        self.done += 1
        self.sent += size

    def __str__(self) -> str:
        bytes_ = f", {in_megabytes(self.sent)} of {in_megabytes(self.size)} MB" if self.size > 1 << 20 else ""
        return f"{self.done:,} of {counted(self.files, 'file')}{bytes_}"


@dataclass(slots=True)
class Written:
    """What became of the files of a run; `refused` are those that the host does not take, with its words."""

    refused: dict[str, str] = field(default_factory=dict)
    removed_folders: list[str] = field(default_factory=list)


def in_megabytes(size: int) -> str:
    """A number of bytes as MB with one decimal."""
    return f"{size / (1 << 20):.1f}"


def write_files(
    workspace: Workspace,
    connection: Connection,
    writes: Writes,
    say: Callable[[str], None],
    *,
    may_leave_out: frozenset[str] = frozenset(),
    executable: Mapping[str, bool] = MappingProxyType({}),
    new: Collection[str] = (),
    replaced: Mapping[str, str] = MappingProxyType({}),
    emptied: Sequence[str] = (),
    note: Callable[[Sequence[str]], None] = lambda paths: None,
) -> Written:
    """Remove and write files: what is removed first, since on a host that ignores letter case a new name may be an old one.

    `emptied` are folders in which nothing is left then; they are removed where they really are empty. `note` is told now
    and then which files are written, so that a run that was interrupted need not begin again. `executable` says which files
    may be run as programs, or may not any more. `new` are files where there is none, that nothing reads before all are read
    back. `replaced` are the digests of the files that are there now.

    Raises ConnectionFailed. StageFailed: the host refuses a file that may not be left out.
    """
    removed = [path for path, digest in writes.items() if digest is None]
    noted = _Noted(note)
    done = Written()
    for count, path in enumerate(connection.remove_many(removed), 1):
        noted.add(path)
        say(f"{count:,} of {counted(len(removed), 'file')} removed")
    for folder in sorted(emptied, key=lambda one: -one.count("/")):
        if connection.remove_folder(folder):
            done.removed_folders.append(folder)
    digests = {path: digest for path, digest in writes.items() if digest is not None}
    digests = {path: digests[path] for path in _by_kind(digests)}
    with workspace.session() as session:
        sizes = content_sizes(session, digests.values())
    progress = Progress(len(digests), sum(sizes[digest] for digest in digests.values()))
    files = (
        NewFile(path, data, executable.get(path), path in new, replaced.get(path, ""))
        for path, data in _contents(workspace, digests, sizes)
    )
    try:
        for path, result in connection.write_many(files):
            if isinstance(result, ConnectionFailed):
                if path not in may_leave_out:
                    raise _refused(path, result, digests)
                done.refused[path] = str(result)
                continue  # it is tried again, and refused again, where the run is taken up later
            noted.add(path)
            progress.add(sizes[digests[path]])
            say(f"{progress} written")
    finally:
        noted.flush()
    for folder in sorted(
        folders_of(done.refused) - folders_of(digests.keys() - done.refused), key=lambda one: -one.count("/")
    ):
        connection.remove_folder(folder)  # one that was made for a refused file only; one that holds anything stays
    return done


def _by_kind(paths: Iterable[str]) -> list[str]:
    """One file of each kind first: a kind that the host refuses is known before the many are sent."""
    first: dict[str, str] = {}
    later: list[str] = []
    for path in paths:
        if first.setdefault(ending_of(path), path) is not path:
            later.append(path)
    return [*first.values(), *later]


def _contents(
    workspace: Workspace, digests: Mapping[str, str], sizes: Mapping[str, int]
) -> Iterator[tuple[str, bytes]]:
    """The contents of files, loaded some small ones at a time; the next ones are loaded while these are sent."""

    def loaded(batch: Sequence[str]) -> list[tuple[str, bytes]]:
        with workspace.session() as session:
            contents = load_contents(session, (digests[path] for path in batch))
        return [(path, contents[digests[path]]) for path in batch]

    with ThreadPoolExecutor(1, "zerrit-loading") as loader:
        ahead: deque[Future[list[tuple[str, bytes]]]] = deque()
        for batch in _batches(digests, sizes):
            ahead.append(loader.submit(loaded, batch))
            if len(ahead) > 1:
                yield from ahead.popleft().result()
        while ahead:
            yield from ahead.popleft().result()


def _batches(digests: Mapping[str, str], sizes: Mapping[str, int]) -> Iterator[Sequence[str]]:
    batch: list[str] = []
    weight = 0
    for path, digest in digests.items():
        if batch and (weight + sizes[digest] > LOADED_AT_ONCE or len(batch) == MOST_LOADED):
            yield batch
            batch, weight = [], 0
        batch.append(path)
        weight += sizes[digest]
    if batch:
        yield batch


def _refused(path: str, error: ConnectionFailed, all_of: Iterable[str]) -> Exception:
    """The failure for a refused file. Where the host refuses the kind, it says how many there are of it."""
    kind, paths = ending_of(path), list(all_of)
    alike = [one for one in paths if ending_of(one) == kind]
    if not kind or len(alike) == len(paths):
        return ConnectionFailed(ConnectionFault.DENIED, str(error))
    named = ", ".join(alike[:MOST_NAMED]) + (", …" if len(alike) > MOST_NAMED else "")
    return StageFailed(
        f"{error} {len(alike):,} of {counted(len(paths), 'file')} {'end' if len(alike) > 1 else 'ends'} with {kind}: {named}. "
        f"If the host refuses such files, leave them out: put the folder with `--without '*{kind}'` or with `--if-refused leave-out`."
    )


class _Noted:
    """Files that are done, passed on some at a time."""

    def __init__(self, note: Callable[[Sequence[str]], None]) -> None:
        self._note = note
        self._paths: list[str] = []
        self._at = time.monotonic()

    def add(self, path: str) -> None:
        self._paths.append(path)
        if time.monotonic() - self._at >= NOTED_EVERY:
            self.flush()

    def flush(self) -> None:
        paths, self._paths = self._paths, []
        self._at = time.monotonic()
        if paths:
            self._note(paths)


def read_back(connection: Connection, writes: Mapping[str, str | None], say: Callable[[str], None]) -> None:
    """See that files lie on the server as they were written: by name and by the hash of their bytes.

    Raises StageFailed: one does not, with its path. ConnectionFailed.
    """
    present = {file.path: file for file in connection.files()}
    for path, digest in writes.items():
        if digest is None and path in present:
            raise StageFailed(f"{path} should be gone, but is still there")
        if digest is not None and path not in present:
            raise StageFailed(f"{path} was written and is not there")
    wanted = [present[path] for path, digest in writes.items() if digest is not None]
    for count, (file, data) in enumerate(connection.read_many(wanted), 1):
        if isinstance(data, ConnectionFailed):
            raise data
        if digest_of(data) != writes[file.path]:
            raise StageFailed(f"{file.path} was read back and is not what was written")
        say(f"{count:,} of {counted(len(wanted), 'file')} read back")
