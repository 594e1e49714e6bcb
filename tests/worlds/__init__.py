"""Small made-up games in shapes that the demo does not have; see README.md here."""

from __future__ import annotations

from pathlib import Path

ROOT = Path(__file__).parent
NAMES = tuple(sorted(path.name for path in ROOT.iterdir() if (path / "1").is_dir()))


def world(name: str, version: int = 1) -> dict[str, bytes]:
    """The files of a version of a world, by path."""
    folder = ROOT / name / str(version)
    return {
        path.relative_to(folder).as_posix(): path.read_bytes() for path in sorted(folder.rglob("*")) if path.is_file()
    }
