"""The folder with Zerrit's own data: who uses it, and what is done when its disk is full."""

from __future__ import annotations

import errno
import fcntl
import os
import shutil
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from sqlalchemy.exc import OperationalError

from zerrit.records.errors import RecordsUnusable

RESERVE: Final = 16 << 20  # bytes kept back, so that a run can be brought to its end on a full disk
ROOM_FOR_RESERVE: Final = 8 * RESERVE  # bytes that must be free for the reserve


@dataclass
class DataFolder:
    """Held by one service at a time. Use `close` at the end."""

    path: Path
    _lock: int

    def close(self) -> None:
        os.close(self._lock)

    def free(self) -> int:
        """Bytes that are free on its disk."""
        return shutil.disk_usage(self.path).free

    def lay_down_reserve(self) -> None:
        """Take up some room, to be given free when the disk is full."""
        reserve = self._reserve
        try:
            if not reserve.exists() and self.free() >= ROOM_FOR_RESERVE:
                with reserve.open("wb") as file:
                    os.posix_fallocate(file.fileno(), 0, RESERVE)
        except OSError:
            reserve.unlink(missing_ok=True)  # there will be none; the checks before a run still count the free room

    def give_up_reserve(self) -> bool:
        """Give the room free. False where there was none."""
        try:
            self._reserve.unlink()
        except FileNotFoundError:
            return False
        return True

    @property
    def _reserve(self) -> Path:
        return self.path / "zerrit.reserve"


def hold_data_folder(path: Path) -> DataFolder:
    """Take a data folder for this process alone.

    Raises RecordsUnusable: another service works on it. OSError.
    """
    path.mkdir(parents=True, exist_ok=True, mode=0o700)
    descriptor = os.open(path / "zerrit.lock", os.O_RDWR | os.O_CREAT, 0o600)
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        os.close(descriptor)
        if error.errno not in (errno.EWOULDBLOCK, errno.EACCES):
            raise
        raise RecordsUnusable(
            f"Another Zerrit service works on {path}. Stop it first, or give this one another folder with --data."
        ) from error
    return DataFolder(path, descriptor)


def is_full(error: BaseException) -> bool:
    """The disk under the data folder has no room."""
    if isinstance(error, OperationalError):
        return "full" in str(error.orig).lower()
    return isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT)
