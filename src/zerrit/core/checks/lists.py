"""The lists of a gamebook, filled from the files as they are."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import PurePosixPath

from zerrit.core.addresses import parse_address
from zerrit.core.documents import Document, Node
from zerrit.core.documents.selecting import select
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


def values_at(address_text: str, documents: Mapping[str, Document]) -> Iterator[tuple[Document, Node]]:
    """Every node at an address whose file part may be a pattern; a text file is its lines."""
    address = parse_address(address_text)
    for path, document in documents.items():
        if path_matches(address.path, path):
            for node in select(document.root, document.keys, address.segments):
                yield document, node
