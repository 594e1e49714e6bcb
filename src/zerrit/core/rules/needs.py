"""What needs something else, and whether before it in a list."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.addresses import parse_node_address
from zerrit.core.documents import Finding
from zerrit.core.documents.file_selection import below
from zerrit.core.documents.selection import select
from zerrit.core.examination.check_context import Unknown
from zerrit.core.examination.condition_fields import Around, with_more
from zerrit.core.examination.word_lists import word_places, words_of
from zerrit.core.nearest import did_you_mean
from zerrit.core.rules.base import Name, Place, Text
from zerrit.core.rules.listed import ListedRule, Named, nowhere, wordless
from zerrit.core.rules.word_uses import ValuesAt, WordUse

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination, Placed


class NeedsRule(ListedRule):
    """Something names others that must be on too, and perhaps before it."""

    part: ClassVar[str] = "needs"
    about: ClassVar[str] = "what needs something else, and whether before it in a list"
    code: ClassVar[str] = "meaning.needs"

    each: Text = Field(description="the address of the entry that says what it needs")
    name: Place = Field(description="the place of its own name")
    requires: Place = Field(description="the place of the names that it needs")
    list_name: Name = Field(alias="list", description="the list of what is on")
    in_order: bool = Field(False, description="what is needed must be before it in that list")
    off_list: str = Field("", description="the list of what is there but switched off, for the message")

    def addresses(self) -> Iterator[Named]:
        yield Named(("each",), self.each)

    def places(self) -> Iterator[Named]:
        yield Named((), self.name)
        yield Named((), self.requires)

    def lists(self) -> Iterator[Named]:
        yield Named(("list",), self.list_name)
        yield Named(("off_list",), self.off_list)

    def word_uses(self) -> Iterator[tuple[str, WordUse]]:
        yield from ((self.list_name, ValuesAt(f"{self.each}/{place}")) for place in (self.name, self.requires))
        if self.off_list:
            yield self.off_list, ValuesAt(f"{self.each}/{self.requires}")

    def sentence(self) -> str:
        order = ", and before it" if self.in_order else ""
        return f"what {self.each} needs is among the {self.list_name}{order}"

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        yield from nowhere(examination, [self.each, f"{self.each}/{self.name}", f"{self.each}/{self.requires}"])
        yield from wordless(examination, self.list_name)

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """What needs something else has it, and before it where the order counts."""
        try:
            documents = examination.sound(self.each)
            on = word_places(examination, self.list_name)
            off = words_of(examination, self.off_list) if self.off_list else ()
        except Unknown:
            return
        yield from examination.findings_of(("needs", number), (*documents, on, off), _needs, self, on, off)


def _needs(
    examination: Examination, rule: NeedsRule, on: Mapping[str, Placed | None], off: tuple[str, ...]
) -> Iterator[Finding]:
    order = {word: position for position, word in enumerate(on)}
    segments = parse_node_address(rule.requires)
    for document, entry in examination.nodes(rule.each):
        named = below(entry, rule.name)
        own = named.value if named is not None else None
        if own is None or own not in order:
            continue
        for node in select(entry, document.keys, segments):
            needed = node.value or ""
            fields = with_more(Around(document, node), needed=needed, own=own)
            if needed not in order:
                message = f"{own} needs {needed}, which is not on."
                if needed in off:
                    hint = f"{needed} is here, but among those switched off ({rule.off_list})."
                else:
                    hint = did_you_mean(needed, on)
                yield examination.finding(rule, "meaning.needs", (document, node), message, hint, fields)
            elif rule.in_order and order[needed] > order[own]:
                place = on[own] or (document, node)
                message = f"{own} is before {needed}, which it needs; {needed} must come first."
                yield examination.finding(rule, "meaning.order", place, message, fields=fields)
