"""Reading and writing databases by their rows: SQLite files, and tables of a database server."""

from typing import Final

_MAGIC: Final = b"SQLite format 3\0"
#: How the text of a database begins, so that it is not put into a file that is none.
HEADING: Final = "# SQLite database"
#: How the text of tables of a database server begins.
SERVER_HEADING: Final = "# Tables of a database server"
#: The label of a row of a table in which no column for itself tells the rows apart.
ROW: Final = "@row"
#: Files that SQLite has beside a database while a program writes to it.
LOG_ENDINGS: Final = ("-wal", "-journal")


def is_server_tables(data: bytes) -> bool:
    """The bytes are the rows of tables of a database server, by how they begin."""
    return data.startswith(SERVER_HEADING.encode() + b"\n")


def holds_rows(data: bytes) -> bool:
    """The bytes are a database, or tables of one."""
    return is_database(data) or is_server_tables(data)


def is_database(data: bytes) -> bool:
    """The bytes are those of a SQLite database, by how they begin."""
    return data.startswith(_MAGIC)
