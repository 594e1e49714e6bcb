"""The files of a game as they lie on the host."""

from __future__ import annotations

from pathlib import Path


def files_of(folder: Path) -> dict[str, bytes]:
    """All files of a game but its logs and crash files, by path."""
    found = {p.relative_to(folder).as_posix(): p.read_bytes() for p in folder.rglob("*") if p.is_file()}
    return {path: data for path, data in found.items() if not path.startswith(("logs/", "crashes/"))}
