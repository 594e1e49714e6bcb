"""Kept databases that are too large to be read whole: two versions are compared by the rows that differ."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from sqlalchemy.orm import Session

from zerrit.core.documents import Document
from zerrit.core.documents.database.large import RowsNotCompared, rows_that_differ
from zerrit.core.documents.document import read_rows
from zerrit.records import large_contents


class DifferingRows(NamedTuple):
    """Documents by path, which have only the rows that are not the same in the other version."""

    old: dict[str, Document]
    new: dict[str, Document]


def differing_rows(session: Session, old: Mapping[str, str], new: Mapping[str, str]) -> DifferingRows:
    """The rows that differ of large databases, by the digests of their files.

    Files that are no databases, or in which too many rows differ, are left out: they are compared as wholes.
    """
    found = DifferingRows({}, {})
    large = large_contents(session)
    for path in sorted(old.keys() & new.keys()):
        if old[path] == new[path] or not old[path] or not new[path]:
            continue
        files = large.path_of(old[path]), large.path_of(new[path])
        if files[0] is None or files[1] is None:
            continue
        try:
            before, after = rows_that_differ(files[0], files[1])
        except RowsNotCompared:
            continue
        found.old[path], found.new[path] = read_rows(before, path), read_rows(after, path)
    return found
