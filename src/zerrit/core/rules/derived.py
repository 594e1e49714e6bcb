"""Values that the game works out."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, ClassVar, Final

from pydantic import Field

from zerrit.core.addresses import parse_address, quote_name
from zerrit.core.documents import Document, Finding, Node
from zerrit.core.documents.scalars import as_number
from zerrit.core.examination.check_context import Unknown
from zerrit.core.examination.condition_fields import Around
from zerrit.core.examination.entry_rows import Column, Rows
from zerrit.core.expressions import ExpressionInvalid
from zerrit.core.expressions.address_templates import (
    OWN_NAME,
    THERE,
    filled_address,
    filled_with,
    needs_entry,
    places_in,
    with_any,
)
from zerrit.core.expressions.exact import parse_exact
from zerrit.core.nearest import did_you_mean
from zerrit.core.rules.base import Name, Part, Sources, Text, Texts
from zerrit.core.rules.listed import Fault, ListedRule, Named, nowhere

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class BetweenRules(Part):
    """A value moves along a line between two thresholds: at `low` it is `at_low` times as much, at `high` `at_high`.

    Without `high` one place with a range, such as `5..30`. Each is a number, a place below the entry, or an address with
    {field} in it; of several the first that there is.
    """

    low: Sources
    high: Sources = ()
    at_low: Sources
    at_high: Sources
    percent: bool = Field(False, description="`at_low` and `at_high` are in per cent: 80 is 0.8")

    @property
    def fault(self) -> str:
        """What is wrong where an entry has no thresholds."""
        low, high = (" or ".join(given) for given in (self.low, self.high))
        return f"{low} and {high} are not numbers" if self.high else f"{low} is not a range"

    def sources(self) -> Iterator[str]:
        """Every place and address in it."""
        for given in (self.low, self.high, self.at_low, self.at_high):
            yield from (text for text in given if not is_number(text))


def is_number(text: str) -> bool:
    """Whether a source is a plain number, such as `5` or `80%`."""
    return as_number(text.removesuffix("%")) is not None


class DerivedRules(ListedRule):
    """A value that the game works out: `value` of `each` entry, or what is at `fallback` where that is `sentinel`.

    Of several fallbacks each is looked at where the one before sends the game on. In them, {field} is the entry's own
    field, and {there.field} one of the entry to which the fallback before it led. `result` makes the value out of it and of
    `inputs`; in it, `value` is what was found and `amount` the stock that is asked for.
    """

    part: ClassVar[str] = "derived"
    about: ClassVar[str] = "values that the game works out"
    code: ClassVar[str] = "meaning.sentinel"

    name: Name
    each: Text
    value: Text
    sentinel: str = Field("", description="the word that sends the game to look elsewhere")
    where_absent: bool = Field(False, description="a value that is not there sends the game to look elsewhere, too")
    fallback: Texts = Field((), description="the address where it looks then; or several, one after the other")
    between: BetweenRules | None = None
    inputs: dict[Name, Sources] = Field({}, description="more numbers, by the names that `result` has for them")
    result: str = Field(
        "", max_length=500, description="such as `value * (1 + tax / 100)`; without it, the value itself"
    )
    thing: str = Field("", description="the place of what the value is of; without it, what the entry is called")
    at: str = Field(
        "", description="the place, or the field around it, that says where the value holds, such as a shop"
    )

    @property
    def title(self) -> str:
        return self.name

    def addresses(self) -> Iterator[Named]:
        yield Named(("each",), self.each)

    def places(self) -> Iterator[Named]:
        yield Named(("value",), self.value)
        for key, text in self.sources():
            if "#" not in text:
                yield Named((key,), text)

    def sources(self) -> Iterator[tuple[str, str]]:
        """Where else numbers come from, each with the key in the rule."""
        if self.between is not None:
            yield from (("between", text) for text in self.between.sources())
        yield from (("inputs", text) for given in self.inputs.values() for text in given if not is_number(text))

    def faults(self) -> Iterator[Fault]:
        if self.result:
            yield from self._faults_of_result()
        elif self.inputs:
            yield Fault(("inputs",), "`inputs` are for `result`, which is not given.")
        if self.fallback and "{there." in self.fallback[0]:
            yield Fault(("fallback",), "The first fallback has none before it, so there is no {there.…}.")
        if bool(self.sentinel or self.where_absent) is not bool(self.fallback):
            yield Fault((), "`fallback` goes together with `sentinel` or `where_absent`.")

    def _faults_of_result(self) -> Iterator[Fault]:
        try:
            names = parse_exact(self.result).names
        except ExpressionInvalid as error:
            yield Fault(("result",), f"{error}.")
            return
        for name in sorted(names - {"value", "amount", *self.inputs}):
            known = ("value", "amount", *self.inputs)
            yield Fault(("result",), f"`result` uses {name}, which is not one of {', '.join(known)}.", name, known)

    def sends_on(self, text: str | None) -> bool:
        """Whether a value, None where there is none, sends the game to look elsewhere."""
        return self.where_absent if text is None else bool(self.sentinel) and text == self.sentinel

    def sentence(self) -> str:
        words = [f"is {self.sentinel}" if self.sentinel else "", "is not there" if self.where_absent else ""]
        return (
            f"{self.each}: where {self.value} {' or '.join(filter(None, words))}, it is at {', '.join(self.fallback)}"
        )

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        yield from nowhere(examination, [self.each, *([] if self.where_absent else [f"{self.each}/{self.value}"])])

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """Where a value sends the game to look elsewhere, there is something elsewhere."""
        if not self.fallback:
            return
        try:
            elsewhere = [document for address in self.fallback for document in examination.sound(address)]
            examination.sound(self.each)
        except Unknown:
            return
        reached: dict[str, list[str]] = {}
        for document in examination.matching(self.each.partition("#")[0]):
            yield from examination.findings_of(
                ("derived", number, document.path), (document, *elsewhere), _derived, document, self, reached
            )


def _derived(
    examination: Examination, document: Document, rule: DerivedRules, reached: dict[str, list[str]]
) -> Iterator[Finding]:
    rows = Rows.of(examination, document, rule.each.partition("#")[2])
    column = rows.column(rule.value)
    places = (place for fallback in rule.fallback for place in places_in(fallback))
    own = {place: rows.column(place) for place in places if not place.startswith(THERE) and place != OWN_NAME}
    for index, number in _sent_on(column, rule):
        dead_end = _dead_end(examination, rule, rows, index, own, reached)
        if dead_end is None:
            continue
        holder = column.node(index, number) if number is not None else rows.node(index)
        elsewhere, fallback = dead_end
        cause = f"`{rule.sentinel}`" if number is not None else f"Without {rule.value}, this"
        if elsewhere in reached and len(reached[elsewhere]) == 1:
            message = f"{cause} sends the game to {elsewhere}, where `{reached[elsewhere][0]}` leads nowhere."
        elif len(reached.get(elsewhere, ())) > 1:
            message = f"{cause} sends the game to {elsewhere}, where there are {len(reached[elsewhere])} values."
        else:
            message = f"{cause} sends the game to {elsewhere or fallback}, but nothing is there."
        wanted = parse_address(elsewhere).segments[-1].name if elsewhere else ""
        hint = did_you_mean(wanted, _beside(examination, fallback))
        yield examination.finding(rule, "meaning.sentinel", (document, holder), message, hint, Around(document, holder))


def _sent_on(column: Column, rule: DerivedRules) -> Iterator[tuple[int, int | None]]:
    """The entries whose value sends the game elsewhere, with the number of the value; None where it is not there."""
    if rule.sentinel:
        yield from ((index, number) for index, number, text in column if text == rule.sentinel)
    if rule.where_absent:
        yield from ((index, None) for index in column.absent())


def _dead_end(
    examination: Examination,
    rule: DerivedRules,
    rows: Rows,
    index: int,
    own: Mapping[str, Column],
    reached: dict[str, list[str]],
) -> tuple[str, str] | None:
    """The last address to which an entry leads and its pattern, where it has no value; None where there is one."""
    elsewhere = fallback = ""
    for fallback in rule.fallback:
        filled = {place: own[place].values(index) for place in places_in(fallback) if place in own}
        if needs_entry(fallback):
            elsewhere = filled_address(fallback, rows.node(index), _there(examination, elsewhere))
        elif all(len(values) == 1 for values in filled.values()):
            elsewhere = filled_with(fallback, {place: values[0] for place, values in filled.items()})
        else:
            elsewhere = filled_address(fallback, rows.node(index))
        _look_up_names(examination, fallback, reached)
        if elsewhere not in reached:
            is_name = _LAST_IS_NAME.fullmatch(fallback) is not None  # of which all that there are were looked up
            nodes = [node for _, node in examination.nodes(elsewhere)] if elsewhere and not is_name else []
            reached[elsewhere] = [node.value for node in nodes if node.value is not None]
        found = reached[elsewhere]
        if len(found) > 1 or not rule.sends_on(found[0] if found else None):
            return None if len(found) == 1 else (elsewhere, fallback)
    return elsewhere, fallback


def _there(examination: Examination, elsewhere: str) -> Node | None:
    """The entry in which the one value at an address is."""
    nodes = [node for _, node in examination.nodes(elsewhere)] if elsewhere else []
    return nodes[0].parent if len(nodes) == 1 else None


_LAST_IS_NAME: Final = re.compile(r"([^{}]*/)\{[^{}]+\}")


def _look_up_names(examination: Examination, fallback: str, reached: dict[str, list[str]]) -> None:
    """All that a fallback such as `prices.json#prices/{name}` can lead to, in one go."""
    found = _LAST_IS_NAME.fullmatch(fallback)
    if found is None or fallback in reached:
        return
    reached[fallback] = []
    for _, node in examination.nodes(with_any(fallback)):
        if node.value is not None:
            reached.setdefault(f"{found[1]}{quote_name(node.name)}", []).append(node.value)


def _beside(examination: Examination, fallback: str) -> list[str]:
    """The names that there are where the value should be."""
    parent = with_any(fallback)
    return [document.keys.key_of(node) or node.name for document, node in examination.nodes(parent)]
