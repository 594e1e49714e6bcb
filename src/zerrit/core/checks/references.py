"""What a place refers to, and what refers to it, by the rules of the gamebook."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from zerrit.core.checks.word_families import word_families
from zerrit.core.documents import Document, Node
from zerrit.core.examination.check_context import Examination, Placed, Unknown
from zerrit.core.examination.word_lists import word_places
from zerrit.core.rules import AgreeRule, ValuesAt


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
    for list_name, use, places in _users(examination):
        for where, user in places:
            if where is document and id(user) in inside and user.value is not None:
                try:
                    target = word_places(examination, list_name).get(use.word_in(user.value) or "")
                except Unknown:
                    continue
                if target is not None:
                    yield _reference(examination, target, list_name)
    for places in _agreeing(examination):
        if any(id(one) in inside for _, one in places):
            yield from (_reference(examination, p, "must be the same word") for p in places if id(p[1]) not in inside)


def _referred_by(examination: Examination, document: Document, node: Node) -> Iterator[Reference]:
    inside = {id(below) for below in node.walk()}
    for list_name, use, places in _users(examination):
        try:
            words = word_places(examination, list_name)
        except Unknown:
            continue
        own = {word for word, place in words.items() if place is not None and id(place[1]) in inside}
        if document.path.rpartition("/")[2].rpartition(".")[0] in words and node.parent is None:
            own.add(document.path.rpartition("/")[2].rpartition(".")[0])
        for place in places:
            if use.word_in(place[1].value or "") in own and id(place[1]) not in inside:
                yield _reference(examination, place, list_name)


def _users(examination: Examination) -> Iterator[tuple[str, ValuesAt, list[Placed]]]:
    """Every list with the places whose values must be words of it."""
    for family in word_families(examination):
        for use in family.uses if family.sources or family.fixed else ():
            if isinstance(use, ValuesAt):
                yield family.what, use, list(use.all(examination))


def _agreeing(examination: Examination) -> Iterator[list[Placed]]:
    for rule in examination.gamebook.rules.of(AgreeRule):
        texts = [place for place in rule.sources if isinstance(place, str)]
        if len(texts) > 1:
            yield [place for text in texts for place in examination.nodes(text)]


def _reference(examination: Examination, place: Placed, what: str) -> Reference:
    return Reference(examination.address(*place), place[0].line_of(place[1]), what)
