"""
The index by which entries and settings are found by a part of their name or value: SQLite's FTS5 with trigrams.

It is a file of its own beside the records, since all of it can be made again from the contents that are stored;
a backup leaves it out. Each content is indexed once for each gamebook that it is read by.
"""

from __future__ import annotations

import contextlib
import sqlite3
import threading
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Final

SHORTEST: Final = 3  # letters of a word that trigrams can find
_SCHEMA: Final = """
CREATE TABLE IF NOT EXISTS contents (id INTEGER PRIMARY KEY, key TEXT NOT NULL UNIQUE);
CREATE VIRTUAL TABLE IF NOT EXISTS entries USING fts5(
    label, detail, address UNINDEXED, line UNINDEXED, content UNINDEXED, tokenize='trigram');
"""


@dataclass(frozen=True, slots=True)
class IndexedEntry:
    """An entry or setting of a file: its name, all its values, where it is."""

    label: str
    detail: str
    address: str
    line: int


@dataclass(frozen=True, slots=True)
class IndexHit:
    key: str  #: of the content
    entry: IndexedEntry


class SearchIndex:
    """One file; any thread may ask."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._lock = threading.Lock()
        self._connection = self._opened()

    def _opened(self) -> sqlite3.Connection:
        try:
            return self._connected()
        except sqlite3.DatabaseError:  # damaged; all of it can be made again
            self._path.unlink(missing_ok=True)
            return self._connected()

    def _connected(self) -> sqlite3.Connection:
        self._path.touch(0o600)
        connection = sqlite3.connect(self._path, timeout=30, check_same_thread=False)
        connection.executescript(_SCHEMA)
        connection.execute("PRAGMA synchronous=OFF")
        return connection

    def close(self) -> None:
        with self._lock:
            self._connection.close()

    def missing(self, keys: Collection[str]) -> list[str]:
        """Those of the contents that are not indexed yet."""
        known = self._ids(keys)
        return [key for key in keys if key not in known]

    def _ids(self, keys: Collection[str]) -> dict[str, int]:
        with self._lock:
            rows = self._connection.execute("SELECT key, id FROM contents").fetchall()
        wanted = set(keys)
        return {key: number for key, number in rows if key in wanted}

    def add(self, key: str, entries: Iterable[IndexedEntry]) -> None:
        """Index a content; one that is indexed already is left alone."""
        with self._lock, self._connection:
            made = self._connection.execute("INSERT OR IGNORE INTO contents (key) VALUES (?)", (key,))
            if not made.rowcount:
                return
            number = made.lastrowid
            self._connection.executemany(
                "INSERT INTO entries (label, detail, address, line, content) VALUES (?, ?, ?, ?, ?)",
                ((one.label, one.detail, one.address, one.line, number) for one in entries),
            )

    def forget_all_but(self, keys: Collection[str]) -> None:
        """Drop what no file has any more."""
        with self._lock, self._connection:
            known = dict(self._connection.execute("SELECT key, id FROM contents"))
            wanted = set(keys)
            gone = ",".join(str(number) for key, number in known.items() if key not in wanted)
            if gone:  # numbers of this database; one statement, since each goes through all entries
                self._connection.execute(f"DELETE FROM entries WHERE content IN ({gone})")  # noqa: S608
                self._connection.execute(f"DELETE FROM contents WHERE id IN ({gone})")  # noqa: S608

    def find(self, keys: Collection[str], words: Sequence[str], most: int) -> list[IndexHit]:
        """Entries of these contents that have all the words; those that have them in their name come first."""
        if any("\0" in word for word in words):
            return []  # no text has it, and the search of SQLite would end there and fail
        ids = self._ids(keys)
        names = {number: key for key, number in ids.items()}
        found: dict[tuple[int, str], IndexHit] = {}
        for columns in ("label", "label detail"):
            for label, detail, address, line, content in self._rows(columns, words, list(names), most):
                hit = IndexHit(names[content], IndexedEntry(label, detail, address, line))
                found.setdefault((content, address), hit)
            if len(found) >= most:
                break
        return list(found.values())[:most]

    def _rows(
        self, columns: str, words: Sequence[str], ids: Sequence[int], most: int
    ) -> list[tuple[str, str, str, int, int]]:
        if not ids or not words:
            return []
        long = [word for word in words if len(word) >= SHORTEST]
        terms: list[str] = []
        given: list[object] = []
        if long:
            quoted = " AND ".join('"' + word.replace('"', '""') + '"' for word in long)
            terms.append("entries MATCH ?")
            given.append(f"{{{columns}}} : ({quoted})")
        for word in words:
            if len(word) < SHORTEST:
                text = "label" if columns == "label" else "label || ' ' || detail"
                terms.append(f"{text} LIKE ? ESCAPE '\\'")
                given.append(f"%{_escaped(word)}%")
        # A number is not text from outside, so the list of contents can stand in the statement however long it is.
        terms.append(f"content IN ({','.join(map(str, ids))})")
        statement = f"SELECT label, detail, address, line, content FROM entries WHERE {' AND '.join(terms)} LIMIT ?"  # noqa: S608  # terms of this module
        with self._lock, contextlib.closing(self._connection.execute(statement, (*given, most))) as cursor:
            return cursor.fetchall()


def _escaped(word: str) -> str:
    return word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
