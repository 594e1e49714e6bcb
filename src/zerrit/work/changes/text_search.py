"""Search in the files of a server, and replace what is found as steps of a change."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from typing import Final

from zerrit.core.documents import Document
from zerrit.core.documents.source import Splice, splice
from zerrit.core.steps import Step
from zerrit.core.text_search import TextHit, TextSearch, hits, replaced
from zerrit.core.typed_text import steps_of_typing
from zerrit.core.wildcards import path_matches
from zerrit.records import Change
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import add_steps, get_change
from zerrit.work.changes.typed_text import present_files

MOST_HITS: Final = 2000  # that one search returns
MOST_COUNTED: Final = 200_000  # places of one file; a search that finds more is a slip


@dataclass(frozen=True, slots=True)
class FileHit:
    """A place in a file. `replaced` is what its match would become, where a replacement is given."""

    path: str
    hit: TextHit
    replaced: str | None = None


@dataclass(frozen=True, slots=True)
class FileSearch:
    """What a search found: up to `MOST_HITS` places, and how many there are by file."""

    hits: tuple[FileHit, ...]
    counts: Mapping[str, int]
    files: int  #: that were searched

    @property
    def total(self) -> int:
        return sum(self.counts.values())


def search_files(
    workspace: Workspace,
    server_id: str,
    search: TextSearch,
    *,
    files: str = "",
    change_id: int | None = None,
    replacement: str | None = None,
) -> FileSearch:
    """Search the text files of a server, as they are or as a change leaves them. `files` is a path with wildcards.

    Raises NotFound. SearchInvalid: the pattern cannot be read.
    """
    pattern = search.compiled()
    with workspace.session() as session:
        present, _ = present_files(workspace, session, server_id, change_id)
    chosen = {path: document for path, document in present.documents.items() if _fits(files, path)}
    found: list[FileHit] = []
    counts: dict[str, int] = {}
    for path, document in sorted(chosen.items()):
        places = list(hits(document.source, pattern, MOST_COUNTED))
        if not places:
            continue
        counts[path] = len(places)
        shown = places[: MOST_HITS - len(found)]
        new = _replacements(document, search, replacement)
        found += [FileHit(path, hit, new.get(hit.start) if replacement is not None else None) for hit in shown]
    return FileSearch(tuple(found), counts, len(chosen))


def _fits(files: str, path: str) -> bool:
    """A pattern without a folder means the file's name in any folder."""
    if not files.strip():
        return True
    patterns = [one.strip() for one in files.split(",") if one.strip()]
    return any(path_matches(one if "/" in one else f"**/{one}", path) for one in patterns)


def _replacements(document: Document, search: TextSearch, replacement: str | None) -> dict[int, str]:
    if replacement is None:
        return {}
    pieces = replaced(document.text, search.compiled(), replacement, is_pattern=search.is_pattern)
    return {piece.start: piece.text for piece in pieces}


@dataclass(frozen=True, slots=True)
class Replaced:
    """What a replacement did: the change, how many places it took, and the numbers of the steps that it made."""

    change: Change
    places: int
    steps: tuple[int, ...]


def replace_in_files(
    workspace: Workspace,
    person: str,
    change_id: int,
    search: TextSearch,
    replacement: str,
    *,
    files: str = "",
    skip: Collection[str] = (),
    version: int | None = None,
) -> Replaced:
    """Replace what a search finds, as steps by meaning of a change. `skip` are places `PATH:LINE:COLUMN` to leave alone.

    Raises NotFound, WrongState, Outdated, SearchInvalid. Refused: nothing is found.
    """
    with workspace.session() as session:
        change = get_change(session, change_id)
        present, _ = present_files(workspace, session, change.server_id, change_id)
    left_out = frozenset(skip)
    steps: list[Step] = []
    places = 0
    for path, document in sorted(present.documents.items()):
        if not _fits(files, path):
            continue
        pieces = list(_chosen(document, search, replacement, left_out))
        places += len(pieces)
        if pieces:
            steps += steps_of_typing(document, document.with_text(splice(document.text, pieces)))
    if not steps:
        raise Refused(f"`{search.text}` is not found in these files, so nothing was replaced.")
    change = add_steps(workspace, person, change_id, steps, version=version)
    return Replaced(change, places, tuple(row.id for row in change.steps[-len(steps) :]))


def _chosen(document: Document, search: TextSearch, replacement: str, left_out: Collection[str]) -> Iterator[Splice]:
    for piece in replaced(document.text, search.compiled(), replacement, is_pattern=search.is_pattern):
        line, column = document.source.locate(piece.start)
        is_same = document.text[piece.start : piece.end] == piece.text
        if f"{document.path}:{line}:{column}" not in left_out and not is_same:
            yield piece
