"""The codes of findings in databases."""

from __future__ import annotations

from typing import Final

from zerrit.core.documents.code import Code, Severity

DATABASE: Final[dict[str, Code]] = {
    "database.damaged": Code(
        Severity.ERROR,
        "A database cannot be read.",
        "Bring it back from a snapshot; the game will hardly read it either.",
        "a SQLite file that was cut off in an upload",
        "the complete file",
        may_be_tolerated=False,
    ),
    "database.no-row": Code(
        Severity.ERROR,
        "A line in the text of a database is no row of a table.",
        "Undo the edit that made it so; rows are best changed by their addresses.",
        "crates 1025 Ada",
        'crates: id=1025, owner="Ada"',
        may_be_tolerated=False,
    ),
    "database.log-beside": Code(
        Severity.WARNING,
        "Beside a database is a log with rows that are not in the database yet.",
        "Stop the game in the usual way; it then takes the log into the database. Until then rows are not written.",
        "stock.db with stock.db-wal of 4,152 bytes beside it",
        "stock.db alone, or with an empty log",
    ),
}
