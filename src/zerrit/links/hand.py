"""
A server whose files a person carries: the host offers a web page only, or nothing at all.

What the person showed last lies in a folder of Zerrit's own. It is read like any other; nothing can be written to it
but what the person shows again.
"""

from __future__ import annotations

from pathlib import Path

from zerrit.links.folder import FolderLink
from zerrit.links.link import LinkError, LinkFault


class HandLink(FolderLink):
    by_hand = True

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        super().__init__(folder)

    def write(self, path: str, data: bytes) -> None:
        raise _needs_a_person(path)

    def remove(self, path: str) -> None:
        raise _needs_a_person(path)

    def take_in(self, path: str, data: bytes) -> None:
        """A person shows a file as it is on the server now."""
        super().write(path, data)

    def let_go(self, path: str) -> None:
        """A person says that a file is gone from the server."""
        super().remove(path)


def _needs_a_person(path: str) -> LinkError:
    return LinkError(LinkFault.DENIED, f"{path}: this server's files are carried by hand; put it there yourself.")
