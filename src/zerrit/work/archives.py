"""Unpacking a ZIP that somebody sent: bounded, and nowhere but in memory."""

from __future__ import annotations

import io
import zipfile
from pathlib import PurePosixPath
from typing import Final

from zerrit.core.documents import MAX_BYTES
from zerrit.core.errors import PathRefused
from zerrit.core.paths import safe_path
from zerrit.work.errors import Refused

MAX_ARCHIVE_FILES: Final = 20_000
MAX_ARCHIVE_BYTES: Final = 512 * 1024 * 1024  # unpacked; a bound for archives that grow without end


def unpack(archive: bytes) -> list[tuple[str, bytes]]:
    """The files of a ZIP by path.

    Raises Refused: it is no ZIP, holds a path that leaves it, or is too large.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(archive)) as packed:
            members = [info for info in packed.infolist() if not info.is_dir()]
            if len(members) > MAX_ARCHIVE_FILES or sum(info.file_size for info in members) > MAX_ARCHIVE_BYTES:
                raise Refused(
                    f"The archive holds more than {MAX_ARCHIVE_FILES:,} files or {MAX_ARCHIVE_BYTES:,} bytes."
                )
            files = []
            for info in members:
                path = safe_path(str(PurePosixPath(info.filename)))
                with packed.open(info) as member:
                    data = member.read(MAX_BYTES + 1)
                if len(data) > MAX_BYTES:
                    raise Refused(f"{path} in the archive is larger than {MAX_BYTES:,} bytes.")
                files.append((path, data))
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError) as error:
        raise Refused(
            "This is no ZIP that can be unpacked; it may be damaged, cut off or locked by a password."
        ) from error
    except PathRefused as error:
        raise Refused(f"The archive is refused: {error}") from error
    if not files:
        raise Refused("The archive holds no file.")
    return files
