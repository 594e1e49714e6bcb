"""Small made-up games in shapes that the demo does not have; see README.md here."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

ROOT = Path(__file__).parent
NAMES = tuple(sorted(path.name for path in ROOT.iterdir() if (path / "1").is_dir()))


def world(name: str, version: int = 1) -> dict[str, bytes]:
    """The files of a version of a world, by path."""
    folder = ROOT / name / str(version)
    files: dict[str, bytes] = {}
    for path in sorted(folder.rglob("*")):
        if path.name.endswith(".db.sql"):
            files[path.relative_to(folder).as_posix().removesuffix(".sql")] = _database(path.read_text())
        elif path.is_file():
            files[path.relative_to(folder).as_posix()] = path.read_bytes()
    return files


def _database(statements: str) -> bytes:
    """A SQLite database, which a world has as the statements that make it."""
    with closing(sqlite3.connect(":memory:")) as connection:
        connection.executescript(statements)
        return connection.serialize()
