"""What a database says of its tables: their columns, and what tells a row from the others."""

from __future__ import annotations

import re
import sqlite3
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from zerrit.core.documents.database import ROW

MOST_TABLES: Final = 2_000
_VIRTUAL: Final = re.compile(r"\s*CREATE\s+VIRTUAL\s+TABLE", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Column:
    """A column; `type` as it is declared, in capitals. `refers` is the table and column in which its values must be."""

    name: str
    type: str
    may_be_null: bool
    default: str | None
    refers: tuple[str, str] | None = None

    @property
    def is_number(self) -> bool:
        """It holds numbers by its type (SQLite, "Determination Of Column Affinity")."""
        is_text = any(part in self.type for part in ("CHAR", "CLOB", "TEXT"))
        is_blob = "BLOB" in self.type or not self.type
        return "INT" in self.type or not (is_text or is_blob)

    @property
    def is_whole(self) -> bool:
        return "INT" in self.type

    @property
    def is_text(self) -> bool:
        return not self.is_whole and any(part in self.type for part in ("CHAR", "CLOB", "TEXT"))

    @property
    def is_yes_or_no(self) -> bool:
        """It holds `true` and `false` as values of their own; SQLite has numbers for them."""
        return False


@dataclass(frozen=True, slots=True)
class Table:
    """A table. `key` is the column that names its rows, or `@row`; `identity` are the columns by which a row is found.

    `identity` is empty where that is the number that SQLite gives each row. `unique` are groups of columns that no two rows
    may share.
    """

    name: str
    columns: Mapping[str, Column]
    key: str
    identity: tuple[str, ...]
    unique: tuple[tuple[str, ...], ...] = ()

    @property
    def title(self) -> str:
        """The table in one line: its columns with their types."""
        parts = (f"{column.name} {column.type}".strip() for column in self.columns.values())
        return f"{self.name}: {', '.join(parts)}"


def tables_of(connection: sqlite3.Connection) -> dict[str, Table]:
    """The tables whose rows are shown, by name: all but those of SQLite itself and of its modules."""
    rows = connection.execute(
        "SELECT name, sql FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\' ORDER BY rowid"
    ).fetchmany(MOST_TABLES)
    modules = [name for name, sql in rows if _VIRTUAL.match(sql or "")]
    return {
        name: _table(connection, name, sql or "")
        for name, sql in rows
        if name not in modules and not any(name.startswith(f"{module}_") for module in modules)
    }


def quoted(name: str) -> str:
    """A name as SQL has it."""
    return '"' + name.replace('"', '""') + '"'


def _table(connection: sqlite3.Connection, name: str, statement: str) -> Table:
    refers = _references(connection, name)
    columns: dict[str, Column] = {}
    primary: list[tuple[int, str]] = []
    for _, column, kind, is_not_null, default, place, hidden in connection.execute(
        f"PRAGMA table_xinfo({quoted(name)})"
    ):
        if hidden:  # worked out by the database
            continue
        may_be_null = not is_not_null and not place
        columns[column] = Column(column, (kind or "").upper(), may_be_null, default, refers.get(column))
        if place:
            primary.append((place, column))
    identity = tuple(column for _, column in sorted(primary))
    has_rowid = not re.search(r"\bWITHOUT\s+ROWID\b", statement, re.IGNORECASE)
    unique = _unique_groups(connection, name, columns)
    sure = (group[0] for group in unique if len(group) == 1 and not columns[group[0]].may_be_null)
    key = identity[0] if len(identity) == 1 else next(sure, ROW)
    return Table(name, columns, key, () if has_rowid else identity, unique)


def _unique_groups(
    connection: sqlite3.Connection, name: str, columns: Mapping[str, Column]
) -> tuple[tuple[str, ...], ...]:
    found: list[tuple[str, ...]] = []
    for _, index, is_unique, _, is_partial in connection.execute(f"PRAGMA index_list({quoted(name)})").fetchall():
        parts = tuple(row[2] for row in connection.execute(f"PRAGMA index_info({quoted(index)})"))
        if is_unique and not is_partial and columns.keys() >= set(parts):  # one of an expression has no name
            found.append(parts)
    return tuple(found)


def _references(connection: sqlite3.Connection, name: str) -> dict[str, tuple[str, str]]:
    """The columns that refer to one of another table, for themselves and not together with others."""
    rows = connection.execute(f"PRAGMA foreign_key_list({quoted(name)})").fetchall()
    parts = Counter(row[0] for row in rows)
    found: dict[str, tuple[str, str]] = {}
    for number, _, table, own, other, *_ in rows:
        if parts[number] == 1:
            found[own] = (table, other or _primary(connection, table))
    return found


def _primary(connection: sqlite3.Connection, name: str) -> str:
    """The column that is the primary key of a table."""
    rows = connection.execute(f"PRAGMA table_info({quoted(name)})").fetchall()
    return next((str(row[1]) for row in rows if row[5]), "")
