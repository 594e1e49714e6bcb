"""
What differs between two databases that are too large to be read whole: the rows that are not the same in both.

SQLite itself finds them; the files are opened for reading only, and what is in a log beside them is left out.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from contextlib import closing
from pathlib import Path
from typing import Final
from urllib.parse import quote

from zerrit.core.documents.database import HEADING
from zerrit.core.documents.database.rows import DatabaseSource, careful, rows_of
from zerrit.core.documents.database.schema import Table, quoted, tables_of
from zerrit.core.documents.source import MAX_BYTES
from zerrit.core.errors import ZerritError

MOST_DIFFERING: Final = 200_000  # rows of one side
_OLD: Final = "main"
_NEW: Final = "other"


class RowsNotCompared(ZerritError):
    """Two databases cannot be compared by rows."""

    kind = "rows-not-compared"


def rows_that_differ(old: Path, new: Path) -> tuple[DatabaseSource, DatabaseSource]:
    """The rows of each file that are not the same in the other one.

    Raises RowsNotCompared: a file is damaged, or too many rows differ.
    """
    try:
        with closing(_opened(new)) as alone:
            after = tables_of(alone)
        with closing(_opened(old)) as connection:
            before = tables_of(connection)
            connection.execute("ATTACH ? AS other", (_address(new),))
            careful(connection)
            return (
                _side(connection, _OLD, before, _NEW, after),
                _side(connection, _NEW, after, _OLD, before),
            )
    except (sqlite3.Error, UnicodeError) as error:
        raise RowsNotCompared(f"The rows cannot be compared: {error}.") from error


def _address(path: Path) -> str:
    return f"file:{quote(str(path.resolve()))}?mode=ro&immutable=1"


def _opened(path: Path) -> sqlite3.Connection:
    connection = sqlite3.connect(_address(path), uri=True, isolation_level=None)
    careful(connection)
    return connection


def _side(
    connection: sqlite3.Connection, own: str, tables: Mapping[str, Table], beside: str, others: Mapping[str, Table]
) -> DatabaseSource:
    parts = [HEADING]
    size = 0
    for table in tables.values():
        parts.append(f"# {table.title}")
        for row in rows_of(connection, table, own, _differs(table, others.get(table.name), own, beside)):
            parts.append(row)
            size += len(row)
            if len(parts) > MOST_DIFFERING or size > MAX_BYTES:
                raise RowsNotCompared(
                    f"More than {MOST_DIFFERING:,} rows differ; in {table.name} alone are {len(parts):,}. The two are hardly versions of "
                    "one database."
                )
    return DatabaseSource("\n".join([*parts, ""]), "sqlite", tables=tables)


def _differs(table: Table, other: Table | None, own: str, beside: str) -> str:
    """The condition for rows that are not the same in the other file; empty for all, where that has no such table."""
    if other is None or other.columns.keys() != table.columns.keys() or other.identity != table.identity:
        return ""
    found_by = [quoted(name) for name in table.identity] or ["rowid"]
    mine, theirs = f"{own}.{quoted(table.name)}", f"{beside}.{quoted(table.name)}"
    same = [f"b.{name} = {mine}.{name}" for name in found_by]
    same += [f"b.{quoted(name)} IS {mine}.{quoted(name)}" for name in table.columns]
    return f"NOT EXISTS (SELECT 1 FROM {theirs} AS b WHERE {' AND '.join(same)})"  # noqa: S608 (all names are quoted)
