"""One connection to a host, and nothing more: what FTP and SFTP have to do before `RemoteConnection` makes a connection of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol


@dataclass(frozen=True, slots=True)
class Entry:
    """One name in a folder. `kind` is file, folder or symlink; `stamp` as in `RemoteFile`, whether it is sure or not;
    `identity` as there. `mode` are the permission bits, where the host tells them.
    """

    name: str
    kind: str
    size: int = 0
    modified: int = 0
    stamp: str = ""
    identity: str = ""
    mode: int | None = None


class Wire(Protocol):
    """Every method raises ConnectionFailed. Paths are relative to the server's folder; the empty one is that folder."""

    def folder(self, path: str) -> list[Entry]:
        """What is in a folder. Reading ends with a fault after `MAX_FILES` names, or after `MAX_LISTING` bytes."""
        ...

    def read(self, path: str, most: int, start: int = 0) -> bytes:
        """The bytes of a file from `start` on; more than `most` are refused."""
        ...

    def store(self, path: str, data: bytes, *, is_read_back: bool = False) -> None:
        """Write to a path as it is, and see that as many bytes lie there as were sent; not where it is read back later."""
        ...

    def rename(self, old: str, new: str) -> None:
        """Rename; a host may refuse it (DENIED) when `new` is there."""
        ...

    def set_mode(self, path: str, mode: int) -> bool:
        """Give a file these permission bits. Returns whether the host did it."""
        ...

    def remove(self, path: str) -> None: ...

    def make_folder(self, path: str) -> None:
        """Make one folder; one that is there is no fault."""
        ...

    def remove_folder(self, path: str) -> None:
        """Remove one folder that is empty."""
        ...

    def close(self) -> None: ...


class Names:
    """File names as text and as the bytes that a host uses for them.

    Most hosts speak UTF-8. Names that are none are read as the connection's old encoding, and each keeps the bytes under
    which the host listed it, so that what was listed can be reached.
    """

    def __init__(self, old_encoding: str) -> None:
        self._old = old_encoding
        self._bytes: dict[str, bytes] = {}

    def text(self, folder: str, raw: bytes) -> str:
        """The name of an entry of a folder."""
        try:
            return raw.decode("utf-8")
        except UnicodeDecodeError:
            name = raw.decode(self._old, "replace")
            self._bytes[f"{folder}/{name}" if folder else name] = raw
            return name

    def raw(self, path: str) -> bytes:
        """The bytes of a whole path."""
        parts = path.split("/") if path else []
        found = []
        for end in range(1, len(parts) + 1):
            found.append(self._bytes.get("/".join(parts[:end]), parts[end - 1].encode()))
        return b"/".join(found)
