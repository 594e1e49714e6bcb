"""
Run one SELECT of a gamebook on the bytes of a game's SQLite file.

Both come from outside: the query from a gamebook that someone published, the file from a server. So the bytes are
opened in memory and never as a file; an authorizer lets the query read and nothing else; and there is a limit to its
time, to its rows and to its memory.
"""

from __future__ import annotations

import resource
import sqlite3
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Final

from sqlalchemy import CursorResult, create_engine, text
from sqlalchemy.exc import DatabaseError, SQLAlchemyError
from sqlalchemy.pool import StaticPool

from zerrit.core.checks import QueryRefused

PATIENCE: Final = (
    3.0  #: seconds of work, so that a busy machine ends no sound query; one for the words of a list takes milliseconds
)
MOST_ROWS: Final = 100_000
MOST_TEXT: Final = 4 * 1024 * 1024  #: bytes of one value
MOST_TOGETHER: Final = 32 * 1024 * 1024  #: characters of all rows
MOST_MEMORY: Final = 256 * 1024 * 1024  #: bytes that the service may grow by while a query runs
ROWS_AT_ONCE: Final = 200
STEPS_BETWEEN_LOOKS: Final = 10_000  #: instructions of SQLite's machine between two looks at the clock
_MAGIC: Final = b"SQLite format 3\0"
_READING: Final = frozenset(
    (
        sqlite3.SQLITE_SELECT,
        sqlite3.SQLITE_READ,
        sqlite3.SQLITE_FUNCTION,
        sqlite3.SQLITE_RECURSIVE,
        sqlite3.SQLITE_TRANSACTION,
    )
)


def query(database: bytes, statement: str) -> Sequence[tuple[str, ...]]:
    """The rows of a SELECT, every value as text, NULL as an empty one.

    Raises QueryRefused: the bytes are no SQLite file, the query is wrong, does more than read, or takes too long.
    """
    if not database.startswith(_MAGIC):
        raise QueryRefused("the file is no SQLite database.")
    watch = _Watch()

    def opened() -> sqlite3.Connection:
        connection = sqlite3.connect(":memory:", check_same_thread=False)
        connection.deserialize(_at_rest(database))
        connection.set_authorizer(_reading_only)
        connection.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, MOST_TEXT)
        connection.set_progress_handler(watch.look, STEPS_BETWEEN_LOOKS)
        return connection

    engine = create_engine("sqlite://", creator=opened, poolclass=StaticPool)
    try:
        with engine.connect() as connection:
            # A colon in a query is not a parameter of ours.
            return _within_bounds(connection.execute(text(statement.replace(":", r"\:"))))
    except DatabaseError as error:
        said = str(error.orig)
        if said == "interrupted":
            said = watch.reason
        elif said == "string or blob too big":
            said = f"it makes or reads a value of more than {MOST_TEXT:,} bytes"
        elif said == "not authorized":
            said = "it does more than read"
        raise QueryRefused(f"{said}.") from error
    except SQLAlchemyError as error:
        raise QueryRefused(f"{error}.") from error
    finally:
        engine.dispose()


class _Watch:
    """Ends a query that takes too long or too much."""

    def __init__(self) -> None:
        self.reason = f"it takes longer than {PATIENCE:g} seconds"
        self._ends = time.thread_time() + PATIENCE
        self._before = _memory()

    def look(self) -> int:
        if _memory() - self._before > MOST_MEMORY:
            self.reason = f"it takes more than {MOST_MEMORY:,} bytes of memory"
            return 1
        return int(time.thread_time() > self._ends)


def _memory() -> int:
    """Bytes that this process holds; 0 where the system does not tell."""
    try:
        return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize()
    except OSError:
        return 0


def _within_bounds(result: CursorResult[Any]) -> Sequence[tuple[str, ...]]:
    """All rows, read in pieces, so that what is too much ends before it is there."""
    rows: list[tuple[str, ...]] = []
    size = 0
    while piece := result.fetchmany(ROWS_AT_ONCE):
        read = [tuple(_as_text(value) for value in row) for row in piece]
        size += sum(len(value) for row in read for value in row)
        rows += read
        if len(rows) > MOST_ROWS:
            raise QueryRefused(f"it gives more than {MOST_ROWS:,} rows.")
        if size > MOST_TOGETHER:
            raise QueryRefused(f"its rows have more than {MOST_TOGETHER:,} characters.")
    return tuple(rows)


def _at_rest(database: bytes) -> bytes:
    """The file with its write-ahead log switched off, which there cannot be for bytes in memory.

    Bytes 18 and 19 of the header say which journal it has: 1 is the old kind, 2 the log (SQLite file format, 1.3.3).
    """
    return database[:18] + b"\x01\x01" + database[20:] if database[18:20] == b"\x02\x02" else database


def _reading_only(action: int, first: str | None, second: str | None, *_: object) -> int:
    # SQLAlchemy asks a new connection for its isolation level; asking is not a setting.
    is_question = action == sqlite3.SQLITE_PRAGMA and first == "read_uncommitted" and second is None
    return sqlite3.SQLITE_OK if action in _READING or is_question else sqlite3.SQLITE_DENY


def _as_text(value: Any) -> str:
    if value is None:
        return ""
    return value.hex() if isinstance(value, bytes) else str(value)
