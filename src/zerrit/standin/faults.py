"""What the stand-in host does wrong when it is told to, as real hosts do by themselves."""

from __future__ import annotations

import threading
import time
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field


class Faults(BaseModel):
    """The faults of one game's host. Bytes and seconds; None, zero or false means: works as it should."""

    model_config = ConfigDict(extra="forbid")

    drop_after: int | None = Field(None, ge=0, description="a transfer is cut off after so many bytes")
    stall_after: int | None = Field(
        None, ge=0, description="a transfer stops after so many bytes, the connection stays"
    )
    slow: float = Field(0, ge=0, description="seconds that each transfer waits first")
    full_after: int | None = Field(None, ge=0, description="the disk takes so many bytes more")
    refuse: Literal["", "connections", "sign-in", "writes"] = ""
    times: int | None = Field(None, ge=1, description="so many drops, stalls or refusals, then all is well again")
    wrong_bytes: int = Field(0, ge=0, description="N files are stored with one byte changed, without an error")
    size_off: int = Field(0, description="listings tell sizes that are off by so much")
    no_facts: bool = Field(False, description="FTP without MLSD: listings are made for people")
    no_replace: bool = Field(False, description="a rename over a file that is there is refused")
    rename_lies: int = Field(0, ge=0, description="so many renames are done, and answered with a failure")
    connections: int | None = Field(None, ge=1, description="so many connections at once")
    any_case: bool = Field(False, description="names are found in any letter case")
    clock_off: int = Field(0, description="the host's clock is ahead by so many seconds")
    stop_hangs: bool = Field(False, description="the game does not stop when it is told to")
    start_refused: bool = Field(False, description="the control refuses to start the game")
    control_down: bool = Field(False, description="the control answers with errors")
    dies_after: float | None = Field(None, ge=0, description="the game goes down so many seconds after it was ready")
    silent: bool = Field(False, description="the game never says that it is ready")
    noise: int = Field(0, ge=0, description="so many lines of noise in the log at each start")


class Misbehaviour:
    """The faults in force for one game, and the counting that belongs to them. Safe between threads."""

    def __init__(self) -> None:
        self.faults = Faults()
        self._lock = threading.Lock()
        self._left: int | None = None
        self._room: int | None = None
        self._connections = 0

    def set(self, faults: Faults) -> None:
        with self._lock:
            self.faults = faults
            self._left = faults.times
            self._room = faults.full_after

    def strikes(self) -> bool:
        """Whether a counted fault strikes once more."""
        with self._lock:
            if self._left is None:
                return True
            self._left -= 1
            return self._left >= 0

    def refuses(self, what: str) -> bool:
        return self.faults.refuse == what and self.strikes()

    def cut(self, sent: int, size: int) -> int | None:
        """How many of `size` further bytes still pass; None when all of them do."""
        limit = self.faults.drop_after if self.faults.drop_after is not None else self.faults.stall_after
        if limit is None or sent + size <= limit or not self.strikes():
            return None
        return max(0, limit - sent)

    @property
    def stalls(self) -> bool:
        return self.faults.drop_after is None and self.faults.stall_after is not None

    def takes(self, size: int) -> bool:
        """Whether the disk has room for so many bytes more."""
        with self._lock:
            if self._room is None:
                return True
            self._room -= size
            return self._room >= 0

    def fails_rename(self) -> bool:
        with self._lock:
            if self.faults.rename_lies <= 0:
                return False
            self.faults = self.faults.model_copy(update={"rename_lies": self.faults.rename_lies - 1})
            return True

    def spoil(self, path: Path) -> None:
        """Change a byte of a file that was just put in its place, where that is a fault in force; its size stays."""
        with self._lock:
            left = self.faults.wrong_bytes
            data = path.read_bytes() if left > 0 else b""
            if not data:
                return
            self.faults = self.faults.model_copy(update={"wrong_bytes": left - 1})
            path.write_bytes(data[:-1] + bytes([data[-1] ^ 1]))

    def enter(self) -> bool:
        """Let a connection in, if there is room for it."""
        with self._lock:
            if self.faults.connections is not None and self._connections >= self.faults.connections:
                return False
            self._connections += 1
            return True

    def leave(self) -> None:
        with self._lock:
            self._connections -= 1

    def wait(self) -> None:
        if self.faults.slow:
            time.sleep(self.faults.slow)


def in_any_case(root: Path, path: Path) -> Path:
    """The path as it is written on disk, whatever its letter case; the path itself where nothing is like it."""
    if path == root or path.exists() or root not in path.parents:
        return path
    parent = in_any_case(root, path.parent)
    if parent.is_dir():
        for entry in parent.iterdir():
            if entry.name.casefold() == path.name.casefold():
                return entry
    return parent / path.name
