"""Lists that must be equally long, and numbers that say how long a list is."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.addresses import parse_node_address
from zerrit.core.documents import Document, Finding, Node
from zerrit.core.documents.file_selection import place_below
from zerrit.core.documents.scalars import as_number
from zerrit.core.documents.selection import select
from zerrit.core.examination.check_context import Unknown
from zerrit.core.rules.base import Place, Text
from zerrit.core.rules.listed import Fault, ListedRule, Named
from zerrit.core.wording import counted

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class CountRule(ListedRule):
    """In each entry several lists are equally long, since they go by number, or a number says how long a list is."""

    part: ClassVar[str] = "counts"
    about: ClassVar[str] = "lists that are equally long, and numbers that say how long a list is"
    code: ClassVar[str] = "meaning.count"

    each: Text = Field(description="the address of the entries")
    of: tuple[Place, ...] = Field(
        (), description="the places of the lists, or of what is counted as a pattern: `need[*]`, `items/*`"
    )
    number: str = Field("", description="the place of the number that says how many there are")

    def addresses(self) -> Iterator[Named]:
        yield Named(("each",), self.each)

    def places(self) -> Iterator[Named]:
        yield from (Named(("of",), place) for place in self.of)
        if self.number:
            yield Named(("number",), self.number)

    def faults(self) -> Iterator[Fault]:
        least = 1 if self.number else 2
        if len(self.of) < least:
            yield Fault(("of",), "Name two lists or more." if least == 2 else "Name what is counted.")

    def sentence(self) -> str:
        if self.number:
            return f"{self.each}: {self.number} says how many {' and '.join(self.of)} have"
        return f"{self.each}: {' and '.join(self.of)} are equally long"

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """All lists of an entry are equally long, and as long as its number says."""
        try:
            documents = examination.sound(self.each)
        except Unknown:
            return
        yield from examination.findings_of(("counts", number), tuple(documents), _uneven, self)


def _uneven(examination: Examination, rule: CountRule) -> Iterator[Finding]:
    for document, entry in examination.nodes(rule.each):
        lengths = {place: _length(document, entry, place) for place in rule.of}
        there = {place: many for place, many in lengths.items() if many is not None}
        at = place_below(document, entry, rule.number) if rule.number else None
        said = as_number(at.value or "") if at is not None else None
        if at is not None and said is not None:
            for place, many in there.items():
                if many != said:
                    message = f"{rule.number} is {said:f}, and {place} has {counted(many, 'value')}."
                    yield examination.finding(rule, "meaning.count", (document, at), message)
        elif not rule.number and len(set(there.values())) > 1:
            shown = ", ".join(f"{place} has {counted(many, 'value')}" for place, many in there.items())
            message = f"{shown}; they go by number, so they have to be equally long."
            yield examination.finding(rule, "meaning.count", (document, entry), message)


def _length(document: Document, entry: Node, place: str) -> int | None:
    """How many there are of what is at a place: the items of one list, or several of one name; None where it is not there."""
    segments = parse_node_address(place)
    found = select(entry, document.keys, segments)
    if not found:
        return 0 if any(segment.is_pattern for segment in segments) else None
    if len(found) == 1 and not found[0].is_value and not any(segment.is_pattern for segment in segments):
        return len([child for child in found[0].children if not child.name.startswith("@")])
    return len(found)
