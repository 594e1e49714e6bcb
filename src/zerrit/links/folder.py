"""A server whose files lie in a folder of this machine."""

from __future__ import annotations

import contextlib
import errno
import os
import time
from collections.abc import Iterable, Iterator
from operator import itemgetter
from pathlib import Path
from types import TracebackType
from typing import Final, Self

from zerrit.core.collector import no_collector
from zerrit.core.documents import MAX_BYTES
from zerrit.core.errors import PathRefused
from zerrit.core.paths import safe_path
from zerrit.links.link import (
    MAX_FILES,
    PART_PREFIX,
    LinkError,
    LinkFault,
    RemoteFile,
    missing,
    part_name,
    too_large,
    too_many,
    unsteady,
)

#: A file that was written less than this ago may be written again without its time showing it.
SETTLED: Final = 2_000_000_000  # nanoseconds
STEADY_TRIES: Final = 4
_BY_PATH: Final = itemgetter(0)


class FolderLink:
    """Files below `folder`. Symbolic links are neither followed nor written through."""

    by_hand = False

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self.left_out: dict[str, str] = {}
        if not folder.is_dir():
            raise LinkError(LinkFault.UNREACHABLE, f"The folder {folder} is not there. Check the path of the link.")

    def files(self, below: str = "") -> list[RemoteFile]:
        start = self._place(below) if below else self._folder
        if below and not start.is_dir():
            return []
        self.left_out = {}
        with self._explained("the list of files"), no_collector():
            walked = self._walked(str(start), f"{below}/" if below else "")
            found = self._telling(walked)
        if len(found) > MAX_FILES:
            raise too_many(self._folder)
        found.sort(key=_BY_PATH)
        return found

    def _telling(self, walked: list[RemoteFile]) -> list[RemoteFile]:
        """Without part files and names that no path can hold; they are looked at one by one only where all together are
        suspicious.
        """
        together = "/".join([file[0] for file in walked])
        if together.isprintable() and not any(sign in together for sign in ("\\", ":", PART_PREFIX)):
            return walked
        self.left_out |= {ascii(file.path): "no safe file name" for file in walked if not _is_safe(file.path)}
        return [file for file in walked if _is_safe(file.path) and not _is_part(file.path)]

    def _walked(self, folder: str, prefix: str) -> list[RemoteFile]:
        """All files below a folder. Thousands are walked at each fetch, so it is one flat loop."""
        surely_before = time.time_ns() - SETTLED
        found: list[RemoteFile] = []
        made = tuple.__new__  # what RemoteFile itself comes to, without the call in between
        pending = [(folder, prefix)]
        while pending:
            here, before = pending.pop()
            with os.scandir(here) as entries:
                for entry in entries:
                    path = before + entry.name
                    if entry.is_file(follow_symlinks=False):
                        about = entry.stat(follow_symlinks=False)
                        # The time of its last change of any kind cannot be set, and shows a file put in another's place;
                        # some file systems have no such time, so that of the last writing counts too.
                        written, changed = about.st_mtime_ns, about.st_ctime_ns
                        is_settled = written < surely_before and changed < surely_before
                        stamp = f"{written} {changed}" if is_settled else ""
                        found.append(
                            made(RemoteFile, (path, about.st_size, written // 1_000_000_000, stamp, str(about.st_ino)))
                        )
                    elif entry.is_dir(follow_symlinks=False):
                        pending.append((entry.path, f"{path}/"))
                    else:
                        self.left_out[path] = "a symbolic link, or no file; links are not followed"
        return found

    def read(self, path: str, start: int = 0) -> bytes:
        with self._explained(path):
            place = self._place(path)
            if place.stat().st_size - start > MAX_BYTES:
                raise too_large(path, MAX_BYTES)
            with place.open("rb") as file:
                file.seek(start)
                return file.read()

    def read_many(self, files: Iterable[RemoteFile]) -> Iterator[tuple[RemoteFile, bytes | LinkError]]:
        for file in files:
            try:
                yield file, self._read_steadily(file.path)
            except LinkError as error:
                if error.fault is not LinkFault.DENIED:
                    raise
                yield file, error

    def _read_steadily(self, path: str) -> bytes:
        """The bytes of a file that nothing wrote to while they were read."""
        place = self._place(path)
        for _ in range(STEADY_TRIES):
            with self._explained(path):
                before = place.stat()
                data = self.read(path)
                after = place.stat()
            if (before.st_size, before.st_mtime_ns) == (after.st_size, after.st_mtime_ns) and len(
                data
            ) == after.st_size:
                return data
            time.sleep(0.05)
        raise unsteady(path)

    def write(self, path: str, data: bytes) -> None:
        target = self._place(path)
        part = self._place(part_name(path))
        with self._explained(path):
            target.parent.mkdir(parents=True, exist_ok=True)
            try:
                with part.open("wb") as file:
                    file.write(data)
                    file.flush()
                    os.fsync(file.fileno())
                part.replace(target)
            finally:
                part.unlink(missing_ok=True)

    def remove(self, path: str) -> None:
        with self._explained(path):
            self._place(path).unlink(missing_ok=True)

    def sweep(self) -> int:
        parts = [self._place(file.path) for file in self._walked(str(self._folder), "") if _is_part(file.path)]
        for part in parts:
            part.unlink(missing_ok=True)
        return len(parts)

    def close(self) -> None:
        """A folder has nothing to close."""

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def _place(self, path: str) -> Path:
        place = self._folder.joinpath(*safe_path(path).split("/"))
        # A link inside the folder could lead out of it; what is reached must still lie below.
        if not place.parent.resolve().is_relative_to(self._folder.resolve()) or place.is_symlink():
            raise PathRefused(f"{path} leads out of the server's folder through a link; it is refused.")
        return place

    @contextlib.contextmanager
    def _explained(self, path: str) -> Iterator[None]:
        try:
            yield
        except FileNotFoundError as error:
            raise missing(path) from error
        except PermissionError as error:
            raise LinkError(LinkFault.DENIED, f"{path}: this machine does not let Zerrit touch the file.") from error
        except OSError as error:
            if error.errno in (errno.ENOSPC, errno.EDQUOT):
                raise LinkError(
                    LinkFault.FULL, f"{path}: the disk under {self._folder} is full. Make room there, then try again."
                ) from error
            raise LinkError(LinkFault.BROKEN, f"{path}: {error.strerror}. Nothing was changed.") from error


def _is_part(path: str) -> bool:
    """A file that is being written, or was when something ended."""
    return PART_PREFIX in path and path.rpartition("/")[2].startswith(PART_PREFIX)


def _is_safe(path: str) -> bool:
    try:
        path.encode()
        safe_path(path)
    except (PathRefused, UnicodeEncodeError):
        return False
    return True
