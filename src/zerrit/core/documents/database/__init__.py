"""Reading and writing SQLite databases by their rows."""

from typing import Final

_MAGIC: Final = b"SQLite format 3\0"
#: How the text of a database begins, so that it is not put into a file that is none.
HEADING: Final = "# SQLite database"
#: The label of a row of a table in which no column for itself tells the rows apart.
ROW: Final = "@row"
#: Files that SQLite has beside a database while a program writes to it.
LOG_ENDINGS: Final = ("-wal", "-journal")


def is_database(data: bytes) -> bool:
    """The bytes are those of a SQLite database, by how they begin."""
    return data.startswith(_MAGIC)
