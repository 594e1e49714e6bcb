"""What all use cases work with: the database, the vault, the clock, the way to connections and controls, the events."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Hashable, Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor, wait
from contextlib import AbstractContextManager, contextmanager, suppress
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import Any, Final, Generic, TypeVar

from cachetools import LRUCache
from readerwriterlock.rwlock import RWLockFair
from sqlalchemy.orm import Session

from zerrit.connections import (
    Connection,
    ConnectionFailed,
    ConnectionFault,
    Limits,
    ManualConnection,
    open_connection,
    open_with_tables,
)
from zerrit.core.checks import Checked, Files
from zerrit.core.documents import Document, Finding, read_document
from zerrit.core.gamebooks import Gamebook
from zerrit.core.steps import Replay
from zerrit.records import Database, DataFolder, Server, Vault
from zerrit.records.search_index import SearchIndex
from zerrit.settings import FolderConnection, RemoteConnection, TablesDatabase
from zerrit.work.base.errors import Refused, WrongState
from zerrit.work.base.sign_in_delays import SignIns

Publish = Callable[[str, Mapping[str, Any]], None]
MAX_DOCUMENTS: Final = 1200  # kept read; a large server has some hundred files, and two states of them are looked at
PRUNE_PATIENCE: Final = 5.0  # seconds
MAX_CHECKED: Final = 16  # snapshots whose checks are kept, with all that was worked out for them
MAX_FINDINGS: Final = 100_000  # kept of many more snapshots: of each server, and of its defaults
MAX_INVENTORIES: Final = 200
MAX_TAKEN: Final = 32  # of which each server has one that counts
MAX_WORKED_OUT: Final = 16  # changes kept worked out
MAX_HELD: Final = 64  # snapshots whose lists of files are kept
WORKED_AHEAD: Final = 2  # threads
MOST_GIVEN_WAY: Final = 1.0  # seconds that long work waits between two parts
MAX_DRAFTED: Final = 4  # drafts of gamebooks, each with the check of a server by it
WorkKey = tuple[int, str, int, str]  #: change, digest of its steps, its base, digest of the gamebook
K = TypeVar("K")
V = TypeVar("V")


class Turns:
    """One at a time for each key; what waits for another key is not held up."""

    def __init__(self) -> None:
        self._locks: dict[Hashable, tuple[threading.Lock, int]] = {}
        self._change = threading.Lock()

    @contextmanager
    def of(self, key: Hashable) -> Iterator[None]:
        """While no one else has the turn of that key."""
        with self._change:
            lock, waiting = self._locks.get(key, (threading.Lock(), 0))
            self._locks[key] = lock, waiting + 1
        try:
            with lock:
                yield
        finally:
            with self._change:
                lock, waiting = self._locks[key]
                if waiting == 1:
                    del self._locks[key]
                else:
                    self._locks[key] = lock, waiting - 1


class Recent(Generic[K, V]):
    """The last values that were worked out, up to a number of them, or up to a size of all together. Safe between threads."""

    def __init__(self, most: int, size_of: Callable[[V], int] = lambda _: 1) -> None:
        self._values: LRUCache[K, V] = LRUCache(most, size_of)
        self._lock = threading.Lock()
        self._making = Turns()

    def get(self, key: K) -> V | None:
        with self._lock:
            return self._values.get(key)

    def keep(self, key: K, value: V) -> V:
        with self._lock, suppress(ValueError):  # it alone is larger than all that may be kept
            self._values[key] = value
        return value

    def get_or_make(self, key: K, make: Callable[[], V]) -> V:
        """The value that is kept, or a new one; it is made once, however many ask for it at the same time."""
        found = self.get(key)
        if found is not None:
            return found
        with self._making.of(key):
            found = self.get(key)
            return found if found is not None else self.keep(key, make())


class Ahead:
    """Work that goes on when whoever asked for it no longer waits; the same work is done once at a time.

    It gives way to what someone waits for at that moment, since threads share one processor.
    """

    def __init__(self) -> None:
        self._first = threading.local()
        self._hurried = 0
        self._calm = threading.Condition()
        self._pool = ThreadPoolExecutor(WORKED_AHEAD, "zerrit-ahead")
        self._begun: dict[Hashable, Future[Any]] = {}
        self._lock = threading.RLock()  # work that is done at once is forgotten while it is begun

    def result(self, key: Hashable, work: Callable[[], V], patience: float | None) -> V | None:
        """The result of the work, or None where that takes longer than `patience`, in seconds; raises what the work raises."""
        if patience is None:
            return work()
        with self._lock:
            future = self._begun.get(key)
            if future is None:
                future = self._begun[key] = self._pool.submit(work)
                future.add_done_callback(lambda _: self._forget(key))
        done, _ = wait([future], patience)
        result: V | None = future.result() if done else None
        return result

    @contextmanager
    def first(self) -> Iterator[None]:
        """While long work of other threads gives way; for what is short and waits for none of that."""
        self._first.is_here = True
        with self._calm:
            self._hurried += 1
        try:
            yield
        finally:
            self._first.is_here = False
            with self._calm:
                self._hurried -= 1
                self._calm.notify_all()

    def give_way(self) -> None:
        """For long work, between two parts of it: wait a moment while someone is first."""
        if self._hurried and not getattr(self._first, "is_here", False):
            with self._calm:
                self._calm.wait_for(lambda: not self._hurried, MOST_GIVEN_WAY)

    def _forget(self, key: Hashable) -> None:
        with self._lock:
            self._begun.pop(key, None)

    def close(self) -> None:
        """Finish what was begun and drop what waits for its turn."""
        self._pool.shutdown(wait=True, cancel_futures=True)


class Storing:
    """Contents are kept before something names them; while that is so, none that nothing names may be dropped."""

    def __init__(self) -> None:
        self._lock = RWLockFair()

    @contextmanager
    def shared(self) -> Iterator[None]:
        """While contents are kept that something will name soon."""
        with self._lock.gen_rlock():
            yield

    @contextmanager
    def exclusive(self) -> Iterator[None]:
        """While contents that nothing names are dropped. Raises WrongState: files are being stored just now."""
        lock = self._lock.gen_wlock()
        if not lock.acquire(timeout=PRUNE_PATIENCE):
            raise WrongState("Files are being fetched or deployed just now. Prune when that has ended.")
        try:
            yield
        finally:
            lock.release()


@dataclass(frozen=True, slots=True)
class WorkedOut:
    """A change on its base: the files before, the steps made on them, and what is found before and after."""

    files: Files
    replayed: Replay
    checked_before: Checked
    checked: Checked

    @property
    def before(self) -> Mapping[str, Document]:
        return self.files.documents

    @property
    def old_findings(self) -> tuple[Finding, ...]:
        return self.checked_before.findings

    @property
    def findings(self) -> tuple[Finding, ...]:
        return self.checked.findings


@dataclass(frozen=True, slots=True)
class Bounds:
    """What of the machine that the service runs on may be used, as whoever starts it says.

    `commands` may be run or not; a folder must lie below one of `folders_below`, where any are given.
    """

    commands: bool = True
    folders_below: tuple[Path, ...] = ()

    def require_commands(self) -> None:
        """Raises Refused."""
        if not self.commands:
            raise Refused(
                "This service runs no commands (it was started with --no-commands). Control the game over HTTP, over its "
                "console, or manually."
            )

    def require_folder(self, folder: Path, own: Path) -> None:
        """Raises Refused: `folder` is not below one that is allowed, or Zerrit's own folder and it lie in each other."""
        real, data = Path(os.path.realpath(folder)), Path(os.path.realpath(own))
        if real.is_relative_to(data) or data.is_relative_to(real):
            raise Refused(
                f"The folder {folder} and the one with Zerrit's own data ({own}) lie in each other; a deploy or a fetch "
                "would touch the data. Choose the game's own folder."
            )
        if self.folders_below and not any(real.is_relative_to(os.path.realpath(below)) for below in self.folders_below):
            allowed = ", ".join(str(below) for below in self.folders_below)
            raise Refused(
                f"The folder {folder} is not below {allowed}, and this service uses no other folders "
                "(it was started with --folders-below)."
            )


def _utc_now() -> datetime:
    return datetime.now(UTC)


@dataclass
class Workspace:
    """`publish(kind, facts)` tells whoever listens; `settle` is the time in seconds that a started game must stay up.

    `folder` is where Zerrit's own files lie, `limits` how patient connections are. `stopping` is set when the service stops;
    what waits for something lets go then.
    """

    database: Database
    vault: Vault
    publish: Publish
    folder: Path
    now: Callable[[], datetime] = _utc_now
    settle: float = 2.0
    patience: float = 60.0  #: seconds to wait for a game to stop, start or say that it is ready
    limits: Limits = field(default_factory=Limits)
    stopping: threading.Event = field(default_factory=threading.Event)
    storing: Storing = field(default_factory=Storing)
    editing: Turns = field(default_factory=Turns)  #: edits of one change take turns, by its number
    bounds: Bounds = field(default_factory=Bounds)
    sign_ins: SignIns = field(default_factory=SignIns)
    data: DataFolder | None = None  #: the folder, where this process holds it alone
    documents: Recent[tuple[str, str, str], Document] = field(default_factory=lambda: Recent(MAX_DOCUMENTS))
    checked: Recent[tuple[int, str], Checked] = field(default_factory=lambda: Recent(MAX_CHECKED))
    findings: Recent[tuple[int, str], tuple[Finding, ...]] = field(
        default_factory=lambda: Recent(MAX_FINDINGS, lambda found: len(found) + 1)
    )
    last_checked: Recent[tuple[str, str], Checked] = field(default_factory=lambda: Recent(MAX_CHECKED))
    #: What was fetched last and equals a snapshot (its id, and the digest of the gamebook): the next fetch begins there.
    taken: Recent[tuple[int, str], Any] = field(default_factory=lambda: Recent(MAX_TAKEN))
    #: New drafts of gamebooks by the snapshots that they come from: the latest one, and all defaults.
    drafted: Recent[tuple[int, ...], Any] = field(default_factory=lambda: Recent(MAX_DRAFTED))
    #: What a host showed last in place of the accepted certificate or key, by server.
    strange_identities: dict[str, str] = field(default_factory=dict)
    #: The last lines of the log of a game that starts, by run: what is looked at while it happens, and not kept.
    live_logs: Recent[int, str] = field(default_factory=lambda: Recent(MAX_TAKEN))
    held: Recent[int, Mapping[str, str]] = field(
        default_factory=lambda: Recent(MAX_HELD)
    )  #: digests by path, by snapshot
    #: What is in a kept bundle, by its number, the gamebook with what the host refuses, and the server's snapshot.
    inventories: Recent[tuple[int, str, int], Any] = field(default_factory=lambda: Recent(MAX_INVENTORIES))
    ahead: Ahead = field(default_factory=Ahead)
    worked_out: Recent[WorkKey, WorkedOut] = field(default_factory=lambda: Recent(MAX_WORKED_OUT))
    #: What a change does besides the places that someone may change.
    beyond: Recent[tuple[WorkKey, tuple[str, ...]], list[str]] = field(default_factory=lambda: Recent(MAX_WORKED_OUT))

    @cached_property
    def search_index(self) -> SearchIndex:
        """Where entries are found by a part of their name; it is made with the first search."""
        return SearchIndex(self.folder / "search.sqlite")

    def session(self) -> AbstractContextManager[Session]:
        return self.database.session()

    def writing(self) -> AbstractContextManager[Session]:
        """A session that holds the write lock from its beginning."""
        return self.database.writing()

    def connection_to(self, server: Server, *, folder: str = "") -> Connection:
        """Open the connection of a server, or one to another folder by the same way. Raises ConnectionFailed, Refused."""
        settings = server.connection
        if folder and isinstance(settings, FolderConnection | RemoteConnection):
            settings = settings.with_folder(folder)
        if isinstance(settings, FolderConnection):
            self.bounds.require_folder(Path(settings.folder), self.folder)
        secret = self.secret(server.connection_secret)
        try:
            opened = open_connection(settings, secret, self.limits, self._uploaded(server.id))
        except ConnectionFailed as error:
            if error.fault is ConnectionFault.IDENTITY:
                self.strange_identities[server.id] = error.identity
            raise
        self.strange_identities.pop(server.id, None)
        if folder or not isinstance(server.database, TablesDatabase):
            return opened
        return open_with_tables(opened, server.database, self.secret(server.database_secret), self.limits)

    def hand_connection(self, server_id: str) -> ManualConnection:
        """What a person showed last of a server whose files are carried manually."""
        return ManualConnection(self._uploaded(server_id))

    def _uploaded(self, server_id: str) -> Path:
        return self.folder / "manual" / server_id

    def secret(self, sealed: bytes | None) -> str:
        """A kept secret; empty where there is none."""
        return self.vault.unseal(sealed) if sealed else ""

    def read(
        self, load: Callable[[str], bytes], path: str, digest: str, gamebook: Gamebook | None, gamebook_digest: str
    ) -> Document:
        """Read a file, or take it from the last readings of the same bytes with the same gamebook."""

        def make() -> Document:
            data = load(digest)
            return gamebook.read(data, path) if gamebook else read_document(data, path)

        return self.documents.get_or_make((digest, path, gamebook_digest), make)
