"""
A server whose files a person carries: the host offers a web page only, or nothing at all.

What the person showed last is in a folder of Zerrit's own. It is read like any other; nothing can be written to it
but what the person shows again. A file that is shown again as it was keeps its time, so that nothing that is old looks
new; when it was shown last is in a file beside the folder.
"""

from __future__ import annotations

import json
import time
from collections.abc import Iterable, Mapping
from pathlib import Path

from zerrit.connections.connection import ConnectionFailed, ConnectionFault, RemoteFile
from zerrit.connections.folder import FolderConnection


class ManualConnection(FolderConnection):
    is_manual = True

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        super().__init__(folder)
        self._record = folder.with_name(f"{folder.name}.shown.json")

    def files(self, below: str = "") -> list[RemoteFile]:
        """What was shown. A copy does not tell whether a file was put in the place of another one on the server."""
        found = [file._replace(identity="", is_executable=None) for file in super().files(below)]
        self.empty_folders = frozenset()
        return found

    def write(self, path: str, data: bytes, *, is_executable: bool | None = None) -> None:
        raise _needs_a_person(path)

    def remove(self, path: str) -> None:
        raise _needs_a_person(path)

    def set_executable(self, path: str, *, wanted: bool) -> bool:
        """A copy of a file says nothing of that; the person does it on the server."""
        return False

    def move(self, path: str, target: str) -> None:
        raise _needs_a_person(target)

    def make_folder(self, path: str) -> None:
        """What was shown has no empty folders: a copy of files is made without them."""

    def remove_folder(self, path: str) -> bool:
        """What was shown has no empty folders: a copy of files is made without them."""
        return False

    def upload(self, files: Mapping[str, bytes], gone: Iterable[str] = ()) -> None:
        """A person shows files as they are on the server now, and says which are gone."""
        lying = {file.path: file for file in self.files()}
        shown = self.shown_at()
        for path, data in files.items():
            if not self._holds(lying.get(path), data):
                super().write(path, data)
            shown[path] = time.time()
        for path in gone:
            super().remove(path)
            shown.pop(path, None)
        fresh = self._record.with_suffix(".new")
        fresh.write_text(json.dumps(shown), encoding="utf-8")
        fresh.replace(self._record)

    def shown_at(self) -> dict[str, float]:
        """When each file was shown last, in seconds since 1970; without those of which that is not known."""
        try:
            return dict(json.loads(self._record.read_text(encoding="utf-8")))
        except (FileNotFoundError, ValueError, TypeError):
            return {}

    def _holds(self, lying: RemoteFile | None, data: bytes) -> bool:
        return lying is not None and lying.size == len(data) and self.read(lying.path) == data


def _needs_a_person(path: str) -> ConnectionFailed:
    return ConnectionFailed(
        ConnectionFault.DENIED, f"{path}: this server's files are carried manually; put it there yourself."
    )
