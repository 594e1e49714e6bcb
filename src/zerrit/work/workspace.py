"""What all use cases work with: the database, the vault, the clock, the way to links and controls, the events."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Final, Generic, TypeVar

from cachetools import LRUCache
from sqlalchemy.orm import Session

from zerrit.control import Control, HttpHook
from zerrit.core.checks import Checked, Files
from zerrit.core.documents import Document, Finding, read_document
from zerrit.core.gamebooks import Gamebook
from zerrit.core.steps import Replay
from zerrit.links import FolderLink, FtpLink, Link
from zerrit.records import Database, Server, Vault
from zerrit.work.errors import Refused

Publish = Callable[[str, Mapping[str, Any]], None]
MAX_DOCUMENTS: Final = 1200  # kept read; a large server has some hundred files, and two states of them are looked at
MAX_CHECKED: Final = 16  # snapshots whose checks are kept
MAX_WORKED_OUT: Final = 16  # changes kept worked out
WorkKey = tuple[int, int, int, str]  #: change, its version, its base, digest of the gamebook
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


def _utc_now() -> datetime:
    return datetime.now(UTC)


@dataclass
class Workspace:
    """`publish(kind, facts)` tells whoever listens; `settle` is the time in seconds that a started game must stay up."""

    database: Database
    vault: Vault
    publish: Publish
    now: Callable[[], datetime] = _utc_now
    settle: float = 2.0
    patience: float = 60.0  #: seconds to wait for a game to stop, start or say that it is ready
    documents: Recent[tuple[str, str, str], Document] = field(default_factory=lambda: Recent(MAX_DOCUMENTS))
    checked: Recent[tuple[int, str], Checked] = field(default_factory=lambda: Recent(MAX_CHECKED))
    last_checked: Recent[tuple[str, str], Checked] = field(default_factory=lambda: Recent(MAX_CHECKED))
    worked_out: Recent[WorkKey, WorkedOut] = field(default_factory=lambda: Recent(MAX_WORKED_OUT))

    def session(self) -> AbstractContextManager[Session]:
        return self.database.session()

    def link_to(self, server: Server) -> Link:
        """Open the link of a server; raises LinkError."""
        settings, secret = server.link, self._secret(server.link_secret)
        if settings["kind"] == "folder":
            return FolderLink(Path(settings["folder"]))
        if settings["kind"] == "ftp":
            return FtpLink(settings["host"], settings["port"], settings["user"], secret, settings["folder"])
        raise Refused(f"The link kind `{settings['kind']}` is not known.")

    def control_of(self, server: Server) -> Control:
        return HttpHook(server.control["url"], self._secret(server.control_secret))

    def _secret(self, sealed: bytes | None) -> str:
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
