"""Write into the rows of a database: values by the types of their columns."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from typing import Final

from zerrit.core.documents.database import ROW
from zerrit.core.documents.database.rows import RowsSource, spelt_name, spelt_text
from zerrit.core.documents.database.schema import Column, Table
from zerrit.core.documents.document import Document
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Splice
from zerrit.core.errors import EditRefused
from zerrit.core.nearest import nearest

_WHOLE: Final = re.compile(r"[-+]?\d{1,19}\Z")
_NUMBER: Final = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?\Z")
_YES_OR_NO: Final = {"true": "true", "false": "false", "1": "true", "0": "false"}


class DatabaseWriter:
    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        row = node.parent
        if row is None or row.parent is None:
            raise EditRefused(f"`{node.name}` is a row. Address one of its columns instead.")
        if node.name == ROW:
            raise EditRefused("This is the number of the row, and no column of the table.")
        inner = 1 if node.is_quoted else 0
        written = _spelt(_column(document, row.name, node.name), value, node)
        return [Splice(node.value_start - inner, node.value_end + inner, written)]

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        table = _table(document, name)
        parts = []
        for column in table.columns.values():
            if column.name in fields:
                parts.append(f"{spelt_name(column.name)}={_spelt(column, fields[column.name], None)}")
        for given in fields:
            _column(document, name, given)
        lacking = [
            one.name
            for one in table.columns.values()
            if not one.may_be_null and one.default is None and one.name not in fields and not _is_given(table, one)
        ]
        if lacking:
            raise EditRefused(f"A row of {name} needs {', '.join(lacking)}.")
        return f"{spelt_name(name)}: {', '.join(parts)}"

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        if parent.parent is None:
            raise EditRefused(f"Give the row its columns: add {name} COLUMN=VALUE …")
        return f"{spelt_name(name)}={_spelt(_column(document, parent.name, name), value, None)}"

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        if parent.parent is not None:
            return [Splice(parent.end, parent.end, "".join(f", {source}" for source in sources))]
        at = after.end if after is not None else _end_of_table(document, sources[0])
        return [Splice(at, at, "".join(f"\n{source}" for source in sources))]

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        raise EditRefused("A table and its columns keep their names.")

    def remove(self, document: Document, node: Node) -> list[Splice]:
        if node.parent is None or node.parent.parent is not None:
            raise EditRefused(f"A row has all the columns of its table. Set {node.name} to null instead.")
        return [Splice(node.start, min(node.end + 1, len(document.text)), "")]


def _table(document: Document, name: str) -> Table:
    source = document.source
    tables = source.tables if isinstance(source, RowsSource) else None
    if not tables or name not in tables:
        known = nearest(name, tables or {})
        hint = f" Is {known[0]} meant?" if known else ""
        raise EditRefused(f"{document.path} has no table {name}.{hint}")
    return tables[name]


def _column(document: Document, table: str, name: str) -> Column:
    columns = _table(document, table).columns
    if name not in columns:
        known = nearest(name, columns)
        hint = f" Is {known[0]} meant?" if known else ""
        raise EditRefused(f"The table {table} has no column {name}.{hint}")
    return columns[name]


def _is_given(table: Table, column: Column) -> bool:
    """SQLite gives the column a number where none is given."""
    return table.key == column.name and column.type == "INTEGER" and not table.identity


def _spelt(column: Column, value: str, old: Node | None) -> str:
    """A value by the type of its column.

    Raises EditRefused: it is none of that type.
    """
    is_text = (
        column.is_text or (not column.is_number and not _NUMBER.match(value)) or (old is not None and old.is_quoted)
    )
    if value == "null":
        if not column.may_be_null:
            raise EditRefused(f"{column.name} cannot be null.")
        return "null"
    if old is not None and not old.is_quoted and (old.value or "").startswith("blob:"):
        raise EditRefused(f"{column.name} holds binary data that is not shown; it cannot be set.")
    if column.is_yes_or_no:
        if value not in _YES_OR_NO:
            raise EditRefused(f"`{value}` is neither true nor false, and {column.name} is {column.type}.")
        return _YES_OR_NO[value]
    if is_text and not (column.is_number and _NUMBER.match(value)):
        if column.is_number and not (old is not None and old.is_quoted):
            raise EditRefused(f"`{value}` is no number, and {column.name} is {column.type or 'a number'}.")
        return spelt_text(value)
    if column.is_whole and not _WHOLE.match(value):
        raise EditRefused(f"`{value}` is no whole number, and {column.name} is {column.type}.")
    if not _NUMBER.match(value):
        raise EditRefused(f"`{value}` is no number, and {column.name} is {column.type or 'a number'}.")
    return value


def _end_of_table(document: Document, source: str) -> int:
    """Behind the line that tells of the table, where the first row of an empty table is put."""
    name = source.split(":", 1)[0]
    found = re.compile(
        rf"^# {re.escape(json.loads(name) if name.startswith(chr(34)) else name)}:[^\n]*", re.MULTILINE
    ).search(document.text)
    return found.end() if found is not None else max(0, len(document.text) - 1)


WRITER: Final = DatabaseWriter()
