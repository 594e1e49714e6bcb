"""A copy of the whole database while it is in use, and reading one without the service."""

from __future__ import annotations

import sqlite3
import zlib
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from pathlib import Path

from zerrit.core.paths import pack_of
from zerrit.records.contents import IN_FILE, LEVEL, unpacked
from zerrit.records.database import Database
from zerrit.records.errors import RecordsUnusable
from zerrit.records.large_contents import LargeContents


def back_up(database: Database, target: Path) -> int:
    """Copy the database to a file as it is at one moment, however much is written in the meantime. Returns its size in bytes.

    SQLite's own online backup does it. Large contents, which have files of their own, are packed into the copy, so that it is one
    file. Raises RecordsUnusable: the copy is not sound.
    """
    part = target.with_name(f"{target.name}.part")
    part.unlink(missing_ok=True)
    with closing(sqlite3.connect(part)) as copy:
        connection = database.engine.raw_connection()
        try:
            driver = connection.driver_connection
            assert isinstance(driver, sqlite3.Connection)  # noqa: S101 (the engine is SQLite's)
            driver.backup(copy)
        finally:
            connection.close()
        # A copy is one file; what the journal of the original holds is in it already.
        copy.execute("PRAGMA journal_mode=DELETE")
        _take_in(copy, LargeContents(Path(database.engine.url.database or "")))
        (word,) = copy.execute("PRAGMA quick_check").fetchone()
    if word != "ok":
        part.unlink(missing_ok=True)
        raise RecordsUnusable(f"The copy of the database is not sound ({word}). Is the disk well?")
    part.replace(target)
    return target.stat().st_size


def _take_in(copy: sqlite3.Connection, large: LargeContents) -> None:
    for (digest,) in copy.execute("SELECT digest FROM contents WHERE packed = ?", (IN_FILE,)).fetchall():
        data = large.load(digest)
        if data is not None:
            copy.execute("UPDATE contents SET packed = ? WHERE digest = ?", (zlib.compress(data, LEVEL), digest))
            copy.commit()


@dataclass(frozen=True, slots=True)
class KeptSnapshot:
    """A snapshot as a database file tells of it."""

    id: int
    server: str
    title: str
    label: str
    reason: str
    taken_at: str
    is_good: bool
    files: int


class Rescue:
    """Reading snapshots from a database file alone: with the service dead, of an older form, or damaged in parts.

    The file is opened for reading only and never changed.
    """

    def __init__(self, connection: sqlite3.Connection, large: LargeContents) -> None:
        self._connection = connection
        self._large = large

    def snapshots(self) -> list[KeptSnapshot]:
        columns = {row[1] for row in self._connection.execute("PRAGMA table_info(snapshots)")}
        good = "s.is_good" if "is_good" in columns else "0"
        rows = self._connection.execute(
            f"SELECT s.id, s.server_id, COALESCE(v.title, ''), COALESCE(s.label, ''), s.reason, s.taken_at, {good}, "  # noqa: S608 (one of two words of ours)
            "(SELECT COUNT(*) FROM snapshot_files f WHERE f.snapshot_id = s.id) "
            "FROM snapshots s LEFT JOIN servers v ON v.id = s.server_id ORDER BY s.server_id, s.id DESC"
        )
        return [
            KeptSnapshot(id_, server, title, label, reason, taken_at, bool(is_good), files)
            for id_, server, title, label, reason, taken_at, is_good, files in rows
        ]

    def files(self, snapshot_id: int) -> Iterator[tuple[str, bytes | None, bool]]:
        """Path, bytes and whether it is only watched; the bytes are None where they are watched, or damaged."""
        columns = {row[1] for row in self._connection.execute("PRAGMA table_info(snapshot_files)")}
        digest = "COALESCE(f.digest, f.content)" if "content" in columns else "f.digest"
        rows = self._connection.execute(
            f"SELECT f.path, {digest}, c.packed FROM snapshot_files f LEFT JOIN contents c ON c.digest = {digest} "  # noqa: S608 (one of two words of ours)
            "WHERE f.snapshot_id = ? ORDER BY f.path",
            (snapshot_id,),
        )
        for path, digest, packed in rows:
            if pack_of(path):  # it is in a packed file, which is there
                continue
            yield path, (unpacked(digest, packed, self._large) if packed is not None else None), digest is None


@contextmanager
def open_for_rescue(path: Path) -> Iterator[Rescue]:
    """Raises RecordsUnusable: it is not a database of Zerrit's, or too damaged to be read."""
    if not path.is_file():
        raise RecordsUnusable(
            f"There is no file {path}. The database is the file zerrit.db in the service's data folder."
        )
    try:
        with closing(_readable(path)) as connection:
            yield Rescue(connection, LargeContents(path))
    except sqlite3.DatabaseError as error:
        raise RecordsUnusable(f"{path} is not a database of Zerrit's, or it is damaged too much: {error}.") from error


def _readable(path: Path) -> sqlite3.Connection:
    """Opened with the journal that a service left beside it; where nothing may be made beside it, without."""
    for how in ("mode=ro", "immutable=1"):
        connection = sqlite3.connect(f"{path.resolve().as_uri()}?{how}", uri=True)
        try:
            connection.execute("SELECT COUNT(*) FROM snapshots").fetchone()
            return connection
        except sqlite3.OperationalError as error:
            connection.close()
            if how == "immutable=1" or "unable to open" not in str(error):
                raise
        except sqlite3.DatabaseError:
            connection.close()
            raise
    raise AssertionError("unreachable")  # pragma: no cover
