"""What all use cases work with: the database, the vault, the clock, the way to connections and controls, the events."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Iterator, Mapping
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Final, Generic, TypeVar

from cachetools import LRUCache
from readerwriterlock.rwlock import RWLockFair
from sqlalchemy.orm import Session

from zerrit.connections import Connection, Limits, ManualConnection, open_connection
from zerrit.core.checks import Checked, Files
from zerrit.core.documents import Document, Finding, read_document
from zerrit.core.gamebooks import Gamebook
from zerrit.core.steps import Replay
from zerrit.records import Database, DataFolder, Server, Vault
from zerrit.settings import FolderConnection, RemoteConnection
from zerrit.work.base.errors import Refused, WrongState
from zerrit.work.base.sign_in_delays import SignIns

Publish = Callable[[str, Mapping[str, Any]], None]
MAX_DOCUMENTS: Final = 1200  # kept read; a large server has some hundred files, and two states of them are looked at
PRUNE_PATIENCE: Final = 5.0  # seconds
MAX_CHECKED: Final = 16  # snapshots whose checks are kept
MAX_TAKEN: Final = 32  # of which each server has one that counts
MAX_WORKED_OUT: Final = 16  # changes kept worked out
WorkKey = tuple[int, str, int, str]  #: change, digest of its steps, its base, digest of the gamebook
K = TypeVar("K")
V = TypeVar("V")


class Recent(Generic[K, V]):
    """The last values that were worked out, at most so many. Safe between threads."""

    def __init__(self, most: int) -> None:
        self._values: LRUCache[K, V] = LRUCache(most)
        self._lock = threading.Lock()

    def get(self, key: K) -> V | None:
        with self._lock:
            return self._values.get(key)

    def keep(self, key: K, value: V) -> V:
        with self._lock:
            self._values[key] = value
        return value


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


class Turns:
    """One at a time for each key; what waits for another key is not held up."""

    def __init__(self) -> None:
        self._locks: dict[int, tuple[threading.Lock, int]] = {}
        self._change = threading.Lock()

    @contextmanager
    def of(self, key: int) -> Iterator[None]:
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
    last_checked: Recent[tuple[str, str], Checked] = field(default_factory=lambda: Recent(MAX_CHECKED))
    #: What was fetched last and equals a snapshot (its id, and the digest of the gamebook): the next fetch begins there.
    taken: Recent[tuple[int, str], Any] = field(default_factory=lambda: Recent(MAX_TAKEN))
    worked_out: Recent[WorkKey, WorkedOut] = field(default_factory=lambda: Recent(MAX_WORKED_OUT))

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
        return open_connection(settings, secret, self.limits, self._uploaded(server.id))

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
        key = (digest, path, gamebook_digest)
        kept = self.documents.get(key)
        if kept is not None:
            return kept
        data = load(digest)
        return self.documents.keep(key, gamebook.read(data, path) if gamebook else read_document(data, path))
