"""Files that hold secrets: readable by their owner only, whatever was there before."""

from __future__ import annotations

import contextlib
import os
import secrets
from pathlib import Path


def write_private(path: Path, data: bytes) -> None:
    """Put a file there that only its owner can read. What was there before, with whatever rights, is replaced whole.

    Raises OSError.
    """
    part = path.with_name(f".{path.name}.{secrets.token_hex(4)}")
    try:
        with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        part.replace(path)
    finally:
        with contextlib.suppress(FileNotFoundError):
            part.unlink()
