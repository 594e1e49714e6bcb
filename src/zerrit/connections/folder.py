"""A server whose files lie in a folder of this machine."""

from __future__ import annotations

import contextlib
import errno
import os
import stat
import time
from collections.abc import Iterable, Iterator, Sequence
from operator import itemgetter
from pathlib import Path
from types import TracebackType
from typing import BinaryIO, Final, Self

from zerrit.connections.connection import (
    MAX_DEPTH,
    MAX_FILES,
    PART_PREFIX,
    ConnectionFailed,
    ConnectionFault,
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
    too_large,
    too_many,
    unsteady,
)
from zerrit.core.documents import MAX_BYTES
from zerrit.core.errors import PathRefused
from zerrit.core.garbage_collection import no_collector
from zerrit.core.paths import safe_path

#: A file that was written less than this ago may be written again without its time showing it.
SETTLED: Final = 2_000_000_000  # nanoseconds
STEADY_TRIES: Final = 4
_BY_PATH: Final = itemgetter(0)
_FOLDER: Final = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC


class FolderConnection:
    """Files below `folder`. symbolic links are neither followed nor written through.

    Every folder on the way is opened by its name in the one above it, and only where it is a folder: a symbolic link that
    another program puts in its place leads nowhere.
    """

    is_manual = False

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self.left_out: dict[str, str] = {}
        self.empty_folders: frozenset[str] = frozenset()
        if not folder.is_dir():
            raise ConnectionFailed(
                ConnectionFault.UNREACHABLE, f"The folder {folder} is not there. Check the path of the connection."
            )

    def files(self, below: str = "") -> list[RemoteFile]:
        self.left_out = {}
        with self._explained("the list of files"), no_collector():
            try:
                found = self._telling(self._walked(f"{safe_path(below)}/" if below else ""))
            except FileNotFoundError:
                if not below:
                    raise
                return []
        found.sort(key=_BY_PATH)
        return found

    def _telling(self, walked: list[RemoteFile]) -> list[RemoteFile]:
        """Without part files and names that no path can hold; they are looked at one by one only where all together are
        suspicious.
        """
        together = "/".join([file[0] for file in walked])
        if together.isprintable() and not any(sign in together for sign in ("\\", ":", PART_PREFIX)):
            return walked
        self.left_out |= {ascii(file.path): "no safe file name" for file in walked if not is_safe(file.path)}
        return [file for file in walked if is_safe(file.path) and not _is_part(file.path)]

    def _walked(self, prefix: str) -> list[RemoteFile]:
        """All files below a folder. Thousands are walked at each fetch, so it is one flat loop."""
        surely_before = time.time_ns() - SETTLED
        found: list[RemoteFile] = []
        made = tuple.__new__  # what RemoteFile itself comes to, without the call in between
        pending = [prefix]
        empty: list[str] = []
        seen = 0
        while pending:
            before = pending.pop()
            seen_before = seen
            try:
                opened = self._opened(before.split("/")[:-1])
            except (NotADirectoryError, FileNotFoundError, PathRefused):
                if before == prefix:
                    raise
                self.left_out[before[:-1]] = "it was a folder a moment ago and is none now"
                continue
            try:
                with os.scandir(opened) as entries:
                    for entry in entries:
                        seen += 1
                        if seen > MAX_FILES:
                            raise too_many(self._folder)
                        path = before + entry.name
                        if entry.is_file(follow_symlinks=False):
                            about = entry.stat(follow_symlinks=False)
                            # The time of its last change of any kind cannot be set, and shows a file put in another's
                            # place; some file systems have no such time, so that of the last writing counts too.
                            written, changed = about.st_mtime_ns, about.st_ctime_ns
                            is_settled = written < surely_before and changed < surely_before
                            stamp = f"{written} {changed}" if is_settled else ""
                            is_executable = bool(about.st_mode & stat.S_IXUSR)
                            facts = (
                                path,
                                about.st_size,
                                written // 1_000_000_000,
                                stamp,
                                str(about.st_ino),
                                is_executable,
                            )
                            found.append(made(RemoteFile, facts))
                        elif entry.is_dir(follow_symlinks=False):
                            if path.count("/") >= MAX_DEPTH:
                                raise too_deep(path)
                            pending.append(f"{path}/")
                        else:
                            self.left_out[path] = "a symbolic link, or no file; they are not followed"
            finally:
                os.close(opened)
            if seen == seen_before and before != prefix:
                empty.append(before[:-1])
        self.empty_folders = frozenset(filter(is_safe, empty))
        return found

    def listing(self, folder: str = "") -> list[Listed]:
        found: list[Listed] = []
        with self._explained(folder or "the folder"):
            opened = self._opened(safe_path(folder).split("/") if folder else [])
            try:
                with os.scandir(opened) as entries:
                    for entry in entries:
                        if len(found) >= MAX_FILES:
                            raise too_many(self._folder)
                        if not is_safe(entry.name) or _is_part(entry.name):
                            continue
                        if entry.is_dir(follow_symlinks=False):
                            found.append(Listed(entry.name, True, 0))
                        elif entry.is_file(follow_symlinks=False):
                            found.append(Listed(entry.name, False, entry.stat(follow_symlinks=False).st_size))
            finally:
                os.close(opened)
        return sorted(found, key=in_listing)

    def read(self, path: str, start: int = 0) -> bytes:
        with self._explained(path), self._file(path) as file:
            return self._read_from(file, path, start)

    @staticmethod
    def _read_from(file: BinaryIO, path: str, start: int = 0, *, most: int | None = None) -> bytes:
        most = MAX_BYTES if most is None else most
        size = os.fstat(file.fileno()).st_size - start
        if size > most:
            raise too_large(path, most)
        file.seek(start)
        data = file.read(size + 1)  # not all that it may have, since room is made for as much as is asked for
        data += file.read(most + 1 - len(data)) if len(data) > size else b""
        if len(data) > most:  # it grew while it was read, or tells no size
            raise too_large(path, most)
        return data

    def read_many(self, files: Iterable[RemoteFile]) -> Iterator[tuple[RemoteFile, bytes | ConnectionFailed]]:
        for file in files:
            try:
                yield file, self._read_steadily(file.path, most_of(file))
            except ConnectionFailed as error:
                if error.fault is not ConnectionFault.DENIED:
                    raise
                yield file, error

    def _read_steadily(self, path: str, most: int) -> bytes:
        """The bytes of a file that nothing wrote to while they were read."""
        for _ in range(STEADY_TRIES):
            with self._explained(path), self._file(path) as file:
                before = os.fstat(file.fileno())
                data = self._read_from(file, path, most=most)
                after = os.fstat(file.fileno())
            if (before.st_size, before.st_mtime_ns) == (after.st_size, after.st_mtime_ns) and len(
                data
            ) == after.st_size:
                return data
            time.sleep(0.05)
        raise unsteady(path)

    def write(self, path: str, data: bytes, *, is_executable: bool | None = None) -> None:
        *folders, name = safe_path(path).split("/")
        part = part_name(name)
        with self._explained(path):
            here = self._opened(folders, may_make=True)
            try:
                old = _about(here, name)
                if old is not None and not stat.S_ISREG(old.st_mode):
                    raise self._leads_out(path)
                with contextlib.suppress(FileNotFoundError):  # of an interrupted write
                    os.unlink(part, dir_fd=here)
                try:
                    flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
                    with os.fdopen(os.open(part, flags, 0o666, dir_fd=here), "wb") as file:
                        if old is not None:
                            _make_alike(file.fileno(), old)
                        if is_executable is not None:
                            _make_executable(file.fileno(), wanted=is_executable)
                        file.write(data)
                        file.flush()
                        os.fsync(file.fileno())
                    os.replace(part, name, src_dir_fd=here, dst_dir_fd=here)
                finally:
                    with contextlib.suppress(FileNotFoundError):
                        os.unlink(part, dir_fd=here)
            finally:
                os.close(here)

    def write_many(self, files: Iterable[NewFile]) -> Iterator[tuple[str, int | ConnectionFailed]]:
        for path, data, is_executable, *_ in files:
            try:
                self.write(path, data, is_executable=is_executable)
            except ConnectionFailed as error:
                if error.fault is not ConnectionFault.DENIED:
                    raise
                yield path, error
            else:
                yield path, len(data)

    def refusal(self, path: str, data: bytes) -> str:
        return ""

    def remove(self, path: str) -> None:
        *folders, name = safe_path(path).split("/")
        with self._explained(path), contextlib.suppress(FileNotFoundError):
            here = self._opened(folders)
            try:
                about = _about(here, name)
                if about is not None and stat.S_ISLNK(about.st_mode):
                    raise self._leads_out(path)
                os.unlink(name, dir_fd=here)
            finally:
                os.close(here)

    def remove_many(self, paths: Iterable[str]) -> Iterator[str]:
        for path in paths:
            self.remove(path)
            yield path

    def set_executable(self, path: str, *, wanted: bool) -> bool:
        with self._explained(path), self._file(path) as file:
            mode = stat.S_IMODE(os.fstat(file.fileno()).st_mode)
            try:
                os.fchmod(file.fileno(), as_executable(mode, wanted=wanted))
            except PermissionError:
                return False
        return True

    def move(self, path: str, target: str) -> None:
        *folders, name = safe_path(path).split("/")
        *new_folders, new_name = safe_path(target).split("/")
        with self._explained(path):
            there = self._opened(new_folders, may_make=True)
            try:
                is_there = _about(there, new_name) is not None
                try:
                    here = self._opened(folders)
                except FileNotFoundError:
                    if is_there:
                        return  # it was moved before
                    raise
                try:
                    about = _about(here, name)
                    if about is None and is_there:
                        return
                    if about is None:
                        raise missing(path)
                    if not stat.S_ISREG(about.st_mode):
                        raise self._leads_out(path)
                    if is_there:
                        raise in_the_way(target)
                    os.rename(name, new_name, src_dir_fd=here, dst_dir_fd=there)
                finally:
                    os.close(here)
            finally:
                os.close(there)

    def make_folder(self, path: str) -> None:
        with self._explained(path):
            os.close(self._opened(safe_path(path).split("/"), may_make=True))

    def remove_folder(self, path: str) -> bool:
        *folders, name = safe_path(path).split("/")
        with self._explained(path):
            try:
                here = self._opened(folders)
            except FileNotFoundError:
                return True
            try:
                os.rmdir(name, dir_fd=here)
            except FileNotFoundError:
                return True
            except OSError as error:
                if error.errno in (errno.ENOTEMPTY, errno.EEXIST, errno.ENOTDIR):
                    return False
                raise
            finally:
                os.close(here)
        return True

    def sweep(self) -> int:
        with self._explained("the list of files"):
            parts = [file.path for file in self._walked("") if _is_part(file.path)]
        for part in parts:
            self.remove(part)
        return len(parts)

    def close(self) -> None:
        """A folder has nothing to close."""

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    # --- by handle ----------------------------------------------------------------------------------------------------

    def _opened(self, folders: Sequence[str], *, may_make: bool = False) -> int:
        """The handle of a folder below; whoever asks for it closes it."""
        here = os.open(self._folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        try:
            for depth, name in enumerate(folders, 1):
                try:
                    deeper = os.open(name, _FOLDER, dir_fd=here)
                except FileNotFoundError:
                    if not may_make:
                        raise
                    with contextlib.suppress(FileExistsError):
                        os.mkdir(name, dir_fd=here)
                    deeper = os.open(name, _FOLDER, dir_fd=here)
                except OSError as error:
                    # This call fails on a symbolic link as on a file, and systems differ in which of the two they say.
                    about = _about(here, name)
                    if about is not None and stat.S_ISLNK(about.st_mode):
                        raise self._leads_out("/".join(folders[:depth])) from error
                    raise
                os.close(here)
                here = deeper
        except BaseException:
            os.close(here)
            raise
        return here

    @contextlib.contextmanager
    def _file(self, path: str) -> Iterator[BinaryIO]:
        """A file opened for reading."""
        *folders, name = safe_path(path).split("/")
        here = self._opened(folders)
        try:
            # Not to wait: a pipe in the place of a file would hold the reading up for ever.
            opened = os.open(name, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC, dir_fd=here)
        except OSError as error:
            if error.errno == errno.ELOOP:
                raise self._leads_out(path) from error
            raise
        finally:
            os.close(here)
        with os.fdopen(opened, "rb") as file:
            if not stat.S_ISREG(os.fstat(opened).st_mode):
                raise self._leads_out(path)
            yield file

    @staticmethod
    def _leads_out(path: str) -> PathRefused:
        return PathRefused(f"{path} is a symbolic link, or neither a file nor a folder; it is refused.")

    @contextlib.contextmanager
    def _explained(self, path: str) -> Iterator[None]:
        try:
            yield
        except FileNotFoundError as error:
            raise missing(path) from error
        except PermissionError as error:
            raise ConnectionFailed(
                ConnectionFault.DENIED, f"{path}: this machine does not let Zerrit touch the file."
            ) from error
        except OSError as error:
            if error.errno in (errno.ENOSPC, errno.EDQUOT):
                raise ConnectionFailed(
                    ConnectionFault.FULL,
                    f"{path}: the disk under {self._folder} is full. Make room there, then try again.",
                ) from error
            raise ConnectionFailed(
                ConnectionFault.BROKEN, f"{path}: {error.strerror}. Look at the file on this machine, then try again."
            ) from error


def _about(folder: int, name: str) -> os.stat_result | None:
    try:
        return os.stat(name, dir_fd=folder, follow_symlinks=False)
    except FileNotFoundError:
        return None


def _make_alike(opened: int, old: os.stat_result) -> None:
    """Give a new file the owner and the rights of the one that it replaces, as far as this user may."""
    with contextlib.suppress(PermissionError):
        os.fchown(opened, old.st_uid, old.st_gid)
    with contextlib.suppress(PermissionError):
        os.fchmod(opened, stat.S_IMODE(old.st_mode))


def _make_executable(opened: int, *, wanted: bool) -> None:
    with contextlib.suppress(PermissionError):
        os.fchmod(opened, as_executable(stat.S_IMODE(os.fstat(opened).st_mode), wanted=wanted))


def _is_part(path: str) -> bool:
    """A file that is being written, or was when something ended."""
    return PART_PREFIX in path and path.rpartition("/")[2].startswith(PART_PREFIX)
