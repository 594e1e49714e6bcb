"""What is in a ZIP, as far as its directory says; nothing is unpacked."""

from __future__ import annotations

import io
import zipfile
from typing import Final

MOST_MEMBERS: Final = 20_000  #: that are looked at; a hostile archive can name millions


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
