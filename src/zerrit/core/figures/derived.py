"""
Values that a game works out from several places: with a sentinel word that means "look elsewhere", and along a line
between two thresholds.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction

from zerrit.core.documents.document import Document, declared_text
from zerrit.core.documents.file_selection import below, values_at
from zerrit.core.documents.measures import reckoned
from zerrit.core.documents.node import Node
from zerrit.core.errors import FigureRefused
from zerrit.core.expressions.address_templates import filled_address
from zerrit.core.gamebooks import Gamebook
from zerrit.core.rules import BetweenRules, DerivedRules


@dataclass(frozen=True, slots=True)
class DerivedRow:
    """One entry's value. `source` is the address that it came from; `fault` says why there is none.

    `low` and `high` are the thresholds with the value at each, where the rule has thresholds.
    """

    address: str
    source: str
    value: Fraction | None
    low: tuple[Fraction, Fraction] | None = None
    high: tuple[Fraction, Fraction] | None = None
    fault: str = ""

    def at(self, amount: Fraction) -> Fraction | None:
        """The value for an amount, such as the stock of a store."""
        if self.value is None or self.low is None or self.high is None:
            return self.value
        return between(amount, *self.low, *self.high)


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

    Raises FigureRefused: the gamebook has no such rule.
    """
    rules = next((rule for rule in gamebook.rules.of(DerivedRules) if rule.name == name), None)
    if rules is None:
        known = ", ".join(rule.name for rule in gamebook.rules.of(DerivedRules)) or "none"
        raise FigureRefused(f"The gamebook derives no value called {name}. It has: {known}.")
    return [_row(document, node, rules, documents) for document, node in values_at(rules.each, documents)]


def _row(document: Document, node: Node, rules: DerivedRules, documents: Mapping[str, Document]) -> DerivedRow:
    address = f"{document.path}#{document.keys.address_of(node)}"
    source, text, fault = _followed(document, node, rules, documents)
    if text is None:
        return DerivedRow(address, source, None, fault=fault)
    number = _one_number(text)
    if number is None:
        return DerivedRow(address, source, None, fault=f"`{text}` is not a number")
    value = Fraction(number)
    if rules.between is None:
        return DerivedRow(address, source, value)
    low, high = _thresholds(document, node, rules.between)
    if low is None or high is None:
        return DerivedRow(address, source, value, fault=rules.between.fault)
    at_low, at_high = Fraction(rules.between.at_low), Fraction(rules.between.at_high)
    return DerivedRow(address, source, value, (Fraction(low), value * at_low), (Fraction(high), value * at_high))


def _followed(
    document: Document, node: Node, rules: DerivedRules, documents: Mapping[str, Document]
) -> tuple[str, str | None, str]:
    """Where the value of an entry comes from, the value, and why there is none."""
    holder = below(node, rules.value)
    source, text = "", None
    if holder is not None and holder.value is not None:
        source, text = f"{document.path}#{document.keys.address_of(holder)}", declared_text(document, holder)
    for fallback in rules.fallback:
        if not rules.sends_on(text):
            break
        source = filled_address(fallback, node)
        found = [one for one in values_at(source, documents) if one[1].value is not None] if source else []
        if len(found) > 1 or not source:
            return source, None, f"{source or fallback} does not lead to one value"
        text = declared_text(*found[0]) if found else None
    return source, text, f"{source} does not lead to one value" if source else f"it has no {rules.value}"


def _thresholds(document: Document, node: Node, rules: BetweenRules) -> tuple[Decimal | None, Decimal | None]:
    if rules.high:
        return _amount(document, node, rules.low), _amount(document, node, rules.high)
    found = below(node, rules.low)
    ends = reckoned(declared_text(document, found)) if found is not None and found.value is not None else None
    return (ends.low, ends.high) if ends is not None and ends.is_range else (None, None)


def _amount(document: Document, node: Node, place: str) -> Decimal | None:
    found = below(node, place)
    return _one_number(declared_text(document, found)) if found is not None and found.value is not None else None


def _one_number(text: str) -> Decimal | None:
    """The number of a value, also of a quantity; a range is not one number."""
    found = reckoned(text)
    return found.high if found is not None and not found.is_range else None
