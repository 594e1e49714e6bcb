"""
Values that a game works out from several places: with a sentinel word that means "look elsewhere", along a line between two
thresholds, and with factors and fees that stand in other files.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction

from zerrit.core.documents.document import Document, declared_text
from zerrit.core.documents.file_selection import field_above, place_below, values_at
from zerrit.core.documents.measures import reckoned
from zerrit.core.documents.node import Node
from zerrit.core.errors import FigureRefused
from zerrit.core.expressions import ExpressionInvalid
from zerrit.core.expressions.address_templates import filled_address
from zerrit.core.expressions.exact import parse_exact
from zerrit.core.gamebooks import Gamebook
from zerrit.core.rules import BetweenRules, DerivedRules
from zerrit.core.rules.derived import is_number


@dataclass(frozen=True, slots=True)
class DerivedRow:
    """One entry's value. `source` is the address that it came from; `fault` says why there is none.

    `thing` is what the value is of, `place` where it holds. `low` and `high` are the thresholds with the value at each, where the
    rule has thresholds. `inputs` are the other numbers, each with the address that it came from.
    """

    address: str
    source: str
    value: Fraction | None
    low: tuple[Fraction, Fraction] | None = None
    high: tuple[Fraction, Fraction] | None = None
    fault: str = ""
    thing: str = ""
    place: str = ""
    result: str = ""
    inputs: Mapping[str, tuple[Fraction, str]] = field(default_factory=dict)

    def at(self, amount: Fraction | None) -> Fraction | None:
        """The value for an amount, such as the stock of a store; without one, where no amount is needed."""
        found = self.value
        if found is not None and amount is not None and self.low is not None and self.high is not None:
            found = between(amount, *self.low, *self.high)
        if found is None or not self.result:
            return found
        numbers = {"value": found, **{name: number for name, (number, _) in self.inputs.items()}}
        if amount is not None:
            numbers["amount"] = amount
        expression = parse_exact(self.result)
        if not expression.names <= numbers.keys():
            return None
        try:
            return expression.value(numbers)
        except ExpressionInvalid:
            return None


def between(x: Fraction, x0: Fraction, y0: Fraction, x1: Fraction, y1: Fraction) -> Fraction:
    """The value at `x` on the line from (x0, y0) to (x1, y1); outside of the two thresholds that of the nearer one.

    Linear interpolation in exact fractions. With equal thresholds there is a step: y0 up to it, y1 above.
    """
    if x0 > x1:
        x0, y0, x1, y1 = x1, y1, x0, y0
    if x <= x0:
        return y0
    if x >= x1:
        return y1
    return y0 + (y1 - y0) * (x - x0) / (x1 - x0)


def derive(gamebook: Gamebook, documents: Mapping[str, Document], name: str) -> list[DerivedRow]:
    """The derived value called `name` of every entry that the gamebook gives one.

    Raises FigureRefused: the gamebook has no such rule, or nothing is at its place.
    """
    rules = next((rule for rule in gamebook.rules.of(DerivedRules) if rule.name == name), None)
    if rules is None:
        known = ", ".join(rule.name for rule in gamebook.rules.of(DerivedRules)) or "none"
        raise FigureRefused(f"The gamebook derives no value called {name}. It has: {known}.")
    deriver = _Deriver(rules, documents)
    rows = [deriver.row(document, node) for document, node in values_at(rules.each, documents)]
    if not rows:
        raise FigureRefused(f"Nothing is at {rules.each}, where the gamebook looks for what has a {name}.")
    return rows


@dataclass(slots=True)
class _Deriver:
    rules: DerivedRules
    documents: Mapping[str, Document]
    _looked_up: dict[str, list[tuple[Document, Node]]] = field(default_factory=dict)

    def row(self, document: Document, node: Node) -> DerivedRow:
        rules = self.rules
        source, text, fault = self._followed(document, node)
        number = _one_number(text) if text is not None else None
        if text is not None and number is None:
            fault = f"`{text}` is not a number"
        low = high = None
        inputs: dict[str, tuple[Fraction, str]] = {}
        if number is not None:
            fault = ""
            if rules.between is not None:
                low, high, fault = self._line(document, node, rules.between, number)
            for name, given in rules.inputs.items():
                found, at, missing = self._number(document, node, given)
                if found is None:
                    fault = fault or f"{name}: {missing}"
                else:
                    inputs[name] = (found, at)
        key = document.keys.key_of(node) or node.name.removeprefix("@")
        thing = self._word(document, node, rules.thing) if rules.thing else key
        place = self._word(document, node, rules.at) if rules.at else ""
        address = f"{document.path}#{document.keys.address_of(node)}"
        result = rules.result if len(inputs) == len(rules.inputs) else ""
        value = number if number is None or len(inputs) == len(rules.inputs) else None
        return DerivedRow(address, source, value, low, high, fault, thing, place, result, inputs)

    def _word(self, document: Document, node: Node, place: str) -> str:
        found = place_below(document, node, place)
        return (found.value if found is not None else field_above(node, place)) or ""

    def _followed(self, document: Document, node: Node) -> tuple[str, str | None, str]:
        """Where the value of an entry comes from, the value, and why there is none."""
        rules = self.rules
        holder = place_below(document, node, rules.value)
        if holder is None and rules.value == ".":
            holder = node
        source, text = "", None
        if holder is not None and holder.value is not None:
            source, text = f"{document.path}#{document.keys.address_of(holder)}", declared_text(document, holder)
        there: Node | None = None
        for fallback in rules.fallback:
            if not rules.sends_on(text):
                break
            source = filled_address(fallback, node, there)
            found = self._at(source)
            if len(found) > 1 or not source:
                return source, None, f"{source or fallback} does not lead to one value"
            text = declared_text(*found[0]) if found else None
            there = found[0][1].parent if found else None
        return source, text, f"{source} does not lead to one value" if source else f"it has no {rules.value}"

    def _at(self, address: str) -> list[tuple[Document, Node]]:
        if not address:
            return []
        if address not in self._looked_up:
            self._looked_up[address] = [one for one in values_at(address, self.documents) if one[1].value is not None]
        return self._looked_up[address]

    def _number(
        self, document: Document, node: Node, sources: Sequence[str], *, percent: bool = False
    ) -> tuple[Fraction | None, str, str]:
        """The first number that there is among several sources, where it came from, and why there is none."""
        there: Node | None = None
        for text in sources:
            if is_number(text):
                return _share(text, percent=percent), text, ""
            if "#" in text:
                source = filled_address(text, node, there)
                found = self._at(source)
                if len(found) > 1:
                    return None, source, f"{source} leads to {len(found)} values"
                value = declared_text(*found[0]) if found else None
                there = found[0][1].parent if found else there
            else:
                own = place_below(document, node, text)
                source = f"{document.path}#{document.keys.address_of(own)}" if own is not None else text
                value = declared_text(document, own) if own is not None and own.value is not None else None
            if value is None or (self.rules.sentinel and value == self.rules.sentinel):
                continue
            number = _share(value, percent=percent)
            return number, source, "" if number is not None else f"`{value}` at {source} is not a number"
        return None, "", f"nothing is at {' or '.join(sources)}"

    def _line(
        self, document: Document, node: Node, rules: BetweenRules, value: Fraction
    ) -> tuple[tuple[Fraction, Fraction] | None, tuple[Fraction, Fraction] | None, str]:
        """The two thresholds with the value at each, and why there are none."""
        if rules.high:
            (low, _, _), (high, _, _) = (self._number(document, node, given) for given in (rules.low, rules.high))
        else:
            low, high = self._ends(document, node, rules.low)
        if low is None or high is None:
            return None, None, rules.fault
        at_low, _, no_low = self._number(document, node, rules.at_low, percent=rules.percent)
        at_high, _, no_high = self._number(document, node, rules.at_high, percent=rules.percent)
        if at_low is None or at_high is None:
            return None, None, no_low or no_high
        return (low, value * at_low), (high, value * at_high), ""

    def _ends(self, document: Document, node: Node, sources: Sequence[str]) -> tuple[Fraction | None, Fraction | None]:
        """The two ends of a range."""
        for text in sources:
            if "#" in text:
                found = self._at(filled_address(text, node))
            else:
                own = place_below(document, node, text)
                found = [(document, own)] if own is not None and own.value is not None else []
            ends = reckoned(declared_text(*found[0])) if len(found) == 1 else None
            if ends is not None and ends.is_range:
                return Fraction(ends.low), Fraction(ends.high)
        return None, None


def _share(text: str, *, percent: bool) -> Fraction | None:
    """The number of a text; one in per cent, or that is meant so, is a hundredth of it."""
    is_share = text.rstrip().endswith("%")
    number = _one_number(text.rstrip().removesuffix("%")) if is_share else _one_number(text)
    return number / 100 if number is not None and (is_share or percent) else number


def _one_number(text: str) -> Fraction | None:
    """The number of a value, also of a quantity; a range is not one number."""
    found = reckoned(text)
    return Fraction(found.high) if found is not None and not found.is_range else None
