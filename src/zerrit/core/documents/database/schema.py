"""What a database says of its tables: their columns, and what tells a row from the others."""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from zerrit.core.documents.database import ROW

MOST_TABLES: Final = 2_000
_VIRTUAL: Final = re.compile(r"\s*CREATE\s+VIRTUAL\s+TABLE", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Column:
    """A column; `type` as it is declared, in capitals."""

    name: str
    type: str
    may_be_null: bool
    default: str | None

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

    `identity` is empty where that is the number that SQLite gives each row.
    """

    name: str
    columns: Mapping[str, Column]
    key: str
    identity: tuple[str, ...]

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
    columns: dict[str, Column] = {}
    primary: list[tuple[int, str]] = []
    for _, column, kind, is_not_null, default, place, hidden in connection.execute(
        f"PRAGMA table_xinfo({quoted(name)})"
    ):
        if hidden:  # worked out by the database
            continue
        columns[column] = Column(column, (kind or "").upper(), not is_not_null and not place, default)
        if place:
            primary.append((place, column))
    identity = tuple(column for _, column in sorted(primary))
    has_rowid = not re.search(r"\bWITHOUT\s+ROWID\b", statement, re.IGNORECASE)
    key = identity[0] if len(identity) == 1 else _unique_column(connection, name, columns)
    return Table(name, columns, key or ROW, () if has_rowid else identity)


def _unique_column(connection: sqlite3.Connection, name: str, columns: Mapping[str, Column]) -> str:
    """A column that no two rows may share, and that each row has; empty where there is none."""
    for _, index, is_unique, _, is_partial in connection.execute(f"PRAGMA index_list({quoted(name)})").fetchall():
        parts = [row[2] for row in connection.execute(f"PRAGMA index_info({quoted(index)})")]
        if (
            is_unique
            and not is_partial
            and len(parts) == 1
            and parts[0] in columns
            and not columns[parts[0]].may_be_null
        ):
            return str(parts[0])
    return ""
