"""What every connection can do, and how it fails."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from enum import StrEnum
from pathlib import PurePosixPath
from types import TracebackType
from typing import Final, NamedTuple, Protocol, Self

from zerrit.core.documents import MAX_BYTES
from zerrit.core.errors import PathRefused
from zerrit.core.paths import safe_path

#: A file being written has such a name until it is complete; listings leave these out.
PART_PREFIX: Final = ".zerrit-part-"
MAX_KEPT: Final = 512 * 1024 * 1024  #: bytes of a file that a gamebook wants kept, large as it is
MAX_FILES: Final = 100_000
MAX_LISTING: Final = 32 * 1024 * 1024  #: bytes of the listing of one folder
MAX_DEPTH: Final = 60  #: folders in folders; a host that answers with the same folder again has no end


class ConnectionFault(StrEnum):
    UNREACHABLE = "connection-unreachable"
    SIGN_IN = "connection-sign-in"
    IDENTITY = "connection-identity"  #: the host shows a certificate or key that no one has accepted
    BUSY = "connection-busy"  #: the host lets no further connection in
    MISSING = "connection-file-missing"
    DENIED = "connection-denied"
    FULL = "connection-full"
    ENDLESS = "connection-endless"  #: more files, folders in folders or lines than any game has
    UNSTEADY = "connection-unsteady"  #: a file is different at each reading
    BROKEN = "connection-broken"  #: the connection dropped or stalled, or the other side answered nonsense


#: Faults that may be gone at the next try.
PASSING: Final = frozenset({ConnectionFault.UNREACHABLE, ConnectionFault.BUSY, ConnectionFault.BROKEN})


class ConnectionFailed(Exception):
    """A connection failed. The message says what, where and what to do; `fault` says which kind.

    `identity` is what the host showed, where that is the fault.
    """

    def __init__(self, fault: ConnectionFault, message: str, *, identity: str = "") -> None:
        super().__init__(message)
        self.fault = fault
        self.identity = identity


@dataclass(frozen=True, slots=True)
class Limits:
    """How patient a connection is.

    `timeout` seconds without a byte count as a dropped connection; what may pass is tried `tries` times, with a pause
    of `pause` seconds that doubles each time.
    """

    timeout: float = 20.0
    tries: int = 4
    pause: float = 0.5


class RemoteFile(NamedTuple):
    """One file of a listing. `modified` is seconds since 1970 by the server's clock.

    `stamp` stands for the file's state: as long as it is the same, so are the bytes. It is empty where that is not
    sure, since the file was written so lately that another writing would not show. `identity` tells a file from another
    one that was put in its place, such as an inode; it is empty where the server does not tell. `is_executable`: it may be
    run as a program; None where the server does not tell.
    """

    path: str
    size: int
    modified: int
    stamp: str = ""
    identity: str = ""
    is_executable: bool | None = None


class NewFile(NamedTuple):
    """A file to be written. `is_executable` says whether it may be run as a program; None leaves that as it is there.

    `is_new`: nothing is at the path and nothing reads it yet, and it is read back after all are written. It may then be written
    in place, which takes a host half as long. `replaced` is the SHA-256 of what is at the path now, empty where that is not
    known: rows of a database are written only where they are still those.
    """

    path: str
    data: bytes
    is_executable: bool | None = None
    is_new: bool = False
    replaced: str = ""


class Listed(NamedTuple):
    """One name in a folder: a file, or a folder with size 0."""

    name: str
    is_folder: bool
    size: int


class Connection(Protocol):
    """An open way to the files of one server. All paths are relative, with `/`."""

    @property
    def left_out(self) -> Mapping[str, str]:
        """What of the last listing is left out, with the reason: symbolic links, names that no path can hold."""
        ...

    @property
    def empty_folders(self) -> frozenset[str]:
        """The folders of the last listing in which nothing is, not even what is left out."""
        ...

    @property
    def is_manual(self) -> bool:
        """A person carries the files; nothing can be written here."""
        ...

    def files(self, below: str = "") -> list[RemoteFile]:
        """Every file below the server's folder, or below a folder of it, by path; none where that folder is not there."""
        ...

    def listing(self, folder: str = "") -> list[Listed]:
        """What is directly in one folder, folders first, by name; names that no path can hold are left out.

        Raises ConnectionFailed MISSING: there is no such folder. DENIED and others.
        """
        ...

    def read(self, path: str, start: int = 0) -> bytes:
        """The bytes of a file, or those from a place on."""
        ...

    def read_many(self, files: Iterable[RemoteFile]) -> Iterator[tuple[RemoteFile, bytes | ConnectionFailed]]:
        """Read files of the listing, as many at once as the server likes; they come in any order.

        Of a file that the listing says is large, up to `MAX_KEPT` bytes are read.

        A file that may not be read comes with the reason instead of its bytes.

        Raises ConnectionFailed UNSTEADY: a file changes while it is read. BROKEN and others.
        """
        ...

    def write(self, path: str, data: bytes, *, is_executable: bool | None = None) -> None:
        """Write beside the target under another name, then rename; a failure leaves the target as it was.

        The new file has the permissions of the one in whose place it comes, but for what `is_executable` says. Where a host
        does not let them be set, an executable file is written in place, since it would not be one any more.
        """
        ...

    def write_many(self, files: Iterable[NewFile]) -> Iterator[tuple[str, int | ConnectionFailed]]:
        """Write files as `write` does, as many at once as the server likes; they come in any order.

        `files` is read as the writing goes on, so that only a few contents are in memory. Each path comes with the number
        of its bytes, or with the reason where the server refuses that file.

        Raises ConnectionFailed: FULL, BROKEN and others.
        """
        ...

    def refusal(self, path: str, data: bytes) -> str:
        """What the other side says against a content, tried without keeping it; empty where it takes it, and for files, which
        are not tried."""
        ...

    def remove(self, path: str) -> None:
        """Remove a file; one that is not there is no fault."""
        ...

    def remove_many(self, paths: Iterable[str]) -> Iterator[str]:
        """Remove files as `remove` does, as many at once as the server likes; they come in any order."""
        ...

    def set_executable(self, path: str, *, wanted: bool) -> bool:
        """Make a file one that may be run as a program, or not. Returns whether the host did it."""
        ...

    def move(self, path: str, target: str) -> None:
        """Give a file another path; the folders on the way to it are made. One that is there already is left, and is a fault,
        unless the file is there and no longer where it was.

        Raises ConnectionFailed MISSING: there is no such file. DENIED and others.
        """
        ...

    def make_folder(self, path: str) -> None:
        """Make a folder, and those that it is in; one that is there is no fault."""
        ...

    def remove_folder(self, path: str) -> bool:
        """Remove a folder that is empty. Returns whether it is gone; one that holds something stays."""
        ...

    def sweep(self) -> int:
        """Remove what interrupted writes left behind; returns how many files."""
        ...

    def close(self) -> None: ...

    def __enter__(self) -> Self: ...

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None: ...


def most_of(file: RemoteFile) -> int:
    """How many bytes of a listed file are read: as many as it has, and of a small one as many as any text may have."""
    return max(MAX_BYTES, min(file.size, MAX_KEPT))


def as_executable(mode: int, *, wanted: bool) -> int:
    """Permission bits with the right to run the file for all who may read it, or for no one."""
    return mode | (mode & 0o444) >> 2 if wanted else mode & ~0o111


def part_name(path: str) -> str:
    """The name under which a file is written before it is renamed to `path`."""
    pure = PurePosixPath(path)
    return str(pure.with_name(f"{PART_PREFIX}{pure.name}"))


def is_safe(path: str) -> bool:
    """A path that no file system takes for something else."""
    try:
        path.encode()
        safe_path(path)
    except (PathRefused, UnicodeEncodeError):
        return False
    return True


def in_listing(one: Listed) -> tuple[bool, str]:
    """The order of a listing: folders first, each by name."""
    return not one.is_folder, one.name.casefold()


def in_the_way(path: str) -> ConnectionFailed:
    """The failure for a file in the place of one that is moved."""
    return ConnectionFailed(ConnectionFault.DENIED, f"{path} is there already, so nothing is moved to that place.")


def missing(path: str) -> ConnectionFailed:
    """The failure for a file that is not on the server."""
    return ConnectionFailed(ConnectionFault.MISSING, f"{path} is not on the server.")


def too_many(where: object) -> ConnectionFailed:
    """The failure for a listing without an end."""
    return ConnectionFailed(
        ConnectionFault.ENDLESS,
        f"More than {MAX_FILES:,} files and folders lie on {where}; point the connection at the game's own folder.",
    )


def too_deep(path: str) -> ConnectionFailed:
    """The failure for folders in folders without an end."""
    return ConnectionFailed(
        ConnectionFault.ENDLESS,
        f"{path[:200]}: more than {MAX_DEPTH} folders lie in each other there; point the connection at the game's own folder.",
    )


def too_large(path: str, most: int) -> ConnectionFailed:
    """The failure for a file that is larger than Zerrit reads."""
    return ConnectionFailed(
        ConnectionFault.DENIED, f"{path} is larger than {most:,} bytes; let the gamebook watch it, not track it."
    )


def unsteady(path: str) -> ConnectionFailed:
    """The failure for a file that is different at each reading."""
    return ConnectionFailed(
        ConnectionFault.UNSTEADY,
        f"{path} changes while it is read; something writes to it. Try again when the game is quiet.",
    )
