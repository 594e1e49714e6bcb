"""ZIP archives for tests."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping


def zipped(files: Mapping[str, bytes]) -> bytes:
    """An archive of these files, by their path in it."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as packed:
        for path, data in files.items():
            packed.writestr(path, data)
    return buffer.getvalue()
