"""
The rows of a database as text, and the way back: what differs in the text becomes rows that are added, changed and removed.

Each row is a line, `crates: id=25, owner="Ada", price=40.5`, below a line for its table. That text is what is compared,
searched, edited and checked like that of any other file. The way back is made in one transaction on a copy in memory; the
constraints of the database are checked there, so that what it would refuse is refused when a step is made.
"""

from __future__ import annotations

import json
import re
import sqlite3
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass
from hashlib import sha256
from typing import Any, Final

from zerrit.core.documents.database import HEADING, ROW
from zerrit.core.documents.database.schema import Table, quoted, tables_of
from zerrit.core.documents.source import MAX_BYTES, Source
from zerrit.core.errors import EditRefused

MOST_BLOB: Final = 64  # bytes of a blob that are written out
MOST_ROWS: Final = 1_000_000
_STEPS_BETWEEN_LOOKS: Final = 100_000  # instructions of SQLite's machine
_MOST_LOOKS: Final = 5_000  # a hostile file may make a statement run for ever
#: A text in quotation marks, as JSON has it.
TEXT: Final = r'"(?:[^"\\\x00-\x1f]|\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4}))*+"'
_NAME: Final = rf"(?:@?[A-Za-z_]\w*+|{TEXT})"
ROW_LINE: Final = re.compile(rf"(?P<table>{_NAME}): ")
FIELD: Final = re.compile(
    rf"(?P<name>{_NAME})=(?P<value>{TEXT}|x'(?:[0-9a-f]{{2}})*+'|[^,\s\"']++)(?P<end>, |$)", re.MULTILINE
)
_PLAIN: Final = re.compile(r"[A-Za-z_]\w*\Z")
_BLOB: Final = re.compile(r"blob:\d+:[0-9a-f]{16}\Z")
_WHOLE: Final = re.compile(r"[-+]?\d{1,19}\Z")
_MOST: Final = 2**63
_REAL: Final = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?\Z")
_UNSEEN: Final = re.compile("[\x7f-\x9f\xad\u200b-\u200f\u2028-\u202e\u2060-\u206f\ud800-\udfff\ufeff]")
_NULL: Final = "null"


@dataclass(frozen=True, slots=True, eq=False)
class RowsSource(Source):
    """Rows of tables as text; `tables` is None where they could not be read."""

    tables: Mapping[str, Table] | None = None


@dataclass(frozen=True, slots=True, eq=False)
class DatabaseSource(RowsSource):
    """The rows of a SQLite database as text, with the bytes that they came from."""

    database: bytes = b""

    def to_bytes(self) -> bytes:
        """The database, whose rows the text always is."""
        return self.database

    def with_text(self, text: str) -> DatabaseSource:
        """The rows as the database has them once the text is this one: with its defaults, and in its order.

        Raises EditRefused: a constraint forbids it, a line is no row, or the rows would be too many.
        """
        if text == self.text:
            return self
        settled = source_of_database(changed(self.database, self.tables or {}, self.text, text))
        if settled is None:
            raise EditRefused("The database would have more rows than are shown.")
        return settled


def source_of_database(database: bytes) -> DatabaseSource | None:
    """The rows of a database file; None where they are too many to be shown. A damaged file has no text and no tables."""
    try:
        with closing(_opened(database)) as connection:
            tables = tables_of(connection)
            parts: list[str] = [HEADING]
            size = 0
            count = 0
            for table in tables.values():
                parts.append(f"# {table.title}")
                for row in rows_of(connection, table):
                    parts.append(row)
                    size += len(row) + 1
                    count += 1
                    if size > MAX_BYTES or count > MOST_ROWS:
                        return None
    except (sqlite3.Error, UnicodeError):  # the latter by names that are no text
        return DatabaseSource("", "sqlite", database=database)
    text = "\n".join([*parts, ""])
    return DatabaseSource(text, "sqlite", database=database, tables=tables)


def _opened(database: bytes) -> sqlite3.Connection:
    """The file in memory, where it can do no harm: no module, function or file is reached from it."""
    connection = sqlite3.connect(":memory:", isolation_level=None)
    connection.deserialize(_at_rest(database))
    careful(connection)
    return connection


def careful(connection: sqlite3.Connection) -> None:
    """Take care with a file that may be hostile: nothing in its schema is run, and no statement runs for ever."""
    connection.execute("PRAGMA trusted_schema = OFF")
    connection.execute("PRAGMA cell_size_check = ON")
    looks = iter(range(_MOST_LOOKS))
    connection.set_progress_handler(lambda: int(next(looks, None) is None), _STEPS_BETWEEN_LOOKS)
    connection.text_factory = _text


def _text(raw: bytes) -> str:
    """A text of the database; bytes that are no UTF-8 are kept apart, since they could not be written back."""
    return raw.decode("utf-8", "surrogateescape")


def _at_rest(database: bytes) -> bytes:
    """The file with its write-ahead log switched off, which there cannot be for bytes in memory.

    Bytes 18 and 19 of the header say which journal it has: 1 is the old kind, 2 the log (SQLite file format, 1.3.3).
    """
    return database[:18] + b"\x01\x01" + database[20:] if database[18:20] == b"\x02\x02" else database


def rows_of(connection: sqlite3.Connection, table: Table, schema: str = "main", only: str = "") -> Iterator[str]:
    """The rows of a table as lines, in the order of their keys. `only` is a condition in SQL, whose names are quoted."""
    names = list(table.columns)
    label = "rowid, " if table.key == ROW and not table.identity else ""
    order = ", ".join(map(quoted, table.identity)) if table.identity else "rowid"
    chosen = ", ".join(map(quoted, names))
    heads = [f"{spelt_name(name)}=" for name in names]
    start = f"{spelt_name(table.name)}: "
    where = f" WHERE {only}" if only else ""
    statement = f"SELECT {label}{chosen} FROM {schema}.{quoted(table.name)}{where} ORDER BY {order}"  # noqa: S608
    for row in connection.execute(statement):
        values = row[1:] if label else row
        fields = [head + spelt(value) for head, value in zip(heads, values, strict=True)]
        if table.key == ROW:
            key = row[0] if label else "/".join(str(values[names.index(name)]) for name in table.identity)
            fields.insert(0, f"{ROW}={spelt(key)}")
        yield start + ", ".join(fields)


def spelt_name(name: str) -> str:
    """A name of a table or column as the text has it: in quotation marks where it is no plain word."""
    return name if _PLAIN.match(name) else json.dumps(name, ensure_ascii=False)


def spelt_text(value: str) -> str:
    """A text in quotation marks, in one line; signs that no one sees by their numbers."""
    return _UNSEEN.sub(lambda match: f"\\u{ord(match.group()):04x}", json.dumps(value, ensure_ascii=False))


def spelt(value: Any) -> str:
    """A value as the text has it: a number bare, a text in quotation marks, `null`, a blob by its bytes or its hash."""
    if value is None:
        return _NULL
    if isinstance(value, bytes):
        return f"x'{value.hex()}'" if len(value) <= MOST_BLOB else f"blob:{len(value)}:{sha256(value).hexdigest()[:16]}"
    if isinstance(value, str):
        return spelt_text(value)
    return repr(value)


def meant(written: str) -> Any:
    """The value that is spelt so. Raises EditRefused: it is a blob that is only told by its hash."""
    if written == _NULL:
        return None
    if written.startswith('"'):
        return json.loads(written)
    if written.startswith("x'"):
        return bytes.fromhex(written[2:-1])
    if _BLOB.match(written):
        raise EditRefused("The row has binary data that is not shown, so it cannot be written anew.")
    if _WHOLE.match(written):
        if not -_MOST <= int(written) < _MOST:
            raise EditRefused(f"{written} is too large a number for a column.")
        return int(written)
    if _REAL.match(written) or written in ("inf", "-inf"):
        return float(written)
    raise EditRefused(f"`{written}` is no value of a database: a text is in quotation marks.")


def fields_of_line(line: str) -> tuple[str, dict[str, str]]:
    """The table of a row and its fields, as they are spelt. Raises EditRefused: the line is no row."""
    start = ROW_LINE.match(line)
    fields: dict[str, str] = {}
    at = start.end() if start is not None else 0
    while start is not None and at < len(line):
        field = FIELD.match(line, at)
        if field is None:
            break
        fields[name_of(field.group("name"))] = field.group("value")
        at = field.end()
    if start is None or at < len(line) or not fields:
        raise EditRefused(f"`{line[:60]}` is no row of a table.")
    return name_of(start.group("table")), fields


def name_of(written: str) -> str:
    """The name that is spelt so."""
    return json.loads(written) if written.startswith('"') else written


# --- the way back -----------------------------------------------------------------------------------------------------------


def changed(database: bytes, tables: Mapping[str, Table], before: str, after: str) -> bytes:
    """The database with the rows of the text `after` in place of those of `before`, which are its rows now.

    Raises EditRefused: a constraint forbids it, or a line is no row.
    """
    with closing(_opened(database)) as connection:
        triggers = connection.execute("SELECT name, sql FROM sqlite_schema WHERE type = 'trigger'").fetchall()
        odd = set(connection.execute("PRAGMA foreign_key_check").fetchall())
        try:
            connection.execute("BEGIN")
            connection.execute("PRAGMA defer_foreign_keys = ON")
            for name, _ in triggers:  # what they would do is in no step, and no one has looked at it
                connection.execute(f"DROP TRIGGER {quoted(name)}")
            _apply(connection, tables, before, after)
            for _, statement in triggers:
                connection.execute(statement)
            _require_references(connection, odd)
            connection.execute("COMMIT")
            said = [row[0] for row in connection.execute("PRAGMA integrity_check(3)")]
        except sqlite3.Error as error:
            raise EditRefused(f"The database refuses it: {error}.") from error
        if said != ["ok"]:
            raise EditRefused(f"The database would be damaged: {'; '.join(said)}.")
        written = bytes(connection.serialize())
    return written[:18] + database[18:20] + written[20:]


def _apply(connection: sqlite3.Connection, tables: Mapping[str, Table], before: str, after: str) -> None:
    changes = row_changes(tables, before, after)
    for table, fields in changes.removed:
        _delete(connection, table, fields)
    for table, old, new in changes.updated:
        _update(connection, table, old, new)
    for table, fields in changes.added:
        _insert(connection, table, fields)


Fields = dict[str, str]  #: values as they are spelt, by column


@dataclass(frozen=True, slots=True)
class RowChanges:
    """How rows differ. A row that keeps its key is updated."""

    removed: Sequence[tuple[Table, Fields]]
    updated: Sequence[tuple[Table, Fields, Fields]]
    added: Sequence[tuple[Table, Fields]]


def row_changes(tables: Mapping[str, Table], before: str, after: str) -> RowChanges:
    """What to do to the rows of the text `before` so that they are those of `after`.

    Raises EditRefused: a line is no row of one of the tables.
    """
    gone, come = _differing(before, after)
    removed: dict[tuple[str, str], tuple[Table, Fields]] = {}
    for line in gone:
        table, fields = row_of(tables, line)
        removed[table.name, key_of(table, fields)] = table, fields
    added: list[tuple[Table, Fields]] = []
    updated: list[tuple[Table, Fields, Fields]] = []
    for line in come:
        table, fields = row_of(tables, line)
        key = key_of(table, fields)
        old = removed.pop((table.name, key), None) if key else None
        if old is None:
            added.append((table, fields))
        else:
            updated.append((table, old[1], fields))
    return RowChanges(list(removed.values()), updated, added)


def row_of(tables: Mapping[str, Table], line: str) -> tuple[Table, Fields]:
    """The table of a row and its fields. Raises EditRefused: there is no such table or column, or the line is no row."""
    name, fields = fields_of_line(line)
    table = tables.get(name)
    if table is None:
        raise EditRefused(f"There is no table {name}.")
    unknown = next((field for field in fields if field != ROW and field not in table.columns), None)
    if unknown is not None:
        raise EditRefused(f"The table {name} has no column {unknown}.")
    return table, fields


def _differing(before: str, after: str) -> tuple[list[str], list[str]]:
    """The lines of rows that are only before, and only after."""
    old, new = before.split("\n"), after.split("\n")
    head = next((n for n, (a, b) in enumerate(zip(old, new, strict=False)) if a != b), min(len(old), len(new)))
    most = min(len(old), len(new)) - head
    tail = next((n for n in range(most) if old[-1 - n] != new[-1 - n]), most)
    counts = Counter(new[head : len(new) - tail])
    counts.subtract(old[head : len(old) - tail])
    rows = {line: number for line, number in counts.items() if line.strip() and not line.startswith("#")}
    if any(line.startswith("#") and number for line, number in counts.items()):
        raise EditRefused("The lines that begin with `#` say what the tables are; they cannot be changed.")
    come = [line for line, number in rows.items() for _ in range(number)]
    return [line for line, number in rows.items() for _ in range(-number)], come


def key_of(table: Table, fields: Mapping[str, str]) -> str:
    """What names a row, as it is spelt; empty for a row that has no name yet."""
    return fields.get(table.key, "")


def _found_by(table: Table, fields: Mapping[str, str]) -> tuple[str, list[Any]]:
    """The condition that finds exactly one row, and its values."""
    if table.key == ROW and not table.identity:
        return "rowid = ?", [meant(fields[ROW])]
    names = table.identity or (table.key,)
    return " AND ".join(f"{quoted(name)} = ?" for name in names), [meant(fields[name]) for name in names]


def _delete(connection: sqlite3.Connection, table: Table, fields: Mapping[str, str]) -> None:
    where, values = _found_by(table, fields)
    statement = f"DELETE FROM {quoted(table.name)} WHERE {where}"  # noqa: S608 (all names are quoted)
    count = connection.execute(statement, values).rowcount
    if count != 1:
        raise EditRefused(f"{count} rows of {table.name} are where one was expected.")


def _update(connection: sqlite3.Connection, table: Table, old: Mapping[str, str], new: Mapping[str, str]) -> None:
    where, values = _found_by(table, old)
    changes = {name: value for name, value in new.items() if name != ROW and old.get(name) != value}
    for name in old.keys() - new.keys() - {ROW}:
        changes[name] = _NULL
    if not changes:
        return
    sets = ", ".join(f"{quoted(name)} = ?" for name in changes)
    statement = f"UPDATE {quoted(table.name)} SET {sets} WHERE {where}"  # noqa: S608 (all names are quoted)
    count = connection.execute(statement, [*map(meant, changes.values()), *values]).rowcount
    if count != 1:
        raise EditRefused(f"{count} rows of {table.name} are where one was expected.")


def _insert(connection: sqlite3.Connection, table: Table, fields: Mapping[str, str]) -> None:
    names = [name for name in fields if name != ROW]
    marks = ", ".join("?" for _ in names)
    statement = f"INSERT INTO {quoted(table.name)} ({', '.join(map(quoted, names))}) VALUES ({marks})"  # noqa: S608
    connection.execute(statement, [meant(fields[name]) for name in names])


def _require_references(connection: sqlite3.Connection, odd: set[Any]) -> None:
    """No row refers to one that is not there, but for those that did so before."""
    for table, row, other, _ in connection.execute("PRAGMA foreign_key_check").fetchall():
        if not any(one[:3] == (table, row, other) for one in odd):
            raise EditRefused(f"A row of {table} would refer to one of {other} that is not there.")
