"""
Values with numbers in them: a range (`12..40`) or a quantity with a unit (`3 days`, `25%`).

What a value is, a gamebook says; without one, only the forms that can be nothing else count: two numbers with `..`
between them, and a number with a percent sign. A number alone is a number.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from typing import Final

from zerrit.core.addresses import fits_kind, is_open_kind
from zerrit.core.documents.scalars import MAX_DIGITS, as_number

_NUMBER: Final = r"[-+]?(?:\d+(?:\.\d+)?|\.\d+)"
_BETWEEN: Final = r"\s*(?:\.\.\.?|[–—~-]|\bto\b)\s*"
_RANGE: Final = re.compile(rf"\s*({_NUMBER}){_BETWEEN}({_NUMBER})\s*\Z")
_CLEAR_RANGE: Final = re.compile(rf"\s*({_NUMBER})\s*\.\.\.?\s*({_NUMBER})\s*\Z")
_QUANTITY: Final = re.compile(rf"\s*({_NUMBER})\s*(?![eE]\d)(%|[^\W\d_]\w*(?:[ /-][^\W\d_]+)*)\s*\Z")
_PERCENT: Final = re.compile(rf"\s*({_NUMBER})\s*(%)\s*\Z")
MAX_LENGTH: Final = 3 * MAX_DIGITS  #: of a text that is looked at


class Measure(StrEnum):
    """What a value with numbers in it is."""

    RANGE = "range"
    QUANTITY = "quantity"


@dataclass(frozen=True, slots=True)
class Declared:
    """What a gamebook says of a value. `unit` is the only unit of a quantity; empty where there may be several.

    A quantity that may have several units is no number that could be summed or held against a limit: no one knows how
    many of the one are the other.
    """

    measure: Measure
    unit: str = ""


@dataclass(frozen=True, slots=True)
class Measured:
    """A value with its numbers: of a range both ends; of a number or a quantity twice the same.

    `spans` are the places of the numbers in `text`: two of a range, else one. `unit` is empty for all but a quantity.
    """

    text: str
    low: Decimal
    high: Decimal
    spans: tuple[tuple[int, int], ...]
    unit: str = ""

    @property
    def is_range(self) -> bool:
        return len(self.spans) == 2

    def respelled(self, spell: Callable[[int, Decimal, str], str]) -> str:
        """The same text with each number as `spell(index, number, as it was written)` gives it."""
        parts, end = [], 0
        for index, (start, stop) in enumerate(self.spans):
            number = self.high if index else self.low
            parts += [self.text[end:start], spell(index, number, self.text[start:stop])]
            end = stop
        return "".join(parts) + self.text[end:]


class MeasuredText(str):
    """The text of a value of which a gamebook says what it is; everything else takes it for the text."""

    declared: Declared

    def __new__(cls, text: str, declared: Declared) -> MeasuredText:
        own = super().__new__(cls, text)
        own.declared = declared
        return own


def measured(text: str, measure: Measure | None = None) -> Measured | None:
    """The numbers of a value, where it is a number or what `measure` says; None where it is neither.

    Without `measure` only what can be nothing else is taken for more than a number: `1..3` and `25%`.
    """
    if len(text) > MAX_LENGTH:
        return None
    number = as_number(text)
    if number is not None:
        start = len(text) - len(text.lstrip())
        return Measured(text, number, number, ((start, len(text.rstrip())),))
    ranged = None if measure is Measure.QUANTITY else (_CLEAR_RANGE if measure is None else _RANGE).match(text)
    if ranged is not None:
        return _of(text, ranged.span(1), ranged.span(2))
    if measure is Measure.RANGE:
        return None
    found = (_PERCENT if measure is None else _QUANTITY).match(text)
    return _of(text, found.span(1), unit=found[2]) if found is not None else None


def _of(text: str, *spans: tuple[int, int], unit: str = "") -> Measured | None:
    numbers = [as_number(text[start:stop]) for start, stop in spans]
    if None in numbers:
        return None  # longer than any number that a game counts with
    first, last = numbers[0], numbers[-1]
    return Measured(text, first or Decimal(0), last or Decimal(0), spans, unit)


def reckoned(text: str, declared: Declared | None = None) -> Measured | None:
    """The numbers of a value, where they can be reckoned with: a number, a range, a quantity of the one unit it may have."""
    if declared is None and isinstance(text, MeasuredText):
        declared = text.declared
    found = measured(text, declared.measure if declared is not None else None)
    return None if found is not None and found.unit and (declared is None or found.unit != declared.unit) else found


def amount(text: str, declared: Declared | None = None) -> Decimal | None:
    """The number that a value counts as in a sum: its number, or the upper end of its range."""
    number = as_number(text)
    if number is not None:
        return number
    found = reckoned(text, declared)
    return found.high if found is not None else None


def delta(old: str, new: str, declared: Declared | None = None) -> str:
    """How far a value moved: `+10`, `+1 days`, `lower end +2, upper end +10`; empty where that cannot be said."""
    measure = declared.measure if declared is not None else None
    before, after = measured(old, measure), measured(new, measure)
    if before is None or after is None or before.unit != after.unit:
        return ""
    unit = before.unit if before.unit in ("", "%") else f" {before.unit}"
    if not before.is_range and not after.is_range:
        return f"{after.high - before.high:+f}{unit}"
    ends = (("lower", after.low - before.low), ("upper", after.high - before.high))
    return ", ".join(f"{name} end {moved:+f}" for name, moved in ends if moved)


class Measures:
    """What the values of a document are, by the names that lead to them; an empty name stands for any."""

    def __init__(self, given: Mapping[tuple[str, ...], Declared] | None = None) -> None:
        given = given or {}
        self._exact = given
        self._open = {names: one for names, one in given.items() if is_open_kind(names)}

    def __bool__(self) -> bool:
        return bool(self._exact)

    def of(self, names: Sequence[str]) -> Declared | None:
        """What a gamebook says of the values with these names."""
        if not self._exact:
            return None
        found = self._exact.get(tuple(names))
        if found is None and self._open:
            found = next((one for kind, one in self._open.items() if fits_kind(names, kind)), None)
        return found
