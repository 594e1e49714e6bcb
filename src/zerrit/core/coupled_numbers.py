"""
Numbers of one entry that move together when one of them is set: `floor <= want`, or two in one proportion.

An order is kept by moving what a new value has passed: where `want` becomes less than `floor`, `floor` becomes `want`. A
proportion is kept by multiplying the others by new / old, in exact fractions, rounded (a half away from zero) to as many
decimals as each is written with. Values that are not numbers stay as they are.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal, localcontext
from fractions import Fraction
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.file_selection import place_below, values_at
from zerrit.core.documents.node import Node
from zerrit.core.documents.scalars import as_number
from zerrit.core.documents.value_edits import Edit, place_of, set_each
from zerrit.core.errors import EditRefused

_ORDER: Final = re.compile(r"\s*<=\s*")
_DIGITS: Final = 60  # of a number that follows, which is far more than any file holds


@dataclass(frozen=True, slots=True)
class Coupling:
    """Fields of an entry, either in an `order` from the smallest to the largest, or in one `ratio`.

    `each` is the address of the entries; empty for the entries of the values that are set.
    """

    order: tuple[str, ...] = ()
    ratio: tuple[str, ...] = ()
    each: str = ""

    @property
    def fields(self) -> tuple[str, ...]:
        return self.order or self.ratio

    def __str__(self) -> str:
        return " <= ".join(self.order) if self.order else f"the proportion of {', '.join(self.ratio)}"


def order_in(text: str) -> tuple[str, ...]:
    """The fields of an order such as `floor <= want <= top`; none where the text is not one."""
    fields = tuple(part.strip() for part in _ORDER.split(text))
    is_order = len(fields) > 1 and all(fields) and not any(set(one) & set("<>=!") for one in fields)
    return fields if is_order else ()


def set_coupled(
    document: Document, nodes: Sequence[Node], new_of: Callable[[Node, str], str], couplings: Sequence[Coupling]
) -> Edit:
    """Give every value another one, and move the numbers that are coupled with them.

    Raises EditRefused: also where two couplings, or two values that are set, want different numbers.
    """
    planned: dict[int, tuple[Node, str]] = {}

    def noted(node: Node, old: str) -> str:
        new = new_of(node, old)
        planned[id(node)] = (node, new)
        return new

    alone = set_each(document, nodes, noted)
    entries = {one: _entries(document, one) for one in couplings if one.each}
    waiting = list(planned.values())
    is_set = set(planned)
    while waiting:
        node, _ = waiting.pop()
        for coupling in couplings:
            for entry in _entries_of(document, node, coupling, entries.get(coupling)):
                for other, value in _following(document, entry, coupling, planned):
                    known = planned.get(id(other))
                    if known is not None and known[1] != value:
                        raise EditRefused(
                            f"{place_of(document, other)} would have to be {known[1]} and {value} to keep {coupling}. "
                            "Set both, or leave out what is kept."
                        )
                    if known is None:
                        planned[id(other)] = (other, value)
                        waiting.append((other, value))
    if len(planned) == len(is_set):
        return alone
    together = sorted((node for node, _ in planned.values()), key=lambda node: node.start)
    return set_each(document, together, lambda node, _: planned[id(node)][1])


def _entries(document: Document, coupling: Coupling) -> frozenset[int]:
    return frozenset(id(node) for _, node in values_at(coupling.each, {document.path: document}))


def _entries_of(document: Document, node: Node, coupling: Coupling, allowed: frozenset[int] | None) -> Iterator[Node]:
    """The entries around a value of which it is one of the coupled fields."""
    for place in coupling.fields:
        entry: Node | None = node
        for _ in range(place.count("/") + 1):
            entry = entry.parent if entry is not None else None
        if entry is None or (allowed is not None and id(entry) not in allowed):
            continue
        if place_below(document, entry, place) is node:
            yield entry


def _following(
    document: Document, entry: Node, coupling: Coupling, planned: dict[int, tuple[Node, str]]
) -> Iterator[tuple[Node, str]]:
    """The other fields of an entry that have to move, each with what it becomes."""
    fields = [place_below(document, entry, place) for place in coupling.fields]
    if coupling.order:
        yield from _in_order(document, fields, coupling, planned)
        return
    moved = [one for one in fields if one is not None and id(one) in planned]
    factors = {_factor(document, one, planned[id(one)][1], coupling) for one in moved}
    if len(factors) != 1:
        raise EditRefused(f"{place_of(document, entry)}: the new values do not keep {coupling}.")
    (factor,) = factors
    if factor is None:
        return
    for node in fields:
        number = _number(node)
        if node is not None and number is not None and id(node) not in planned:
            yield node, _rounded(Fraction(number) * factor, number)


def _in_order(
    document: Document, fields: Sequence[Node | None], coupling: Coupling, planned: dict[int, tuple[Node, str]]
) -> Iterator[tuple[Node, str]]:
    new = [as_number(planned[id(one)][1]) if one is not None and id(one) in planned else None for one in fields]
    for at, node in enumerate(fields):
        least = max((one for one in new[:at] if one is not None), default=None)
        most = min((one for one in new[at + 1 :] if one is not None), default=None)
        number = new[at] if new[at] is not None else _number(node)
        if node is None or number is None:
            continue
        wanted = least if least is not None and number < least else most if most is not None and number > most else None
        if wanted is None:
            continue
        if least is not None and most is not None and least > most:
            raise EditRefused(f"{place_of(document, node)}: the new values do not keep {coupling}.")
        if id(node) in planned:
            raise EditRefused(f"{place_of(document, node)} would become {number:f}, which does not keep {coupling}.")
        yield node, f"{wanted:f}"


def _factor(document: Document, node: Node, new: str, coupling: Coupling) -> Fraction | None:
    before, after = _number(node), as_number(new)
    if before is None or after is None:
        return None
    if before == 0:
        raise EditRefused(f"{place_of(document, node)} is 0, so it has no proportion to the others of {coupling}.")
    return Fraction(after) / Fraction(before)


def _number(node: Node | None) -> Decimal | None:
    return as_number(node.value) if node is not None and node.value is not None else None


def _rounded(value: Fraction, like: Decimal) -> str:
    """A number with as many decimals as another one is written with."""
    exponent = like.as_tuple().exponent
    places = max(0, -exponent) if isinstance(exponent, int) else 0
    with localcontext(prec=_DIGITS):
        exact = Decimal(value.numerator) / Decimal(value.denominator)
        return f"{exact.quantize(Decimal(1).scaleb(-places), rounding=ROUND_HALF_UP):f}"
