"""
The rows of tables of a database server as a text, which is their form at rest: in snapshots, in steps, in deploys.

The first line is a heading. A line for each table tells its columns, and what the server demands of them:

    # crates: id INTEGER default next, owner TEXT, price NUMERIC(10,2) null, place INTEGER null -> places.id; key id; unique owner

Below it are its rows, one on a line, in the order of their keys. The same rows give the same bytes, so two texts can be
compared by their hash. What a server would refuse is refused here where the text tells enough for that: types, null,
unique columns and references between the tables. Other conditions are tried on the server before a deploy.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Final

from zerrit.core.documents.database import ROW, SERVER_HEADING
from zerrit.core.documents.database.rows import (
    FIELD,
    ROW_LINE,
    TEXT,
    Fields,
    RowsSource,
    key_of,
    name_of,
    row_changes,
    row_of,
    spelt_name,
    spelt_text,
)
from zerrit.core.documents.database.schema import Column, Table
from zerrit.core.errors import EditRefused

NEXT: Final = "next"  #: the default of a column that the server numbers
MOST_TABLES: Final = 500
MOST_COLUMNS: Final = 2_000
_NAME: Final = rf"(?:[A-Za-z_]\w*+|{TEXT})"
_TABLE: Final = re.compile(rf"# (?P<table>{_NAME}): (?P<columns>(?:[^;\"]|{TEXT})*+);")
_COLUMN: Final = re.compile(
    rf"(?P<name>{_NAME}) (?P<type>[A-Z][A-Z0-9_ ]*(?:\(\d+(?:,-?\d+)?\))?(?:\[\])*)(?P<null> null)?"
    rf"(?: default (?P<default>{NEXT}|{TEXT}|[-+.\w]+))?(?: -> (?P<other>{_NAME})\.(?P<column>{_NAME}))?(?:, |\Z)"
)
_GROUP: Final = re.compile(rf" (?P<kind>key|unique) (?P<names>{_NAME}(?:, {_NAME})*)(?:;|\Z)")
_WHOLE: Final = {"SMALLINT": 2**15, "INTEGER": 2**31, "BIGINT": 2**63}
_LENGTH: Final = re.compile(r"CHAR\((\d+)\)\Z")
_BOUNDS: Final = re.compile(r"\((\d+),(-?\d+)\)\Z")
_PLAIN: Final = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d{1,3})?\Z")


@dataclass(frozen=True, slots=True)
class ServerColumn(Column):
    """A column of a table of a database server."""

    @property
    def plain_type(self) -> str:
        return self.type.split("(")[0]

    @property
    def is_number(self) -> bool:
        return self.is_whole or self.plain_type in ("NUMERIC", "REAL", "DOUBLE PRECISION")

    @property
    def is_whole(self) -> bool:
        return self.type in _WHOLE

    @property
    def is_text(self) -> bool:
        return not self.is_number and not self.is_yes_or_no

    @property
    def is_yes_or_no(self) -> bool:
        return self.type == "BOOLEAN"


@dataclass(frozen=True, slots=True)
class ServerTable(Table):
    """A table of a database server."""

    @property
    def heading(self) -> str:
        """The line that tells of the table."""
        columns = ", ".join(_told(column) for column in self.columns.values() if isinstance(column, ServerColumn))
        groups = [f" key {_names(self.identity)}", *(f" unique {_names(group)}" for group in self.unique)]
        return f"# {spelt_name(self.name)}: {columns};{';'.join(groups)}"


@dataclass(frozen=True, slots=True, eq=False)
class ServerRowsSource(RowsSource):
    """The rows of tables of a database server; its bytes are the text."""

    def to_bytes(self) -> bytes:
        return self.text.encode("utf-8", "surrogateescape")

    def with_text(self, text: str) -> ServerRowsSource:
        """The rows as they will be once the text is this one: with defaults, and in their order.

        Raises EditRefused: a line is no row, or the server would refuse it.
        """
        if text == self.text:
            return self
        tables = server_tables(self.tables)
        return ServerRowsSource(_settled(tables, self.text, text), tables=tables)


def source_of_server_tables(data: bytes) -> ServerRowsSource:
    """The rows in the bytes of such a text; without tables where it is damaged."""
    text = data.decode("utf-8", "surrogateescape")
    try:
        return ServerRowsSource(text, tables=_tables_of(text) if text.isascii() or _is_unicode(text) else None)
    except EditRefused:
        return ServerRowsSource(text, tables=None)


def _is_unicode(text: str) -> bool:
    """No byte of it was none of UTF-8."""
    return not any("\ud800" <= sign <= "\udfff" for sign in text)


def server_tables(tables: Mapping[str, Table] | None) -> dict[str, ServerTable]:
    """The tables as those of a server. Raises EditRefused: the text is damaged."""
    if tables is None:
        raise EditRefused("The rows cannot be read; fetch the server again.")
    return {name: table for name, table in tables.items() if isinstance(table, ServerTable)}


def text_of(tables: Iterable[ServerTable], lines: Mapping[str, Sequence[str]]) -> str:
    """The text for tables and their rows, which come by the name of the table and in any order."""
    parts = [SERVER_HEADING]
    for table in tables:
        parts.append(table.heading)
        parts += _in_order(table, lines.get(table.name, ()))
    return "\n".join([*parts, ""])


def line_of(table: ServerTable, fields: Mapping[str, str]) -> str:
    """A row as a line: its columns in the order of the table. `fields` are values as they are spelt."""
    told = [f"{spelt_name(name)}={fields[name]}" for name in table.columns]
    if table.key == ROW:
        key = "/".join(_bare(fields[name]) for name in table.identity)
        told.insert(0, f"{ROW}={spelt_text(key)}")
    return f"{spelt_name(table.name)}: {', '.join(told)}"


def undone(tables: Mapping[str, Table], before: str, planned: str, now: str) -> tuple[str, list[str]]:
    """The rows `now` without what leads from `before` to `planned`, and the rows that are left since another program changed
    them too.

    A row that is as planned becomes what it was before; one that is as it was before stays.
    """
    known = server_tables(tables)
    rows = {(table.name, key_of(table, fields)): fields for table, fields in _rows(known, now)}
    changes = row_changes(known, before, planned)
    left: list[str] = []

    def put(table: Table, was: Fields | None, made: Fields | None) -> None:
        key = table.name, key_of(table, made or was or {})
        there = rows.get(key)
        if there == was:
            return
        if there != made:
            left.append(f"{table.name}[{_bare(key[1])}]")
        elif was is None:
            del rows[key]
        else:
            rows[key] = was

    for table, fields in changes.removed:
        put(table, fields, None)
    for table, old, new in changes.updated:
        put(table, old, new)
    for table, fields in changes.added:
        put(table, None, fields)
    return text_of(known.values(), _lines(known, rows)), left


# --- reading -----------------------------------------------------------------------------------------------------------------


def _tables_of(text: str) -> dict[str, ServerTable]:
    """The tables that the text tells of. Raises EditRefused: a line that tells of one is damaged."""
    found: dict[str, ServerTable] = {}
    at = text.find("\n# ")
    while at >= 0:
        end = text.find("\n", at + 1)
        line = text[at + 1 : end if end >= 0 else len(text)]
        table = _table(line)
        if table is None or table.name in found or len(found) >= MOST_TABLES:
            raise EditRefused(f"`{line[:60]}` does not tell of a table.")
        found[table.name] = table
        at = text.find("\n# ", end) if end >= 0 else -1
    return found


def _table(line: str) -> ServerTable | None:
    head = _TABLE.match(line)
    if head is None:
        return None
    columns: dict[str, Column] = {}
    at = head.start("columns")
    while at < head.end("columns"):
        match = _COLUMN.match(line, at, head.end("columns"))
        name = name_of(match.group("name")) if match is not None else ""
        if match is None or name in columns or len(columns) >= MOST_COLUMNS:
            return None
        refers = (name_of(match.group("other")), name_of(match.group("column"))) if match.group("other") else None
        columns[name] = ServerColumn(name, match.group("type"), bool(match.group("null")), match["default"], refers)
        at = match.end()
    identity: tuple[str, ...] = ()
    unique: list[tuple[str, ...]] = []
    at = head.end()
    while at < len(line):
        group = _GROUP.match(line, at)
        if group is None:
            return None
        names = tuple(name_of(name) for name in re.findall(_NAME, group.group("names")))
        if not set(names) <= columns.keys():
            return None
        if group.group("kind") == "key":
            identity = names
        else:
            unique.append(names)
        at = group.end()
    if not identity:
        return None
    key = identity[0] if len(identity) == 1 else ROW
    return ServerTable(name_of(head.group("table")), columns, key, identity, tuple(unique))


def _told(column: ServerColumn) -> str:
    parts = [spelt_name(column.name), " ", column.type]
    parts += [" null"] if column.may_be_null else []
    parts += [f" default {column.default}"] if column.default is not None else []
    parts += [f" -> {'.'.join(map(spelt_name, column.refers))}"] if column.refers else []
    return "".join(parts)


def _names(names: Iterable[str]) -> str:
    return ", ".join(map(spelt_name, names))


def _rows(tables: Mapping[str, ServerTable], text: str) -> Iterator[tuple[ServerTable, Fields]]:
    """The rows of a text. Raises EditRefused: a line is no row of a table."""
    for line in text.split("\n"):
        if line and not line.startswith("#"):
            table, fields = row_of(tables, line)
            if len(fields) != len(table.columns) + (table.key == ROW):
                raise EditRefused(f"`{line[:60]}` does not have all columns of its table. Fetch the server again.")
            yield tables[table.name], fields


def _bare(written: str) -> str:
    return str(json.loads(written)) if written.startswith('"') else written


# --- the order of rows ---------------------------------------------------------------------------------------------------------


def _in_order(table: ServerTable, lines: Sequence[str]) -> list[str]:
    return sorted(lines, key=lambda line: _order(table, line))


def _order(table: ServerTable, line: str) -> list[tuple[int, Decimal, str]]:
    """What rows are sorted by: numbers by their size, texts by their characters, whatever language the server sorts for."""
    wanted = set(table.identity)
    found: dict[str, str] = {}
    row = ROW_LINE.match(line)
    at = row.end() if row is not None else 0
    while wanted - found.keys() and (field := FIELD.match(line, at)) is not None:
        found[name_of(field.group("name"))] = field.group("value")
        at = field.end()
    return [_place(found.get(name, "null")) for name in table.identity]


def _place(written: str) -> tuple[int, Decimal, str]:
    if _PLAIN.match(written):
        return 0, Decimal(written), ""
    return 1, Decimal(0), _bare(written)


# --- what the server would refuse ------------------------------------------------------------------------------------------------


def _settled(tables: Mapping[str, ServerTable], before: str, after: str) -> str:
    """The text `after` in the form in which the server would give it.

    Raises EditRefused: a value is none of its column, or a condition of the tables would not hold.
    """
    changes = row_changes(tables, before, after)
    rows = {(table.name, key_of(table, fields)): fields for table, fields in _rows(tables, before)}
    fresh: list[tuple[ServerTable, Fields]] = []
    for table, fields in changes.removed:
        del rows[table.name, key_of(table, fields)]
    for table, old, new in changes.updated:
        own = tables[table.name]
        for name in (*own.identity, *([ROW] if own.key == ROW else [])):
            if old.get(name) != new.get(name):
                raise EditRefused(f"{name} tells the rows of {own.name} apart. Copy the row and remove the old one.")
        settled = {name: settled_value(column, new.get(name, "null")) for name, column in own.columns.items()}
        settled |= {ROW: old[ROW]} if own.key == ROW else {}
        rows[own.name, key_of(own, old)] = settled
        fresh.append((own, settled))
    for table, fields in changes.added:
        own = tables[table.name]
        settled = _with_defaults(own, fields, rows)
        key = own.name, key_of(own, settled)
        if key in rows:
            raise EditRefused(f"{own.name} has a row {_bare(key[1])} already.")
        rows[key] = settled
        fresh.append((own, settled))
    _require_unique(fresh, rows)
    _require_references(tables, rows, fresh, {table.name for table, _ in changes.removed})
    return text_of(tables.values(), _lines(tables, rows))


def _lines(
    tables: Mapping[str, ServerTable], rows: Mapping[tuple[str, str], Mapping[str, str]]
) -> dict[str, list[str]]:
    lines: dict[str, list[str]] = {}
    for (name, _), fields in rows.items():
        lines.setdefault(name, []).append(line_of(tables[name], fields))
    return lines


def _with_defaults(table: ServerTable, fields: Mapping[str, str], rows: Mapping[tuple[str, str], Fields]) -> Fields:
    """A new row with a value for each column."""
    found: Fields = {}
    for name, column in table.columns.items():
        if name in fields:
            found[name] = settled_value(column, fields[name])
        elif column.default == NEXT:
            known = [int(row[name]) for (owner, _), row in rows.items() if owner == table.name]
            found[name] = str(max(known, default=0) + 1)
        elif column.default == UNKNOWN:
            raise EditRefused(f"How the server works out {table.name}.{name} is not known here; give it a value.")
        elif column.default is not None:
            found[name] = settled_value(column, column.default)
        elif column.may_be_null:
            found[name] = "null"
        else:
            raise EditRefused(f"A row of {table.name} needs {name}.")
    if table.key == ROW:
        key = "/".join(_bare(found[name]) for name in table.identity)
        found[ROW] = spelt_text(key)
    return found


UNKNOWN: Final = '"?"'  #: the default of a column that the server works out in a way of its own


def settled_value(column: Column, written: str) -> str:
    """A value in the form in which the server gives it. Raises EditRefused: it is none of the column."""
    if written == "null":
        if not column.may_be_null:
            raise EditRefused(f"{column.name} cannot be null.")
        return written
    if column.is_yes_or_no:
        if written not in ("true", "false"):
            raise EditRefused(f"`{written}` is neither true nor false, and {column.name} is {column.type}.")
        return written
    if column.is_number:
        return _settled_number(column, written)
    if written.startswith("x'"):
        return written
    text = str(json.loads(written)) if written.startswith('"') else written
    most = _LENGTH.search(column.type)
    if most and len(text) > int(most.group(1)):
        raise EditRefused(f"{column.name} holds {most.group(1)} characters, and this text has {len(text):,}.")
    return spelt_text(text)


def _settled_number(column: Column, written: str) -> str:
    try:
        number = Decimal(written) if _PLAIN.match(written) else None
    except InvalidOperation:  # an exponent without end
        number = None
    if number is None:
        if written in ("inf", "-inf", "nan") and not column.is_whole:
            return written
        raise EditRefused(f"`{written}` is no number, and {column.name} is {column.type}.")
    if column.is_whole:
        if number != number.to_integral_value():
            raise EditRefused(f"`{written}` is no whole number, and {column.name} is {column.type}.")
        if not -_WHOLE[column.type] <= number < _WHOLE[column.type]:
            raise EditRefused(f"{written} is too large for {column.name}, which is {column.type}.")
        return str(int(number))
    if column.type in ("REAL", "DOUBLE PRECISION"):
        return repr(float(number))
    bounds = _BOUNDS.search(column.type)
    if bounds is not None:
        digits, scale = int(bounds.group(1)), int(bounds.group(2))
        if number != round(number, scale) or abs(number) >= Decimal(10) ** (digits - scale):
            raise EditRefused(f"{written} does not fit into {column.name}, which is {column.type}.")
    return spelt_number(number)


def spelt_number(number: Decimal) -> str:
    """A decimal number without an exponent and without zeros at its end."""
    text = f"{number:f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def _require_unique(
    fresh: Sequence[tuple[ServerTable, Fields]], rows: Mapping[tuple[str, str], Mapping[str, str]]
) -> None:
    tables = {table.name: table for table, _ in fresh}
    for table in tables.values():
        for group in table.unique:
            seen: dict[tuple[str, ...], str] = {}
            for (owner, key), row in rows.items():
                if owner != table.name:
                    continue
                values = tuple(row[name] for name in group)
                if "null" in values:
                    continue
                other = seen.setdefault(values, key)
                if other != key:
                    told = " and ".join(f"{name}={row[name]}" for name in group)
                    raise EditRefused(
                        f"Two rows of {table.name} would have {told}: {_bare(other)} and {_bare(key)}. It has to be unique."
                    )


def _require_references(
    tables: Mapping[str, ServerTable],
    rows: Mapping[tuple[str, str], Mapping[str, str]],
    fresh: Sequence[tuple[ServerTable, Fields]],
    shrunk: set[str],
) -> None:
    """No row refers to one that is not there. Rows of tables that are not shown are tried on the server only."""
    changed = {table.name for table, _ in fresh}
    for table in tables.values():
        for column in table.columns.values():
            refers = column.refers if isinstance(column, ServerColumn) else None
            if refers is None or refers[0] not in tables or refers[1] not in tables[refers[0]].columns:
                continue
            if table.name not in changed and refers[0] not in changed | shrunk:
                continue
            there = {row[refers[1]] for (owner, _), row in rows.items() if owner == refers[0]}
            for (owner, key), row in rows.items():
                value = row[column.name] if owner == table.name else "null"
                if value != "null" and value not in there:
                    raise EditRefused(
                        f"{table.name}[{_bare(key)}] would refer to {refers[0]}.{refers[1]}={value}, which is not there."
                    )
