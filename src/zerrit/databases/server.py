"""
The rows of tables on a database server: read as a text, and written by what differs.

The server is reached through SQLAlchemy by a URL. Only tables that are allowed are read and written. Everything is written in
one transaction: it is read again inside of it, and kept only where the rows are then exactly those that were wanted.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from graphlib import CycleError, TopologicalSorter
from hashlib import sha256
from typing import Any, Final

from sqlalchemy import Connection, Engine, Inspector, create_engine, inspect, text, types
from sqlalchemy.engine import URL, make_url
from sqlalchemy.exc import ArgumentError, NoSuchModuleError, NoSuchTableError, SQLAlchemyError
from sqlalchemy.pool import NullPool

from zerrit.core.documents import MAX_BYTES
from zerrit.core.documents.database.rows import Fields, RowChanges, RowsSource, meant, row_changes, spelt
from zerrit.core.documents.database.schema import Column
from zerrit.core.documents.database.server_rows import (
    NEXT,
    UNKNOWN,
    ServerColumn,
    ServerTable,
    line_of,
    server_tables,
    source_of_server_tables,
    spelt_number,
    text_of,
)
from zerrit.core.errors import EditRefused
from zerrit.core.nearest import did_you_mean

MOST_ROWS: Final = 1_000_000
ROWS_AT_ONCE: Final = 1_000
LEAST_PATIENCE: Final = 10  #: seconds for a sign-in or a lock; six times as long for a statement
KIND: Final = "postgresql"
_OPTIONS: Final = frozenset({"sslmode"})
_TABLE_NAME: Final = re.compile(r"[^\x00-\x1f\";]{1,120}\Z")
_SIMPLE_DEFAULT: Final = re.compile(
    r"\(?(?P<number>-?\d+(?:\.\d+)?)\)?\Z|'(?P<text>(?:[^']|'')*)'\Z|(?P<word>true|false)\Z"
)
_CAST: Final = re.compile(r"::[\w \"\[\]().,]+\Z")


class RowFault(StrEnum):
    UNREACHABLE = "unreachable"
    SIGN_IN = "sign-in"
    MISSING = "missing"  #: a table is not there, or has no key
    ENDLESS = "endless"
    REFUSED = "refused"  #: a condition of the database, or a right, forbids it
    CHANGED = "changed"  #: another program changed rows in between


class RowsFailed(Exception):
    """Rows could not be read or written; nothing was written. The message says why; `fault` says which kind."""

    def __init__(self, fault: RowFault, message: str) -> None:
        super().__init__(message)
        self.fault = fault


@dataclass(frozen=True, slots=True)
class _Shape:
    """A table as it is on the server: how its columns are asked for, and its place in what refers to what."""

    table: ServerTable
    schema: str | None
    name: str
    as_text: frozenset[str]  #: columns of kinds that are read as the text that the server makes of them
    numbered: frozenset[str]


def checked_url(url: str) -> URL:
    """The address of a database server. Raises ValueError: it is none that can be used; the message says why."""
    try:
        found = make_url(url)
    except ArgumentError as error:
        raise ValueError("Write it as postgresql://USER@HOST:PORT/DATABASE.") from error
    kind = found.get_backend_name()
    if kind == "sqlite":
        raise ValueError("A SQLite file is read like any other file of the game; it needs no address.")
    if kind != KIND:
        raise ValueError(f"`{kind}` is not a database server that Zerrit reaches; it reaches {KIND}.")
    if found.password is not None:
        raise ValueError("Leave the password out of the address; it is kept apart, encrypted.")
    if not found.host or not found.database:
        raise ValueError("Host and database are missing: postgresql://USER@HOST:PORT/DATABASE.")
    odd = sorted(found.query.keys() - _OPTIONS)
    if odd:
        raise ValueError(f"`{odd[0]}` cannot be set in the address; only {', '.join(_OPTIONS)} can.")
    return found


def is_table_name(name: str) -> bool:
    """A name of a table, with its schema before a dot where it has one."""
    return _TABLE_NAME.match(name) is not None


class TableServer:
    """Some tables of a database server."""

    def __init__(self, url: str, password: str, tables: Sequence[str], timeout: float) -> None:
        self._url = checked_url(url)
        self._tables = tuple(tables)
        self._timeout = timeout
        self._engine = self._made(password)

    def read(self) -> bytes:
        """All rows, as a text."""
        with self._transaction(is_kept=False) as connection:
            return self._text(connection).encode()

    def write(self, wanted: bytes, replaced: str = "") -> None:
        """Make the rows those of a text. `replaced` is the SHA-256 of the rows from which it was made: where others are there now,
        nothing is written.
        """
        with self._transaction(is_kept=True) as connection:
            self._put(connection, wanted, replaced, is_kept=True)

    def try_writing(self, wanted: bytes) -> None:
        """Make the rows those of a text, see whether the server takes it, and undo it all."""
        with self._transaction(is_kept=False) as connection:
            self._put(connection, wanted, "", is_kept=False)

    # --- a transaction ------------------------------------------------------------------------------------------------

    def _made(self, password: str) -> Engine:
        seconds = max(LEAST_PATIENCE, int(self._timeout))
        limits = f"-c statement_timeout={seconds * 6000} -c lock_timeout={seconds * 1000}"
        forms = "-c datestyle=ISO -c intervalstyle=postgres -c timezone=UTC -c bytea_output=hex"
        arguments = {
            "connect_timeout": seconds,
            "options": f"{limits} {forms} -c extra_float_digits=1 -c client_encoding=UTF8",
        }
        url = self._url.set(password=password or None)
        try:
            return create_engine(url, poolclass=NullPool, connect_args=arguments, isolation_level="REPEATABLE READ")
        except (ModuleNotFoundError, NoSuchModuleError) as error:
            raise RowsFailed(
                RowFault.UNREACHABLE,
                f"The driver for {KIND} is not installed. Install it: pip install 'zerrit[{KIND}]'.",
            ) from error

    @contextmanager
    def _transaction(self, *, is_kept: bool) -> Iterator[Connection]:
        try:
            opened = self._engine.connect()
        except SQLAlchemyError as error:
            raise self._not_opened(error) from error
        with opened as connection:
            try:
                yield connection
                if is_kept:
                    connection.commit()
            except EditRefused as error:
                raise RowsFailed(RowFault.REFUSED, str(error)) from error
            except SQLAlchemyError as error:
                raise _refused(error) from error
            finally:
                connection.rollback()

    def _not_opened(self, error: SQLAlchemyError) -> RowsFailed:
        said = _said(error)
        where = f"{self._url.host}:{self._url.port}" if self._url.port else str(self._url.host)
        if re.search("password|authentication|role .* does not exist|access denied", said, re.IGNORECASE):
            return RowsFailed(RowFault.SIGN_IN, f"The database server on {where} does not let this user in: {said}")
        return RowsFailed(RowFault.UNREACHABLE, f"The database server on {where} does not answer: {said}")

    # --- reading ------------------------------------------------------------------------------------------------------

    def _text(self, connection: Connection) -> str:
        shapes = self._shapes(connection)
        lines: dict[str, list[str]] = {}
        size = count = 0
        for shape in shapes:
            lines[shape.table.name] = own = []
            for line in self._rows(connection, shape):
                own.append(line)
                size += len(line) + 1
                count += 1
                if size > MAX_BYTES or count > MOST_ROWS:
                    raise RowsFailed(
                        RowFault.ENDLESS,
                        f"The tables have more than {MOST_ROWS:,} rows or {MAX_BYTES >> 20} MB of text, the limit. Allow fewer of "
                        f"them; {shape.table.name} was being read.",
                    )
        return text_of([shape.table for shape in shapes], lines)

    def _shapes(self, connection: Connection) -> list[_Shape]:
        found = inspect(connection)
        if not isinstance(found, Inspector):  # pragma: no cover (what SQLAlchemy gives for a connection)
            raise RowsFailed(RowFault.UNREACHABLE, "The tables cannot be looked at.")
        return [self._shape(found, name) for name in self._tables]

    def _shape(self, inspector: Inspector, full_name: str) -> _Shape:
        schema, _, name = full_name.rpartition(".")
        where = {"schema": schema or None}
        try:
            reflected = inspector.get_columns(name, **where)
            primary = inspector.get_pk_constraint(name, **where)["constrained_columns"]
            unique = [tuple(one["column_names"]) for one in inspector.get_unique_constraints(name, **where)]
            references = inspector.get_foreign_keys(name, **where)
        except NoSuchTableError as error:
            known = inspector.get_table_names(schema=schema or None)
            hint = did_you_mean(name, known)
            raise RowsFailed(
                RowFault.MISSING, f"There is no table {full_name} in the database. {hint}".strip()
            ) from error
        refers = {
            one["constrained_columns"][0]: (
                ".".join(filter(None, (one["referred_schema"], one["referred_table"]))),
                one["referred_columns"][0],
            )
            for one in references
            if len(one["constrained_columns"]) == 1
        }
        columns: dict[str, Column] = {}
        as_text: set[str] = set()
        numbered: set[str] = set()
        for one in reflected:
            if one.get("computed"):
                continue
            column = one["name"]
            kind, is_text = _type_of(one["type"])
            is_numbered = bool(one.get("identity")) or one.get("autoincrement") is True
            default = NEXT if is_numbered else _default(one.get("default"))
            columns[column] = ServerColumn(column, kind, bool(one["nullable"]), default, refers.get(column))
            as_text |= {column} if is_text else set()
            numbered |= {column} if is_numbered else set()
        identity = tuple(primary) or _by_unique(unique, columns)
        if not identity:
            raise RowsFailed(
                RowFault.MISSING,
                f"The table {full_name} has no primary key and no unique columns, so its rows cannot be told apart. Leave it out of the "
                "allowed tables.",
            )
        key = identity[0] if len(identity) == 1 else "@row"
        table = ServerTable(full_name, columns, key, identity, tuple(sorted(one for one in unique if one != identity)))
        return _Shape(table, schema or None, name, frozenset(as_text), frozenset(numbered))

    def _rows(self, connection: Connection, shape: _Shape) -> Iterator[str]:
        quoted = self._engine.dialect.identifier_preparer.quote
        names = list(shape.table.columns)
        asked = (f"CAST({quoted(name)} AS TEXT)" if name in shape.as_text else quoted(name) for name in names)
        statement = text(f"SELECT {', '.join(asked)} FROM {self._quoted(shape)}")  # noqa: S608 (all names are quoted)
        with connection.execute(statement, execution_options={"stream_results": True}) as rows:
            for some in rows.partitions(ROWS_AT_ONCE):
                for row in some:
                    yield line_of(shape.table, {name: _spelt(value) for name, value in zip(names, row, strict=True)})

    def _quoted(self, shape: _Shape) -> str:
        quote = self._engine.dialect.identifier_preparer.quote
        return f"{quote(shape.schema)}.{quote(shape.name)}" if shape.schema else quote(shape.name)

    # --- writing ------------------------------------------------------------------------------------------------------

    def _put(self, connection: Connection, wanted: bytes, replaced: str, *, is_kept: bool) -> None:
        now = self._text(connection)
        if now.encode() == wanted:
            return
        if replaced and sha256(now.encode()).hexdigest() != replaced:
            raise RowsFailed(
                RowFault.CHANGED,
                "Another program changed rows of the allowed tables since they were read, so none was written. Stop it, then try again.",
            )
        source = source_of_server_tables(wanted)
        tables = server_tables(source.tables)
        shapes = {shape.table.name: shape for shape in self._shapes(connection)}
        is_other = [name for name in shapes.keys() | tables.keys() if not _is_alike(shapes.get(name), tables.get(name))]
        if is_other:
            raise RowsFailed(
                RowFault.CHANGED,
                f"The table {sorted(is_other)[0]} has other columns or conditions than when it was read, or is allowed no more. Fetch "
                "the server, then try again.",
            )
        self._apply(connection, shapes, row_changes(tables, now, source.text))
        if is_kept:
            self._number_on(connection, shapes)
        settled = self._text(connection)
        if settled.encode() != wanted:
            raise RowsFailed(RowFault.REFUSED, _other_than(source, settled))

    def _apply(self, connection: Connection, shapes: Mapping[str, _Shape], changes: RowChanges) -> None:
        order = _in_order([shape.table for shape in shapes.values()])
        connection.execute(text("SET CONSTRAINTS ALL DEFERRED"))
        # What refers goes before what it refers to, and comes after it.
        for table, fields in _children_first(changes.removed, order):
            self._run(connection, shapes[table.name], "DELETE FROM {table} WHERE {where}", {}, fields)
        for table, fields in reversed(_children_first(changes.added, order)):
            self._insert(connection, shapes[table.name], fields)
        for table, old, new in changes.updated:
            sets = {name: value for name, value in new.items() if name in table.columns and old.get(name) != value}
            if sets:
                self._run(connection, shapes[table.name], "UPDATE {table} SET {sets} WHERE {where}", sets, old)

    def _run(
        self, connection: Connection, shape: _Shape, statement: str, sets: Mapping[str, str], fields: Mapping[str, str]
    ) -> None:
        quote = self._engine.dialect.identifier_preparer.quote
        values = {f"s{n}": _value(shape, name, written) for n, (name, written) in enumerate(sets.items())}
        values |= {f"w{n}": _value(shape, name, fields[name]) for n, name in enumerate(shape.table.identity)}
        said = statement.format(
            table=self._quoted(shape),
            sets=", ".join(f"{quote(name)} = :s{n}" for n, name in enumerate(sets)),
            where=" AND ".join(f"{quote(name)} = :w{n}" for n, name in enumerate(shape.table.identity)),
        )
        count = connection.execute(text(said), values).rowcount
        if count != 1:
            raise RowsFailed(RowFault.CHANGED, f"{count} rows of {shape.table.name} are where one was expected.")

    def _insert(self, connection: Connection, shape: _Shape, fields: Mapping[str, str]) -> None:
        quote = self._engine.dialect.identifier_preparer.quote
        names = list(shape.table.columns)
        columns = ", ".join(map(quote, names))
        marks = ", ".join(f":v{n}" for n in range(len(names)))
        # A column that the server always numbers takes a number of ours only where it is told to.
        always = " OVERRIDING SYSTEM VALUE" if shape.numbered else ""
        statement = f"INSERT INTO {self._quoted(shape)} ({columns}){always} VALUES ({marks})"  # noqa: S608
        connection.execute(
            text(statement), {f"v{n}": _value(shape, name, fields[name]) for n, name in enumerate(names)}
        )

    def _number_on(self, connection: Connection, shapes: Mapping[str, _Shape]) -> None:
        """See that the next number that the server gives is none that a row has by now."""
        for shape in shapes.values():
            for name in sorted(shape.numbered):
                column = self._engine.dialect.identifier_preparer.quote(name)
                sequence = connection.execute(
                    text("SELECT pg_get_serial_sequence(:table, :column)"),
                    {"table": self._quoted(shape), "column": name},
                ).scalar()
                if sequence is None:
                    continue
                connection.execute(
                    text(
                        f"SELECT setval(:sequence, (SELECT MAX({column}) FROM {self._quoted(shape)})) "  # noqa: S608
                        f"WHERE (SELECT MAX({column}) FROM {self._quoted(shape)}) > (SELECT last_value FROM {sequence})"
                    ),
                    {"sequence": sequence},
                )


# --- values ------------------------------------------------------------------------------------------------------------


def _type_of(kind: types.TypeEngine[Any]) -> tuple[str, bool]:
    """The type of a column as the text has it, and whether its values are read as text that the server makes of them."""
    match kind:
        case types.Boolean():
            return "BOOLEAN", False
        case types.SmallInteger():
            return "SMALLINT", False
        case types.BigInteger():
            return "BIGINT", False
        case types.Integer():
            return "INTEGER", False
        case types.Float() | types.Double():
            return "DOUBLE PRECISION", False
        case types.Numeric():
            bounds = f"({kind.precision},{kind.scale or 0})" if kind.precision is not None else ""
            return f"NUMERIC{bounds}", False
        case types.LargeBinary():
            return "BYTES", False
        case types.Enum():
            return "TEXT", True
        case types.VARCHAR(length=int(length)):
            return f"VARCHAR({length})", False
        case types.CHAR():
            return "TEXT", True
        case types.String():
            return "TEXT", False
        case _:
            plain = re.sub(r"[^A-Z0-9_ ]", " ", type(kind).__name__.upper()).strip()
            return plain or "TEXT", True


def _default(said: str | None) -> str | None:
    """A default as a value is spelt; `UNKNOWN` where the server works it out."""
    if said is None:
        return None
    plain = said.strip()
    while _CAST.search(plain) and not plain.startswith("nextval("):
        plain = _CAST.sub("", plain)
    match = _SIMPLE_DEFAULT.match(plain)
    if match is None:
        return "null" if plain.upper() == "NULL" else UNKNOWN
    if match["text"] is not None:
        return spelt(match["text"].replace("''", "'"))
    return str(match["number"] or match["word"])


def _spelt(value: Any) -> str:
    match value:
        case bool():
            return "true" if value else "false"
        case Decimal():
            return spelt_number(value) if value.is_finite() else str(value).lower()
        case bytes() | memoryview() | bytearray():
            return f"x'{bytes(value).hex()}'"
        case _:
            return spelt(value)


def _value(shape: _Shape, name: str, written: str) -> Any:
    """A value as the driver takes it."""
    if written in ("true", "false"):
        return written == "true"
    column = shape.table.columns[name]
    if column.type.startswith("NUMERIC") and written != "null":
        return Decimal(written)
    return meant(written)


def _by_unique(unique: Sequence[tuple[str, ...]], columns: Mapping[str, Column]) -> tuple[str, ...]:
    """The columns that tell rows apart in a table without a primary key: the first that each row has."""
    sure = [one for one in sorted(unique, key=len) if all(not columns[name].may_be_null for name in one)]
    return sure[0] if sure else ()


def _is_alike(shape: _Shape | None, table: ServerTable | None) -> bool:
    return shape is not None and table is not None and shape.table.heading == table.heading


def _in_order(tables: Sequence[ServerTable]) -> list[str]:
    """The names of tables, each after those that it refers to. Raises EditRefused: they refer to each other in a circle."""
    graph: TopologicalSorter[str] = TopologicalSorter()
    for table in tables:
        others = (
            column.refers[0] for column in table.columns.values() if isinstance(column, ServerColumn) and column.refers
        )
        graph.add(table.name, *(other for other in others if other != table.name))
    try:
        return list(graph.static_order())
    except CycleError:
        return [table.name for table in tables]  # the server says where that is impossible


def _children_first(rows: Sequence[tuple[Any, Fields]], order: Sequence[str]) -> list[tuple[Any, Fields]]:
    """Rows in the order in which they may be removed: before all rows that they refer to, in their own table as well."""
    place = {name: n for n, name in enumerate(order)}
    found: list[tuple[Any, Fields]] = []
    for name in sorted({table.name for table, _ in rows}, key=lambda one: -place[one]):
        own = [(table, fields) for table, fields in rows if table.name == name]
        found += _parents_last(own)
    return found


def _parents_last(rows: Sequence[tuple[Any, Fields]]) -> list[tuple[Any, Fields]]:
    table = rows[0][0]
    to_itself = [
        (column.name, column.refers[1])
        for column in table.columns.values()
        if isinstance(column, ServerColumn) and column.refers and column.refers[0] == table.name
    ]
    if not to_itself:
        return list(rows)
    graph: TopologicalSorter[int] = TopologicalSorter()
    for name, other in to_itself:
        by_value = {fields.get(other): n for n, (_, fields) in enumerate(rows)}
        for n, (_, fields) in enumerate(rows):
            parent = by_value.get(fields.get(name))
            graph.add(n, *([parent] if parent is not None and parent != n else []))
    try:
        return [rows[n] for n in reversed(list(graph.static_order()))]
    except CycleError:
        return list(rows)


# --- what went wrong ---------------------------------------------------------------------------------------------------


def _said(error: SQLAlchemyError) -> str:
    """What the server said, in one line and without what SQLAlchemy adds."""
    told = str(getattr(error, "orig", None) or error)
    lines = [" ".join(line.split()) for line in told.splitlines() if line.strip()]
    return " ".join(lines[:3])[:400]


def _refused(error: SQLAlchemyError) -> RowsFailed:
    said = _said(error)
    if re.search("could not serialize|deadlock|lock timeout", said, re.IGNORECASE):
        return RowsFailed(RowFault.CHANGED, f"Another program works on the same rows: {said}")
    if re.search("server closed|connection.*(lost|closed|reset)|terminat", said, re.IGNORECASE):
        return RowsFailed(RowFault.UNREACHABLE, f"The database server went away: {said}")
    return RowsFailed(RowFault.REFUSED, f"The database refuses it: {said}")


def _other_than(wanted: RowsSource, settled: str) -> str:
    """Where the rows are others than those that were wanted."""
    changes = row_changes(wanted.tables or {}, settled, wanted.text)
    for table, made, asked in changes.updated:
        name = next((name for name in asked if asked[name] != made.get(name)), "")
        if name:
            return (
                f"The database would hold {made.get(name)} in place of {asked[name]} in {table.name}.{name}; it has a rule of its own for "
                "that. Give the value that it makes."
            )
    names = sorted({table.name for table, _ in (*changes.removed, *changes.added)}) or ["the tables"]
    return f"The database would add or remove other rows in {', '.join(names)} too, by a rule of its own; nothing was written."
