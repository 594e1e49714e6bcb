"""What checks look at: the files of a server or folder, and how to reach what is not text among them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Protocol

from zerrit.core.documents import Document, Format, read_document
from zerrit.core.errors import ZerritError
from zerrit.core.file_steps import Marks

if TYPE_CHECKING:
    from zerrit.core.gamebooks import Gamebook

Documents = Mapping[str, Document]


class QueryRefused(ZerritError):
    """A query of a gamebook cannot be run on the database file."""

    kind = "query-refused"


class Query(Protocol):
    """Runs one SELECT on the bytes of a database file."""

    def __call__(self, database: bytes, query: str, /) -> Sequence[tuple[str, ...]]:
        """The rows, every value as text.

        Raises QueryRefused: it is not a database, the query is wrong, or it takes too long.
        """
        ...


def _no_data(path: str) -> bytes | None:
    del path
    return None


def no_query(database: bytes, query: str) -> Sequence[tuple[str, ...]]:
    """Stands where databases cannot be looked into."""
    del database, query
    raise QueryRefused("databases cannot be looked into here")


@dataclass(frozen=True)
class Files:
    """The files of one state of a server or folder.

    `others`: files that are no text or whose content is not kept, with the digests of what is kept, else empty. `data`: the
    bytes of one of them, as far as they are kept. `is_whole`: these are all files, so that one that is not here is missing.
    `marks`: what they are besides their contents.
    """

    documents: Documents
    others: Mapping[str, str] = field(default_factory=dict)
    data: Callable[[str], bytes | None] = _no_data
    query: Query = no_query
    is_whole: bool = True
    marks: Marks = field(default_factory=Marks)


def gather_files(
    contents: Mapping[str, bytes], gamebook: Gamebook | None = None, *, query: Query = no_query, is_whole: bool = True
) -> Files:
    """The files with these contents, read as the gamebook says; what it ignores is left out."""
    tracked = {p: data for p, data in contents.items() if gamebook is None or gamebook.is_tracked(p)}
    read = {p: gamebook.read(data, p) if gamebook else read_document(data, p) for p, data in tracked.items()}
    documents = {path: document for path, document in read.items() if not document.is_binary}
    others = {p: "" for p in contents if p not in documents and not (gamebook is not None and gamebook.is_ignored(p))}
    return Files(documents, others, contents.get, query, is_whole)


def databases_in(documents: Documents, paths: Iterable[str]) -> frozenset[str]:
    """Those of the files that are databases: the game writes to them all the time, so steps are made on their rows as they are."""
    return frozenset(path for path in paths if path in documents and documents[path].format is Format.DATABASE)


def touched(before: Documents, after: Documents) -> list[str]:
    """The paths of files that a change adds, alters or takes away."""
    return [
        path
        for path in sorted(before.keys() | after.keys())
        if path not in before or path not in after or not before[path].is_same_file(after[path])
    ]
