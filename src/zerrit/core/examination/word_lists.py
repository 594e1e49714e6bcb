"""The lists of a gamebook, filled from the files as they are."""

from __future__ import annotations

import csv
from collections.abc import Iterator, Mapping
from functools import partial
from typing import TYPE_CHECKING

from zerrit.core.documents import Document, Finding, Node
from zerrit.core.examination.address_values import Values
from zerrit.core.examination.check_context import Examination, Placed, Unknown
from zerrit.core.examination.condition_fields import Around
from zerrit.core.expressions import ExpressionInvalid, NotApplicable
from zerrit.core.nearest import did_you_mean
from zerrit.core.paths import file_stems, folder_names

if TYPE_CHECKING:
    from zerrit.core.rules import ListSource

Places = Mapping[str, Placed | None]


class _Places(Places):
    """The words with their first places; the node of a place is made when someone asks for it."""

    def __init__(self) -> None:
        self.words: dict[str, Placed | tuple[Values, int] | None] = {}

    def __getitem__(self, word: str) -> Placed | None:
        place = self.words[word]
        if place is None or isinstance(place[1], Node):
            return place
        values, index = place
        return values.document, values.node(index)

    def __iter__(self) -> Iterator[str]:
        return iter(self.words)

    def __len__(self) -> int:
        return len(self.words)


def words_of(examination: Examination, name: str) -> tuple[str, ...]:
    """The words of a list, each once, in the order in which they are met.

    Raises Unknown.
    """
    places = word_places(examination, name)
    return examination.once(("words", name), (places,), lambda: tuple(places))


def known_words(examination: Examination, name: str) -> frozenset[str]:
    """The same, to look words up in. Raises Unknown."""
    words = words_of(examination, name)
    return examination.once(("known", name), (words,), lambda: frozenset(words))


def word_places(examination: Examination, name: str) -> Places:
    """The words of a list, each with the first place that it is at; None where that is not a place in a file.

    Raises Unknown.
    """
    source = examination.gamebook.rules.lists[name]
    if not examination.files.is_whole and (source.file_names or source.folders or source.csv or source.sql):
        raise Unknown
    inputs: list[object] = [*examination.sound(*source.source)]
    if source.file_names or source.folders:
        inputs.append(examination.paths)
    if source.csv is not None:
        inputs += examination.matching(source.csv.file)
    if source.sql is not None:
        inputs.append(examination.rows(source.sql, ("lists", name, "sql")))
    places, faults = examination.once(("list", name), tuple(inputs), partial(_gather, examination, name, source))
    for fault in faults:
        examination.note(fault)
    return places


def _gather(examination: Examination, name: str, source: ListSource) -> tuple[Places, tuple[Finding, ...]]:
    """The words of a list in the order in which they are met, each with its first place; and faults of the gamebook."""
    faults: list[Finding] = []
    places = _Places()
    words = places.words
    words.update(dict.fromkeys(source.words))
    for address in source.source:
        if source.take == "value" and source.only_if is None:
            for values in map(
                partial(examination.values_in, address=address), examination.matching(address.partition("#")[0])
            ):
                for index, word in enumerate(values.texts):
                    if word and words.get(word) is None:
                        words[word] = (values, index)
            continue
        for document, node in examination.nodes(address):
            word = _word(document, node, source.take)
            if word and words.get(word) is None and _is_chosen(examination, name, source, (document, node), faults):
                words[word] = (document, node)
    named = file_stems(source.file_names, examination.paths) if source.file_names else []
    named += folder_names(source.folders, examination.paths) if source.folders else []
    for word in named:
        words.setdefault(word)
    if source.csv is not None:
        for document in examination.matching(source.csv.file):
            words.update(dict.fromkeys(_column(examination, name, source.csv.column, document, faults)))
    if source.sql is not None:
        words.update(dict.fromkeys(row[0] for row in examination.rows(source.sql, ("lists", name, "sql")) if row))
    return places, tuple(faults)


def _word(document: Document, node: Node, take: str) -> str:
    if take == "name":
        return node.name.removeprefix("@")
    return document.keys.key_of(node) if take == "key" else node.value or ""


def _is_chosen(examination: Examination, name: str, source: ListSource, place: Placed, faults: list[Finding]) -> bool:
    if source.only_if is None:
        return True
    try:
        return source.only_if.holds(Around(*place))
    except NotApplicable:
        return False
    except ExpressionInvalid as error:
        message = f"The list {name} cannot be worked out: {error}"
        faults.append(examination.gamebook.fault(("lists", name, "only_if"), message))
        return False


def _column(examination: Examination, name: str, column: str, document: Document, faults: list[Finding]) -> list[str]:
    # Spreadsheets of many countries part columns with a semicolon; the heading says which it is.
    heading = document.text.partition("\n")[0]
    delimiter = max(",;\t", key=heading.count)
    rows = csv.DictReader(document.text.splitlines(), delimiter=delimiter)
    headings = [one.strip() for one in rows.fieldnames or ()]
    if column not in headings:
        hint = did_you_mean(column, headings)
        message = f"{document.path} has no column `{column}`."
        faults.append(examination.gamebook.fault(("lists", name, "csv", "column"), message, hint))
        return []
    rows.fieldnames = headings
    return [value.strip() for row in rows if (value := row.get(column)) and value.strip()]
