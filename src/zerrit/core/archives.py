"""
ZIPs from outside: unpacked in memory, within bounds, and nowhere else.

A ZIP is hostile until it is read: its directory can name paths outside of any folder, the same path twice, or the same
bytes many times over, and it can say one size and hold another. It is taken as a whole or refused as a whole.
"""

from __future__ import annotations

import io
import zipfile
import zlib
from pathlib import PurePosixPath
from typing import Final

from zerrit.core.documents.source import MAX_BYTES
from zerrit.core.errors import ArchiveRefused, PathRefused
from zerrit.core.paths import safe_path

MOST_MEMBERS: Final = 20_000
MOST_UNPACKED: Final = 512 << 20  # bytes
_LOCAL_HEADER: Final = 30  # bytes of the header before each member, without its name


class ArchiveBroken(ValueError):
    """The bytes are no ZIP that can be read."""


def sums_in(archive: bytes) -> dict[str, int]:
    """The CRC-32 of each file in a ZIP, by its path there.

    Raises ArchiveBroken, with the reason.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(archive)) as packed:
            return {info.filename: info.CRC for info in packed.infolist()[:MOST_MEMBERS] if not info.is_dir()}
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError) as error:
        raise ArchiveBroken(str(error)) from error


def unpack(archive: bytes, below: str = "") -> dict[str, bytes]:
    """The files of a ZIP by path. Paths below the folder `below` (with `/` at its end) are checked without it as well.

    Raises ArchiveRefused: it is not a ZIP, is damaged or locked, holds a path that leaves it or that occurs twice, members
    that overlap, or more than the bounds.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(archive)) as packed:
            members = [info for info in packed.infolist() if not info.is_dir()]
            _require_bounded(members)
            files: dict[str, bytes] = {}
            folded: dict[str, str] = {}
            for info in members:
                path = _path(info.filename, below)
                twin = folded.setdefault(path.casefold(), path)
                if path in files or twin != path:
                    raise ArchiveRefused(f"The archive holds `{path}` twice. Pack it again; nothing of it was used.")
                files[path] = _content(packed, info, path)
    except (zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError, EOFError, OSError, ValueError) as error:
        raise ArchiveRefused(
            "This is not a ZIP that can be unpacked; it may be damaged, cut off or locked by a password."
        ) from error
    except PathRefused as error:
        raise ArchiveRefused(f"The archive is refused: {error}") from error
    if not files:
        raise ArchiveRefused("The archive holds no file.")
    return files


def _require_bounded(members: list[zipfile.ZipInfo]) -> None:
    if len(members) > MOST_MEMBERS:
        raise ArchiveRefused(f"The archive holds {len(members):,} files; at most {MOST_MEMBERS:,} are unpacked.")
    if sum(info.file_size for info in members) > MOST_UNPACKED:
        raise ArchiveRefused(
            f"The archive holds more than {MOST_UNPACKED >> 20} MB, which is the most that is unpacked."
        )
    end = 0
    for info in sorted(members, key=lambda one: one.header_offset):
        if info.header_offset < end:
            raise ArchiveRefused("Members of the archive overlap, as in archives made to do harm. It is refused.")
        end = info.header_offset + _LOCAL_HEADER + info.compress_size


def _path(name: str, below: str) -> str:
    path = safe_path(str(PurePosixPath(name)))
    if below and path.startswith(below):
        safe_path(path.removeprefix(below))
    try:
        path.encode()
    except UnicodeEncodeError as error:
        raise PathRefused(f"`{path[:120]!r}` is not a file name in UTF-8; such a path is refused.") from error
    return path


def _content(packed: zipfile.ZipFile, info: zipfile.ZipInfo, path: str) -> bytes:
    with packed.open(info) as member:
        data = member.read(MAX_BYTES + 1)
    if len(data) > MAX_BYTES:
        raise ArchiveRefused(
            f"{path} in the archive is larger than {MAX_BYTES >> 20} MB, the most that a file can have."
        )
    return data
