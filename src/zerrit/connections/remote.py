"""
A connection over wires: several connections at once, tries with pauses, writing beside the target and renaming.

Everything that hosts do oddly and that is not a matter of one protocol is met here, once.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from queue import SimpleQueue
from types import TracebackType
from typing import Final, Self, TypeVar

from tenacity import Retrying, retry_if_exception, stop_after_attempt, wait_exponential

from zerrit.connections.connection import (
    MAX_DEPTH,
    MAX_FILES,
    PART_PREFIX,
    PASSING,
    ConnectionFailed,
    ConnectionFault,
    Limits,
    Listed,
    NewFile,
    RemoteFile,
    as_executable,
    in_listing,
    in_the_way,
    is_safe,
    missing,
    most_of,
    part_name,
    too_deep,
    too_many,
    unsteady,
)
from zerrit.connections.wire import Entry, Wire
from zerrit.core.documents import MAX_BYTES
from zerrit.core.errors import PathRefused
from zerrit.core.paths import safe_path

T = TypeVar("T")
R = TypeVar("R")

#: A listing tells times to the second or the minute, by a clock that may be hours off, in a zone that may be unknown.
#: Only a time that is further back than all that says for sure that the file was not written since.
MAX_SIZE: Final = 2**53  # bytes; a larger one is not true, and the database could not hold it
SETTLED: Final = 26 * 3600  # seconds
STEADY_TRIES: Final = 4
#: Of the first connection: who adds a server waits for it, and a silent host costs a timeout each.
FIRST_TRIES: Final = 2
USUAL_MODE: Final = 0o644  #: what hosts give to a new file


class RemoteConnection:
    """Files on a host. The first connection is made at once; more, up to `parallel`, as they are needed."""

    is_manual = False

    def __init__(self, open_wire: Callable[[], Wire], where: str, *, parallel: int = 4, limits: Limits) -> None:
        self._open_wire = open_wire
        self._where = where
        self._most = parallel
        self._limits = limits
        self._free: list[Wire] = []
        self._open = 0
        self._change = threading.Condition()
        self._replaces = True  #: whether the host renames over a file that is there
        self.left_out: dict[str, str] = {}
        self.empty_folders: frozenset[str] = frozenset()
        self._modes: dict[str, int] = {}  #: permission bits by path, of the folders that were listed
        self._listed: set[str] = set()
        self._tells_modes = False  #: some hosts show every file as one that may be run, which says nothing
        self._retrying = self._patient(_may_pass)
        # That no one answers is said at once: mostly the address is wrong. A host that is busy is asked again.
        self._patient(_is_busy, most=FIRST_TRIES)(lambda: self._give_back(self._take()))

    def _patient(self, is_passing: Callable[[BaseException], bool], most: int | None = None) -> Retrying:
        return Retrying(
            retry=retry_if_exception(is_passing),
            stop=stop_after_attempt(min(self._limits.tries, most or self._limits.tries)),
            wait=wait_exponential(multiplier=self._limits.pause),
            reraise=True,
        )

    # --- connections --------------------------------------------------------------------------------------------------

    def _take(self) -> Wire:
        """A free connection, or a new one, or wait for one."""
        with self._change:
            while not self._free and self._open >= self._most:
                self._change.wait()
            if self._free:
                return self._free.pop()
            self._open += 1
        try:
            return self._open_wire()
        except ConnectionFailed as error:
            with self._change:
                self._open -= 1
                # A host that lets no more in is served with those that there are; the first one must come in, though.
                if error.fault is ConnectionFault.BUSY and self._open > 0:
                    self._most = self._open
                self._change.notify()
            raise
        except BaseException:
            with self._change:
                self._open -= 1
                self._change.notify()
            raise

    def _give_back(self, wire: Wire) -> None:
        with self._change:
            self._free.append(wire)
            self._change.notify()

    def _drop(self, wire: Wire) -> None:
        wire.close()
        with self._change:
            self._open -= 1
            self._change.notify()

    def _tried(self, work: Callable[[Wire], T]) -> T:
        """Do `work` on a connection; what may pass is tried again on a new one, after a pause that doubles."""
        result: T = self._retrying(self._once, work)
        return result

    def _once(self, work: Callable[[Wire], T]) -> T:
        wire = self._take()
        try:
            result = work(wire)
        except BaseException as error:
            # A wire that said no is still a sound one; after anything else no one knows what it would say next.
            is_sound = isinstance(error, ConnectionFailed) and not _may_pass(error)
            (self._give_back if is_sound else self._drop)(wire)
            raise
        self._give_back(wire)
        return result

    def _side_by_side(self, work: Callable[[T], None], items: Iterable[T]) -> None:
        for _ in self._results(work, items):
            pass

    def _results(self, work: Callable[[T], R], items: Iterable[T]) -> Iterator[tuple[T, R]]:
        """Do work for all items, a few at once; no more results wait than there are connections."""
        waiting = iter(items)
        running: dict[Future[R], T] = {}
        done: SimpleQueue[Future[R]] = SimpleQueue()
        with ThreadPoolExecutor(self._most, "zerrit-connection") as pool:
            try:
                while True:
                    while len(running) < self._most and (item := next(waiting, None)) is not None:
                        future = pool.submit(work, item)
                        running[future] = item
                        future.add_done_callback(done.put)
                    if not running:
                        return
                    future = done.get()
                    yield running.pop(future), future.result()
            finally:
                for future in running:
                    future.cancel()

    # --- reading ------------------------------------------------------------------------------------------------------

    def files(self, below: str = "") -> list[RemoteFile]:
        self.left_out = {}
        now = time.time()
        walked = self._walked(below)
        return [
            RemoteFile(
                path,
                min(entry.size, MAX_SIZE),
                entry.modified,
                entry.stamp if abs(now - entry.modified) > SETTLED else "",
                entry.identity,
                bool(entry.mode & 0o100) if entry.mode is not None and self._tells_modes else None,
            )
            for path, entry in walked
            if not entry.name.startswith(PART_PREFIX)
        ]

    def _walked(self, below: str = "") -> list[tuple[str, Entry]]:
        """All files below a folder; the folders of a level are listed side by side."""
        found: dict[str, Entry] = {}
        level = [below]
        lock = threading.Lock()
        seen = [0]
        empty: set[str] = set()
        while level:
            deeper: list[str] = []

            def look(folder: str, deeper: list[str] = deeper) -> None:
                try:
                    entries = self._tried(lambda wire: wire.folder(folder))
                except ConnectionFailed as error:
                    if not folder or error.fault not in (ConnectionFault.DENIED, ConnectionFault.MISSING):
                        raise
                    self.left_out[folder] = str(error)
                    return
                self._note_modes(folder, entries)
                with lock:
                    if not entries and folder != below:
                        empty.add(folder)
                    for entry in entries:
                        seen[0] += 1
                        if seen[0] > MAX_FILES:
                            raise too_many(self._where)
                        self._sort_in(folder, entry, found, deeper)

            self._side_by_side(look, level)
            level = deeper
        self.empty_folders = frozenset(empty)
        return sorted(found.items())

    def _note_modes(self, folder: str, entries: Iterable[Entry]) -> None:
        self._listed.add(folder)
        for entry in entries:
            if entry.mode is not None and entry.kind == "file":
                self._modes[f"{folder}/{entry.name}" if folder else entry.name] = entry.mode
                self._tells_modes = self._tells_modes or not entry.mode & 0o100

    def _sort_in(self, folder: str, entry: Entry, found: dict[str, Entry], deeper: list[str]) -> None:
        path = f"{folder}/{entry.name}" if folder else entry.name
        try:
            safe_path(path)
        except PathRefused:
            if entry.name not in (".", ".."):
                self.left_out[path] = "no safe file name"
            return
        if entry.kind == "folder":
            if path.count("/") >= MAX_DEPTH:
                raise too_deep(path)
            deeper.append(path)
        elif entry.kind == "file":
            found[path] = entry
        else:
            self.left_out[path] = "a symbolic link; they are not followed"

    def listing(self, folder: str = "") -> list[Listed]:
        if folder:
            safe_path(folder)
        found = [
            Listed(entry.name, entry.kind == "folder", min(entry.size, MAX_SIZE) if entry.kind == "file" else 0)
            for entry in self._tried(lambda wire: wire.folder(folder))
            if entry.kind in ("file", "folder") and not entry.name.startswith(PART_PREFIX) and is_safe(entry.name)
        ]
        return sorted(found, key=in_listing)

    def read(self, path: str, start: int = 0) -> bytes:
        safe_path(path)
        return self._tried(lambda wire: wire.read(path, MAX_BYTES, start))

    def read_many(self, files: Iterable[RemoteFile]) -> Iterator[tuple[RemoteFile, bytes | ConnectionFailed]]:
        return self._results(self._read_or_refused, files)

    def _read_or_refused(self, file: RemoteFile) -> bytes | ConnectionFailed:
        try:
            return self._read_steadily(file)
        except ConnectionFailed as error:
            if error.fault is ConnectionFault.DENIED:
                return error
            raise

    def _read(self, file: RemoteFile) -> bytes:
        safe_path(file.path)
        return self._tried(lambda wire: wire.read(file.path, most_of(file), 0))

    def _read_steadily(self, file: RemoteFile) -> bytes:
        """The bytes of a listed file. Where they are not as many as were listed, two readings must agree."""
        data = self._read(file)
        for _ in range(STEADY_TRIES):
            if len(data) == file.size:
                return data
            again = self._read(file)
            if again == data:
                return data
            data = again
        raise unsteady(file.path)

    # --- writing ------------------------------------------------------------------------------------------------------

    def write(self, path: str, data: bytes, *, is_executable: bool | None = None) -> None:
        part = part_name(safe_path(path))
        try:
            self._tried(lambda wire: self._write(wire, NewFile(path, data, is_executable), part))
        except ConnectionFailed as error:
            with contextlib.suppress(ConnectionFailed):
                self._tried(lambda wire: _remove(wire, part))
            raise ConnectionFailed(error.fault, str(error).replace(part, path), identity=error.identity) from error

    def _write(self, wire: Wire, file: NewFile, part: str) -> None:
        path, data = file.path, file.data
        _store(wire, part, data)
        if not self._has_its_mode(wire, file, part):
            wire.store(path, data)
            _remove(wire, part)
            return
        if self._replaces:
            try:
                _rename(wire, part, path)
                return
            except ConnectionFailed as error:
                if error.fault in PASSING or not _is_there(wire, path):
                    raise
        self._swap(wire, part, path)
        self._replaces = False

    def _write_new(self, file: NewFile) -> None:
        """Write a file where there is none, in place; one that could not be written is taken away again."""
        safe_path(file.path)

        def work(wire: Wire) -> None:
            _store(wire, file.path, file.data, is_read_back=True)
            if file.is_executable:
                wire.set_mode(file.path, as_executable(USUAL_MODE, wanted=True))

        try:
            self._tried(work)
        except ConnectionFailed:
            with contextlib.suppress(ConnectionFailed):
                self._tried(lambda wire: _remove(wire, file.path))
            raise

    def _has_its_mode(self, wire: Wire, file: NewFile, part: str) -> bool:
        """Give a part the permissions that its file is to have. False: the one in whose place it comes may be run, and the host
        does not let the part be so.
        """
        old = self._mode_of(wire, file.path)
        mode = USUAL_MODE if old is None else old
        if file.is_executable is not None:
            mode = as_executable(mode, wanted=file.is_executable)
        if mode == USUAL_MODE and old is None:
            return True
        if wire.set_mode(part, mode):
            self._modes[file.path] = mode
            return True
        was_executable = old is not None and bool(old & 0o100) and self._tells_modes
        return not was_executable or file.is_executable is False

    def _mode_of(self, wire: Wire, path: str) -> int | None:
        """The permissions of a file that is there; its folder is listed where it was not yet."""
        folder = path.rpartition("/")[0]
        if folder not in self._listed:
            try:
                self._note_modes(folder, wire.folder(folder))
            except ConnectionFailed as error:
                if error.fault is not ConnectionFault.MISSING:
                    raise
        return self._modes.get(path)

    @staticmethod
    def _swap(wire: Wire, part: str, path: str) -> None:
        """Put a part in the place of a file on a host that does not rename over one: the old one steps aside first."""
        aside = part_name(f"{path}.old")
        is_aside = _is_there(wire, path)
        if is_aside:
            _remove(wire, aside)
            _rename(wire, path, aside)
        try:
            _rename(wire, part, path)
        except ConnectionFailed:
            if is_aside:
                _rename(wire, aside, path)
            raise
        if is_aside:
            _remove(wire, aside)

    def write_many(self, files: Iterable[NewFile]) -> Iterator[tuple[str, int | ConnectionFailed]]:
        return ((file.path, done) for file, done in self._results(self._write_or_refused, files))

    def _write_or_refused(self, file: NewFile) -> int | ConnectionFailed:
        try:
            if file.is_new:
                self._write_new(file)
            else:
                self.write(file.path, file.data, is_executable=file.is_executable)
        except ConnectionFailed as error:
            if error.fault is ConnectionFault.DENIED:
                return error
            raise
        return len(file.data)

    def refusal(self, path: str, data: bytes) -> str:
        return ""

    def remove(self, path: str) -> None:
        safe_path(path)
        self._tried(lambda wire: _remove(wire, path))

    def remove_many(self, paths: Iterable[str]) -> Iterator[str]:
        return (path for path, _ in self._results(self.remove, paths))

    def set_executable(self, path: str, *, wanted: bool) -> bool:
        def work(wire: Wire) -> bool:
            old = self._mode_of(wire, path)
            return wire.set_mode(path, as_executable(USUAL_MODE if old is None else old, wanted=wanted))

        return self._tried(work)

    def move(self, path: str, target: str) -> None:
        safe_path(path)
        self._tried(lambda wire: _move(wire, path, safe_path(target)))
        self._modes.pop(path, None)

    def make_folder(self, path: str) -> None:
        self._tried(lambda wire: _make_folders(wire, safe_path(path)))

    def remove_folder(self, path: str) -> bool:
        return self._tried(lambda wire: _remove_folder(wire, safe_path(path)))

    def sweep(self) -> int:
        parts = [path for path, entry in self._walked() if entry.name.startswith(PART_PREFIX)]
        for path in parts:
            self._tried(lambda wire, path=path: _remove(wire, path))  # type: ignore[misc]
        return len(parts)

    def close(self) -> None:
        with self._change:
            wires, self._free = self._free, []
            self._open -= len(wires)
        for wire in wires:
            wire.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


def _store(wire: Wire, path: str, data: bytes, *, is_read_back: bool = False) -> None:
    """Write to a path; its folders are made where they lack."""
    try:
        wire.store(path, data, is_read_back=is_read_back)
    except ConnectionFailed as error:
        if error.fault not in (ConnectionFault.MISSING, ConnectionFault.DENIED) or "/" not in path:
            raise
        _make_folders(wire, path.rpartition("/")[0])
        wire.store(path, data, is_read_back=is_read_back)


def _remove(wire: Wire, path: str) -> None:
    try:
        wire.remove(path)
    except ConnectionFailed as error:
        # Hosts tell a file that is not there and one that may not be removed apart badly; the listing knows.
        if error.fault in PASSING or _is_there(wire, path):
            raise


def _move(wire: Wire, path: str, target: str) -> None:
    if "/" in target:
        _make_folders(wire, target.rpartition("/")[0])  # hosts refuse to list a folder that is not there in many words
    if _is_there(wire, target):
        if not _is_there(wire, path):
            return  # it was moved before
        raise in_the_way(target)
    if not _is_there(wire, path):
        raise missing(path)
    _rename(wire, path, target)


def _make_folders(wire: Wire, path: str) -> None:
    folders = path.split("/")
    for depth in range(1, len(folders) + 1):
        wire.make_folder("/".join(folders[:depth]))


def _remove_folder(wire: Wire, path: str) -> bool:
    """Remove a folder that is listed as empty: some hosts remove a folder with all that is in it."""
    try:
        if wire.folder(path):
            return False
        wire.remove_folder(path)
    except ConnectionFailed as error:
        if error.fault in PASSING:
            raise
        # One with files that no listing shows is refused, and stays.
        return error.fault is ConnectionFault.MISSING
    return True


def _rename(wire: Wire, old: str, new: str) -> None:
    try:
        wire.rename(old, new)
    except ConnectionFailed as error:
        # Some hosts do it and say that they did not, or an answer got lost and this is the second try.
        if error.fault in PASSING or _is_there(wire, old) or not _is_there(wire, new):
            raise


def _is_there(wire: Wire, path: str) -> bool:
    folder, _, name = path.rpartition("/")
    try:
        return any(entry.name == name for entry in wire.folder(folder))
    except ConnectionFailed as error:
        if error.fault is ConnectionFault.MISSING:
            return False
        raise


def _is_busy(error: BaseException) -> bool:
    return isinstance(error, ConnectionFailed) and error.fault in (ConnectionFault.BUSY, ConnectionFault.BROKEN)


def _may_pass(error: BaseException) -> bool:
    return isinstance(error, ConnectionFailed) and error.fault in PASSING
