"""What every link can do, and how it fails."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from pathlib import PurePosixPath
from types import TracebackType
from typing import Final, Protocol, Self

#: A file being written bears such a name until it is complete; listings leave these out.
PART_PREFIX: Final = ".zerrit-part-"
MAX_FILES: Final = 100_000


class LinkFault(StrEnum):
    UNREACHABLE = "link-unreachable"
    SIGN_IN = "link-sign-in"
    MISSING = "link-file-missing"
    DENIED = "link-denied"
    BROKEN = "link-broken"  #: the connection dropped, or the other side answered nonsense


class LinkError(Exception):
    """A link failed. The message says what, where and what to do; `fault` says which kind."""

    def __init__(self, fault: LinkFault, message: str) -> None:
        super().__init__(message)
        self.fault = fault


@dataclass(frozen=True, slots=True)
class RemoteFile:
    """One file of a listing. `modified` is seconds since 1970 by the server's clock."""

    path: str
    size: int
    modified: int


class Link(Protocol):
    """An open connection to the files of one server. All paths are relative, with `/`."""

    def list(self) -> list[RemoteFile]:
        """Every file below the server's folder, by path."""
        ...

    def read(self, path: str) -> bytes: ...

    def write(self, path: str, data: bytes) -> None:
        """Write beside the target under another name, then rename; a failure leaves the target as it was."""
        ...

    def remove(self, path: str) -> None:
        """Remove a file; one that is not there is no fault."""
        ...

    def sweep(self) -> int:
        """Remove what interrupted writes left behind; returns how many files."""
        ...

    def close(self) -> None: ...

    def __enter__(self) -> Self: ...

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None: ...


def part_name(path: str) -> str:
    """The name under which a file is written before it is renamed to `path`."""
    pure = PurePosixPath(path)
    return str(pure.with_name(f"{PART_PREFIX}{pure.name}"))
