"""What a place refers to, and what refers to it, by the rules of the gamebook."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from zerrit.core.addresses import place_in_kind
from zerrit.core.documents import Document, Node
from zerrit.core.examination.check_context import Examination, Placed, Unknown
from zerrit.core.examination.word_lists import word_places
from zerrit.core.gamebooks import Gamebook
from zerrit.core.rules import AgreeRule, ReferRule


@dataclass(frozen=True, slots=True)
class Reference:
    """One place that another is linked with. `what` says how: the name of a list, or `must be the same word`."""

    address: str
    line: int
    what: str


@dataclass(frozen=True, slots=True)
class References:
    refers_to: tuple[Reference, ...]
    referred_by: tuple[Reference, ...]


def references_of(examination: Examination, document: Document, node: Node) -> References:
    """The references of a value, or of an entry by the values in it. Broken files have none."""
    return References(
        tuple(dict.fromkeys(_refers_to(examination, document, node))),
        tuple(dict.fromkeys(_referred_by(examination, document, node))),
    )


def _refers_to(examination: Examination, document: Document, node: Node) -> Iterator[Reference]:
    inside = {id(below) for below in node.walk()}
    for list_name, places in _users(examination):
        for where, user in places:
            if where is document and id(user) in inside and user.value is not None:
                try:
                    target = word_places(examination, list_name).get(user.value)
                except Unknown:
                    continue
                if target is not None:
                    yield _reference(examination, target, list_name)
    for places in _agreeing(examination):
        if any(id(one) in inside for _, one in places):
            yield from (_reference(examination, p, "must be the same word") for p in places if id(p[1]) not in inside)


def _referred_by(examination: Examination, document: Document, node: Node) -> Iterator[Reference]:
    inside = {id(below) for below in node.walk()}
    for list_name, places in _users(examination):
        try:
            words = word_places(examination, list_name)
        except Unknown:
            continue
        own = {word for word, place in words.items() if place is not None and id(place[1]) in inside}
        if document.path.rpartition("/")[2].rpartition(".")[0] in words and node.parent is None:
            own.add(document.path.rpartition("/")[2].rpartition(".")[0])
        for place in places:
            if place[1].value in own and id(place[1]) not in inside:
                yield _reference(examination, place, list_name)


def _users(examination: Examination) -> Iterator[tuple[str, list[Placed]]]:
    """Every list with the places whose values must be words of it."""
    gamebook = examination.gamebook
    for rule in gamebook.rules.of(ReferRule):
        yield rule.list_name, examination.nodes(rule.every)
    for path, file in gamebook.rules.files.items():
        for names, entry in file.entries.items():
            for name, one in entry.fields.items():
                if isinstance(one.allowed, str):
                    yield one.allowed, _fields(examination, gamebook, path, place_in_kind(names, one.path or name))


def _fields(examination: Examination, gamebook: Gamebook, pattern: str, names: str) -> list[Placed]:
    return [
        (document, node)
        for document in examination.matching(pattern)
        if gamebook.file(document.path) is gamebook.rules.files[pattern]
        for node in examination.nodes_in(document, f"{document.path}#{names}")
    ]


def _agreeing(examination: Examination) -> Iterator[list[Placed]]:
    for rule in examination.gamebook.rules.of(AgreeRule):
        texts = [place for place in rule.sources if isinstance(place, str)]
        if len(texts) > 1:
            yield [place for text in texts for place in examination.nodes(text)]


def _reference(examination: Examination, place: Placed, what: str) -> Reference:
    return Reference(examination.address(*place), place[0].line_of(place[1]), what)
