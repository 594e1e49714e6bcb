"""The lists of a gamebook, filled from the files as they are."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import PurePosixPath

from zerrit.core.documents import Document
from zerrit.core.documents.gathering import values_at
from zerrit.core.gamebooks import ListSource
from zerrit.core.paths import path_matches


def words_of(source: ListSource, documents: Mapping[str, Document]) -> tuple[str, ...]:
    """The words of a list in the order in which they are met, each once."""
    words: dict[str, None] = dict.fromkeys(source.words)
    if source.source:
        for _, node in values_at(source.source, documents):
            if node.value:
                words[node.value] = None
    if source.file_names:
        for path in documents:
            if path_matches(source.file_names, path):
                words[PurePosixPath(path).stem] = None
    return tuple(words)
