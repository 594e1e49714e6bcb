"""
Where the words of a gamebook's lists stand: as values in files, as keys and names of entries, in names of files and folders.

A word that is renamed must be renamed at all of these places, and each kind of rule knows its own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import TYPE_CHECKING, Final, Literal

from zerrit.core.documents.slots import PLACE
from zerrit.core.wildcards import path_matches, spot_in_path
from zerrit.core.word_forms import with_word, word_in

if TYPE_CHECKING:
    from zerrit.core.documents import Document, Node
    from zerrit.core.examination.check_context import Examination

Take = Literal["value", "name", "key"]


def _always(document: Document, node: Node) -> bool:
    del document, node
    return True


@dataclass(frozen=True)
class ValuesAt:
    """What is at an address: the values there, the names, or the keys of the entries.

    `form` is the text around the word, with {} in its place. `is_meant` says whether a value there is a word at all.
    `is_file` says whether the address speaks of a file that fits its pattern.
    """

    address: str
    take: Take = "value"
    form: str = PLACE
    is_meant: Callable[[Document, Node], bool] = _always
    is_file: Callable[[str], bool] = lambda path: True

    def word_in(self, text: str) -> str | None:
        """The word in a text; None where the text has not the form."""
        return word_in(self.form, text) or None

    def with_word(self, text: str, word: str) -> str:
        """The text with another word."""
        return with_word(self.form, text, word)

    def all(self, examination: Examination) -> Iterator[tuple[Document, Node]]:
        """Every node at the address that is meant."""
        for document, node in examination.nodes(self.address):
            if self.is_file(document.path) and self.is_meant(document, node):
                yield document, node

    def find(self, examination: Examination, word: str) -> Iterator[tuple[Document, Node]]:
        """The nodes that stand for a word: for a key its entry."""
        for document in examination.matching(self.address.partition("#")[0]):
            if document.ok and self.is_file(document.path):
                for node in self._nodes(examination, document, word):
                    if self.is_meant(document, node):
                        yield document, node

    def _nodes(self, examination: Examination, document: Document, word: str) -> Iterator[Node]:
        if self.take == "value":
            values = examination.values_in(document, self.address)
            for index, value in enumerate(values.texts):
                if word in value and (value == word if self.form == PLACE else self.word_in(value) == word):
                    yield values.node(index)
            return
        for node in examination.nodes_in(document, self.address):
            own = node.name.removeprefix("@") if self.take == "name" else document.keys.key_of(node)
            if own == word:
                yield node


@dataclass(frozen=True)
class PathsLike:
    """Files or folders whose names hold a word.

    `part` says where: `file`, the name of a file without its ending, and `folder`, the name of a folder, of those that fit
    the pattern; `place`, what is at {} in it. `only` is the one path that counts, where it is not all that fit.
    """

    pattern: str
    part: Literal["file", "folder", "place"]
    only: str = ""

    def word_in(self, path: str) -> str | None:
        """The word in a path; None where the path does not fit."""
        if self.part == "place":
            spot = spot_in_path(self._own, path)
            return path[spot[0] : spot[1]] if spot is not None else None
        if not path_matches(self.pattern, path):
            return None
        pure = PurePosixPath(path)
        return pure.stem if self.part == "file" else pure.name

    def with_word(self, path: str, word: str) -> str:
        """A fitting path with another word."""
        if self.part == "place":
            spot = spot_in_path(self._own, path)
            assert spot is not None  # noqa: S101 (the caller has seen that it fits)
            return path[: spot[0]] + word + path[spot[1] :]
        pure = PurePosixPath(path)
        return str(pure.with_name(word + pure.suffix if self.part == "file" else word))

    @property
    def _own(self) -> str:
        """The pattern as far as the name that holds the word."""
        start, _, rest = self.pattern.partition(PLACE)
        return start + PLACE + rest.partition("/")[0]

    def find(self, examination: Examination, word: str) -> Iterator[str]:
        """The paths of the files and folders that hold a word."""
        paths = examination.paths if self.part == "file" else (*examination.folders, *examination.paths)
        if self.part == "folder":
            paths = examination.folders
        yield from (path for path in paths if self.only in ("", path) and self.word_in(path) == word)


WordUse = ValuesAt | PathsLike


@dataclass(frozen=True)
class WordFamily:
    """Places that hold the same words, by what the words are: one of them cannot be renamed alone.

    The words of a list come from its `sources`; what uses them must be one of those. `fixed` are words that the gamebook itself names. `elsewhere` are files that hold words and that are not edited.
    """

    what: str
    uses: tuple[WordUse, ...]
    sources: tuple[WordUse, ...] = ()
    fixed: frozenset[str] = frozenset()
    elsewhere: tuple[str, ...] = ()

    @property
    def places(self) -> tuple[WordUse, ...]:
        """All that holds a word of the family."""
        return (*self.sources, *self.uses)


SAME_WORD: Final = "places that must have the same word"
