"""Values that the game works out."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.addresses import parse_address
from zerrit.core.documents import Document, Finding
from zerrit.core.examination.check_context import Unknown
from zerrit.core.examination.condition_fields import Around
from zerrit.core.examination.entry_rows import Rows
from zerrit.core.expressions.address_templates import filled_address, filled_with, places_in, with_any
from zerrit.core.nearest import did_you_mean
from zerrit.core.rules.base import Name, Part, Text
from zerrit.core.rules.listed import Fault, ListedRule, Named, nowhere

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class BetweenRules(Part):
    """A value moves along a line between two thresholds: at `low` it is `at_low` times as much, at `high` `at_high`."""

    low: Text
    high: Text
    at_low: Decimal
    at_high: Decimal


class DerivedRules(ListedRule):
    """A value that the game works out: `value` of `each` entry, or what is at `fallback` where that is `sentinel`.

    In `fallback`, {field} is the entry's own field.
    """

    part: ClassVar[str] = "derived"
    about: ClassVar[str] = "values that the game works out"
    code: ClassVar[str] = "meaning.sentinel"

    name: Name
    each: Text
    value: Text
    sentinel: str = Field("", description="the word that sends the game to look elsewhere")
    fallback: str = Field("", description="the address where it looks then")
    between: BetweenRules | None = None

    @property
    def title(self) -> str:
        return self.name

    def addresses(self) -> Iterator[Named]:
        yield Named(("each",), self.each)

    def places(self) -> Iterator[Named]:
        yield Named(("value",), self.value)
        if self.between is not None:
            yield Named(("between",), self.between.low)
            yield Named(("between",), self.between.high)

    def faults(self) -> Iterator[Fault]:
        if bool(self.sentinel) is not bool(self.fallback):
            yield Fault((), "`sentinel` and `fallback` go together.")

    def sentence(self) -> str:
        return f"{self.each}: where {self.value} is {self.sentinel}, it is at {self.fallback}"

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        yield from nowhere(examination, [self.each, f"{self.each}/{self.value}"])

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """Where a value has the word that means "look elsewhere", there is something elsewhere."""
        if not self.sentinel:
            return
        try:
            elsewhere = examination.sound(self.fallback)
            examination.sound(self.each)
        except Unknown:
            return
        reached: dict[str, bool] = {}
        for document in examination.matching(self.each.partition("#")[0]):
            yield from examination.findings_of(
                ("derived", number, document.path), (document, *elsewhere), _derived, document, self, reached
            )


def _derived(
    examination: Examination, document: Document, rule: DerivedRules, reached: dict[str, bool]
) -> Iterator[Finding]:
    rows = Rows.of(examination, document, rule.each.partition("#")[2])
    column = rows.column(rule.value)
    own = {place: rows.column(place) for place in places_in(rule.fallback)}
    for index, number, text in column:
        if text != rule.sentinel:
            continue
        filled = {place: one.values(index) for place, one in own.items()}
        if all(len(values) == 1 for values in filled.values()):
            elsewhere = filled_with(rule.fallback, {place: values[0] for place, values in filled.items()})
        else:
            elsewhere = filled_address(rule.fallback, rows.node(index))
        if elsewhere not in reached:
            reached[elsewhere] = bool(elsewhere) and any(
                node.value is not None for _, node in examination.nodes(elsewhere)
            )
        if reached[elsewhere]:
            continue
        holder = column.node(index, number)
        message = f"`{rule.sentinel}` sends the game to {elsewhere or rule.fallback}, but nothing is there."
        wanted = parse_address(elsewhere).segments[-1].name if elsewhere else ""
        hint = did_you_mean(wanted, _beside(examination, rule))
        yield examination.finding(rule, "meaning.sentinel", (document, holder), message, hint, Around(document, holder))


def _beside(examination: Examination, rule: DerivedRules) -> list[str]:
    """The names that there are where the value should be."""
    parent = with_any(rule.fallback)
    return [document.keys.key_of(node) or node.name for document, node in examination.nodes(parent)]
