"""
Large contents: files in a folder beside the database, named by their SHA-256, since SQLite takes long for a row of 200 MB.

Their rows in the content store have nothing packed. A file is written before its row, so each row has its file; what has no
row, since the service was killed between the two, goes at the next pruning.
"""

from __future__ import annotations

import hashlib
import os
import secrets
from collections.abc import Collection, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Final

LARGE_FROM: Final = 32 * 1024 * 1024  #: bytes of a content
FOLDER: Final = "large"
_PART: Final = ".part-"
_PIECE: Final = 8 * 1024 * 1024


class LargeContents:
    """The large contents that belong to the database at `database`."""

    def __init__(self, database: Path) -> None:
        self._folder = database.parent / FOLDER

    def store(self, data: bytes) -> str:
        """Keep a content, unless it is kept, and return its digest. It is hashed while it is written."""
        self._folder.mkdir(exist_ok=True)
        part = self._folder / f"{_PART}{secrets.token_hex(8)}"
        try:
            with ThreadPoolExecutor(1) as hashing, part.open("wb") as file:
                digest = hashing.submit(lambda: hashlib.sha256(data).hexdigest())
                view = memoryview(data)
                for start in range(0, len(view), _PIECE):
                    file.write(view[start : start + _PIECE])
                file.flush()
                os.fsync(file.fileno())
            found = digest.result()
            part.replace(self._path(found))
        finally:
            part.unlink(missing_ok=True)
        return found

    def path_of(self, digest: str) -> Path | None:
        """The file of a content; None where there is none."""
        path = self._path(digest)
        return path if path.is_file() else None

    def load(self, digest: str) -> bytes | None:
        """The bytes of a content; None where its file is gone, or is not what it was."""
        path = self.path_of(digest)
        if path is None:
            return None
        data = path.read_bytes()
        return data if hashlib.sha256(data).hexdigest() == digest else None

    def keep_only(self, digests: Collection[str]) -> None:
        """Remove all other contents, and what interrupted writes left behind."""
        for path in self._files():
            if path.name not in digests:
                path.unlink(missing_ok=True)

    def _files(self) -> Iterator[Path]:
        if self._folder.is_dir():
            yield from list(self._folder.iterdir())

    def _path(self, digest: str) -> Path:
        return self._folder / digest
