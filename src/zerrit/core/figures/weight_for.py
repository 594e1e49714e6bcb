"""The weight, or the chance, with which a thing comes as often as it is wanted to: the odds asked the other way round."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal
from fractions import Fraction
from typing import Final, Literal

from zerrit.core.errors import FigureRefused
from zerrit.core.figures.odds import Prize, Table, odds, reached, with_number
from zerrit.core.wording import percent

Aim = Literal["chance", "average"]
_HALVINGS: Final = 48
_DIGITS: Final = 6  #: significant, of the answer
_ALMOST_NONE: Final = Fraction(1, 10**6)
_LARGEST: Final = Fraction(10) ** 9  #: how many times all other weights a weight may become


@dataclass(frozen=True, slots=True)
class Wanted:
    """A number for one prize, and what comes of it."""

    number: Decimal
    result: Fraction


@dataclass(frozen=True, slots=True)
class WeightFor:
    """The numbers next below and above the one that is asked for; equal where it is met exactly.

    `address` is the place of the number, `what` is `weight` or `chance`; `now` is what the number is, and `result_now` what
    it gives. A chance is from 0 to 1, however the file writes it.
    """

    address: str
    what: str
    now: Decimal
    result_now: Fraction
    below: Wanted
    above: Wanted


def weight_for(
    tables: Mapping[str, Table],
    name: str,
    thing: str,
    wanted: Fraction,
    *,
    aim: Aim = "chance",
    place: str = "",
    whole: bool = False,
) -> WeightFor:
    """Which weight of a prize gives a thing the `wanted` chance of at least one, or average number, in a use of a table.

    The number is found by bisection, and what it gives is worked out once more. Where a prize has a chance of its own, and its
    weight has no effect, it is that chance. `place` (the address of a prize or of its number) chooses among several prizes that
    bring the thing. With `whole`, the answers are whole numbers.

    Raises FigureRefused: no prize, or several, bring it, or no number gives what is wanted.
    """
    table, prize = _prize(tables, name, thing, place)
    uses_chance = table.takes_all or (bool(prize.chance_at) and not prize.weight_at)
    if uses_chance and not prize.chance_at:
        raise FigureRefused(f"All prizes of {table.name} come, and {thing} has no chance of its own to change.")

    def result(number: Fraction) -> Fraction:
        other = with_number(tables, prize, chance=number) if uses_chance else with_number(tables, prize, weight=number)
        found = next((one for one in odds(other, name) if one.thing == thing), None)
        if found is None:
            return Fraction()
        return found.at_least_one if aim == "chance" else found.expected

    others = sum((one.weight for one in table.prizes if one is not prize), Fraction())
    largest = Fraction(1) if uses_chance else max(others, Fraction(1)) * _LARGEST
    # Drawn without repeats, a prize of the least weight may come for want of others; only with the weight 0 it never does.
    smallest = Fraction() if uses_chance else max(others, Fraction(1)) / _LARGEST
    least, most = result(smallest), result(largest)
    what = "chance" if uses_chance else "weight"
    if least == most:
        raise FigureRefused(
            f"The {what} of this prize changes nothing: {thing} has the {aim} {_shown(least, aim)} with any above 0."
        )
    if not min(least, most) <= wanted <= max(least, most):
        raise FigureRefused(
            f"No {what} of this prize above 0 gives {thing} that {aim} in {name}: it can be from "
            f"{_shown(min(least, most), aim)} to {_shown(max(least, most), aim)}."
        )
    start = Fraction(1) if uses_chance else max(others, Fraction(1))
    exact = _bisected(result, wanted, start, largest, falls=most < least)
    now = prize.chance if uses_chance else prize.weight
    below, above = (_wanted(exact, way, result, whole=whole) for way in (ROUND_FLOOR, ROUND_CEILING))
    if not min(below.result, above.result) <= wanted <= max(below.result, above.result):
        raise FigureRefused(f"The {aim} of {thing} in {name} rises and falls with this {what}; no single one gives it.")
    if below.result == wanted:
        above = below
    elif above.result == wanted:
        below = above
    at = prize.chance_at if uses_chance else prize.weight_at or prize.address
    return WeightFor(at, what, _plain(now), result(now), below, above)


def _prize(tables: Mapping[str, Table], name: str, thing: str, place: str) -> tuple[Table, Prize]:
    """The one prize whose number is looked for."""
    odds(tables, name)  # which refuses what cannot be worked out
    found = [
        (table, prize)
        for table in reached(tables, name)
        for prize in table.prizes
        if thing in (prize.thing, prize.variant)
    ]
    if not found:
        raise FigureRefused(f"Nothing in {name} brings {thing}.")
    if place:
        found = [one for one in found if place in (one[1].address, one[1].weight_at, one[1].chance_at)]
    if len(found) != 1:
        places = ", ".join(prize.address for _, prize in found[:6])
        raise FigureRefused(
            f"{len(found)} prizes bring {thing}: {places}. Say which of them to change."
            if found
            else f"No prize at {place} brings {thing}."
        )
    return found[0]


def _bisected(
    result: Callable[[Fraction], Fraction], wanted: Fraction, start: Fraction, largest: Fraction, *, falls: bool
) -> Fraction:
    """The number that gives what is wanted, from below, to far more digits than are shown. `falls`: more of it gives less."""
    low, high = Fraction(), start
    while (result(high) > wanted if falls else result(high) < wanted) and high < largest:
        low, high = high, high * 16
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        found = result(middle)
        if found == wanted:
            return middle
        if (found < wanted) is not falls:
            low = middle
        else:
            high = middle
    simple = ((low + high) / 2).limit_denominator(1_000_000)
    return simple if result(simple) == wanted else low


def _wanted(exact: Fraction, way: str, result: Callable[[Fraction], Fraction], *, whole: bool) -> Wanted:
    if exact == 0:
        return Wanted(Decimal(), result(Fraction()))
    places = 0 if whole else max(0, _DIGITS - 1 - math.floor(math.log10(float(exact))))
    scaled = exact * 10**places
    number = Decimal(math.floor(scaled) if way == ROUND_FLOOR else math.ceil(scaled)).scaleb(-places)
    return Wanted(number, result(Fraction(number)))


def _shown(number: Fraction, aim: Aim) -> str:
    if 0 < number < _ALMOST_NONE:
        return "almost 0 %" if aim == "chance" else "almost 0"
    return percent(float(number)) if aim == "chance" else f"{float(number):.4g}"


def _plain(number: Fraction) -> Decimal:
    return Decimal(number.numerator) / Decimal(number.denominator)
