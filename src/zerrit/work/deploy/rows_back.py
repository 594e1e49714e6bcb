"""The way back for rows of a database server, which other programs may have written to in the meantime."""

from __future__ import annotations

from typing import NamedTuple

from zerrit.core.documents.database.server_rows import source_of_server_tables, undone
from zerrit.records import load_content, store_contents
from zerrit.settings import AnyDatabase, TablesDatabase
from zerrit.work.base.workspace import Workspace


class RowsBack(NamedTuple):
    """The digest of the rows as they are to be, and the rows that are left since another program changed them too."""

    digest: str
    left: list[str]


def rows_path(database: AnyDatabase) -> str | None:
    """The path of the file that stands for the tables of a database server; None where there is none."""
    return database.shown_as if isinstance(database, TablesDatabase) else None


def rows_back(workspace: Workspace, before: str, planned: str, now: str) -> RowsBack:
    """Undo in the rows `now` what leads from those `before` to those that were `planned`; all by their digests.

    What other programs wrote stays, whether the planned rows were written or not.
    """
    if now == planned:
        return RowsBack(before, [])
    with workspace.session() as session:
        texts = [source_of_server_tables(load_content(session, digest)) for digest in (before, planned, now)]
        text, left = undone(texts[0].tables or {}, *(one.text for one in texts))
        (digest,) = store_contents(session, [text.encode()])
    return RowsBack(digest, left)
