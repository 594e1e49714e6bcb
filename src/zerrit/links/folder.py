"""A server whose files lie in a folder of this machine."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from pathlib import Path
from types import TracebackType
from typing import Self

from zerrit.core.errors import PathRefused
from zerrit.core.paths import safe_path
from zerrit.links.link import MAX_FILES, PART_PREFIX, LinkError, LinkFault, RemoteFile, part_name


class FolderLink:
    """Files below `folder`. Symbolic links are neither followed nor written through."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        if not folder.is_dir():
            raise LinkError(LinkFault.UNREACHABLE, f"The folder {folder} is not there. Check the path of the link.")

    def list(self) -> list[RemoteFile]:
        found = []
        for entry, path in self._entries(self._folder, ""):
            if not entry.name.startswith(PART_PREFIX):
                stat = entry.stat(follow_symlinks=False)
                found.append(RemoteFile(path, stat.st_size, int(stat.st_mtime)))
            if len(found) > MAX_FILES:
                raise LinkError(LinkFault.BROKEN, f"More than {MAX_FILES:,} files lie below {self._folder}.")
        return sorted(found, key=lambda file: file.path)

    def _entries(self, folder: Path, prefix: str) -> Iterator[tuple[os.DirEntry[str], str]]:
        with os.scandir(folder) as entries:
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    yield from self._entries(Path(entry.path), f"{prefix}{entry.name}/")
                elif entry.is_file(follow_symlinks=False):
                    yield entry, prefix + entry.name

    def read(self, path: str) -> bytes:
        with self._explained(path):
            return self._place(path).read_bytes()

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
        parts = [Path(entry.path) for entry, _ in self._entries(self._folder, "") if entry.name.startswith(PART_PREFIX)]
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
            raise LinkError(LinkFault.MISSING, f"{path} is not on the server.") from error
        except PermissionError as error:
            raise LinkError(LinkFault.DENIED, f"{path}: this machine does not let Zerrit touch the file.") from error
        except OSError as error:
            raise LinkError(LinkFault.BROKEN, f"{path}: {error.strerror}. Nothing was changed.") from error
