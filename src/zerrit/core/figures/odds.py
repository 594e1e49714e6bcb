"""
The exact odds of nested weighted draws: how often does each thing come out of one draw?

A table is drawn from a number of times, each whole number in its range being equally likely. A draw takes one prize,
with a probability in proportion to its weight. A prize is a thing, in a number of pieces, or another table, used a
number of times; a variant may come in place of the thing, and so eats into it.

*With repeats* every draw is made from all prizes. With P the probability that one draw brings none of a thing, n draws
bring none of it with P^n.

*Without repeats* a prize is drawn at most once, each draw in proportion to the weights that are left: draw-by-draw
sampling with unequal probabilities without replacement (Yates and Grundy, Selection without replacement from within
strata with probability proportional to size, J. R. Statist. Soc. B 15, 1953). The probabilities are summed over the
states "so many of each kind of prize are drawn"; prizes of the same weight that behave alike are one kind, which
keeps the states few.

All arithmetic is on fractions, so the results are exact.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Final

from zerrit.core.errors import FigureRefused

MAX_STATES: Final = 20_000  # of one table without repeats; more take longer than anybody waits
MAX_DRAWS: Final = 10_000
MAX_NESTING: Final = 40

ONE: Final = Fraction(1)


@dataclass(frozen=True, slots=True)
class Range:
    """A whole number from `least` to `most`, each equally likely."""

    least: int = 1
    most: int = 1

    @property
    def mean(self) -> Fraction:
        return Fraction(self.least + self.most, 2)

    def all(self) -> range:
        return range(self.least, self.most + 1)


@dataclass(frozen=True, slots=True)
class Prize:
    """What one draw may bring: pieces of `thing`, or uses of another `table`. One of the two is empty.

    `variant` comes in place of the thing with the probability `variant_chance`.
    """

    weight: Fraction
    thing: str = ""
    table: str = ""
    count: Range = Range()
    variant: str = ""
    variant_chance: Fraction = Fraction()


@dataclass(frozen=True, slots=True)
class Table:
    """`draws` prizes are drawn; without `repeats` each of them at most once."""

    name: str
    draws: Range
    prizes: tuple[Prize, ...]
    repeats: bool = True


@dataclass(frozen=True, slots=True)
class Chance:
    """Of one thing: the probability that a draw brings at least one, and how many it brings on average."""

    thing: str
    at_least_one: Fraction
    expected: Fraction


@dataclass(frozen=True, slots=True)
class _Yield:
    """Of one thing: the probability that none comes, and the expected number."""

    none: Fraction = ONE
    expected: Fraction = Fraction()


_NOTHING: Final = _Yield()


def odds(tables: Mapping[str, Table], name: str) -> list[Chance]:
    """The chances of one use of the table called `name`, the most frequent thing first.

    Raises FigureRefused: a table is missing, leads to itself, has no weight, or has too many different prizes.
    """
    yields = _Odds(tables).of(name, ())
    found = [Chance(thing, 1 - one.none, one.expected) for thing, one in yields.items()]
    return sorted(found, key=lambda chance: (-chance.at_least_one, -chance.expected, chance.thing))


@dataclass(slots=True)
class _Odds:
    tables: Mapping[str, Table]
    _known: dict[str, dict[str, _Yield]] = field(default_factory=dict)

    def of(self, name: str, above: tuple[str, ...]) -> dict[str, _Yield]:
        if name in above:
            raise FigureRefused(f"The table {name} leads back to itself: {' > '.join([*above, name])}.")
        if name not in self.tables:
            where = f", which {above[-1]} names" if above else ""
            raise FigureRefused(f"There is no table {name}{where}. There are: {', '.join(list(self.tables)[:12])}.")
        if len(above) >= MAX_NESTING:
            raise FigureRefused(f"The tables nest deeper than {MAX_NESTING} levels.")
        if name not in self._known:
            table = self.tables[name]
            _check(table)
            prizes = [prize for prize in table.prizes if prize.weight > 0]
            brought = [self._of_prize(prize, (*above, name)) for prize in prizes]
            things = dict.fromkeys(thing for one in brought for thing in one)
            draw = _with_repeats if table.repeats else _without_repeats
            self._known[name] = draw(table, prizes, brought, list(things))
        return self._known[name]

    def _of_prize(self, prize: Prize, above: tuple[str, ...]) -> dict[str, _Yield]:
        """What one draw of this prize brings."""
        if prize.table:
            below = self.of(prize.table, above)
            return {
                thing: _Yield(_mean([one.none**uses for uses in prize.count.all()]), prize.count.mean * one.expected)
                for thing, one in below.items()
            }
        some = _mean([Fraction(pieces > 0) for pieces in prize.count.all()])
        shares = {prize.thing: 1 - prize.variant_chance}
        if prize.variant:
            shares[prize.variant] = shares.get(prize.variant, Fraction()) + prize.variant_chance
        return {thing: _Yield(1 - share * some, share * prize.count.mean) for thing, share in shares.items()}


def _check(table: Table) -> None:
    for what, given in (("draws", table.draws), *((f"pieces of {p.thing or p.table}", p.count) for p in table.prizes)):
        if given.least < 0 or given.most < given.least or given.most > MAX_DRAWS:
            raise FigureRefused(
                f"{table.name}: {given.least} to {given.most} {what} is not a range from 0 to {MAX_DRAWS}."
            )
    for prize in table.prizes:
        if prize.weight < 0:
            raise FigureRefused(f"{table.name}: the weight of {prize.thing or prize.table} is below 0.")
        if not 0 <= prize.variant_chance <= 1:
            raise FigureRefused(f"{table.name}: the chance of {prize.variant} is not between 0 and 1.")
    if not any(prize.weight > 0 for prize in table.prizes) and table.draws.most > 0:
        raise FigureRefused(f"{table.name}: no prize has a weight above 0, so nothing can be drawn.")


def _mean(values: Sequence[Fraction]) -> Fraction:
    return sum(values, Fraction()) / len(values)


def _with_repeats(
    table: Table, prizes: Sequence[Prize], brought: Sequence[Mapping[str, _Yield]], things: Sequence[str]
) -> dict[str, _Yield]:
    total = sum((prize.weight for prize in prizes), Fraction())
    shares = [prize.weight / total for prize in prizes]
    found: dict[str, _Yield] = {}
    for thing in things:
        none = sum((s * one.get(thing, _NOTHING).none for s, one in zip(shares, brought, strict=True)), Fraction())
        expected = sum(
            (s * one.get(thing, _NOTHING).expected for s, one in zip(shares, brought, strict=True)), Fraction()
        )
        found[thing] = _Yield(_mean([none**draws for draws in table.draws.all()]), table.draws.mean * expected)
    return found


def _without_repeats(
    table: Table, prizes: Sequence[Prize], brought: Sequence[Mapping[str, _Yield]], things: Sequence[str]
) -> dict[str, _Yield]:
    weights = [prize.weight for prize in prizes]
    drawn = _Successive(table, weights, [ONE] * len(weights)).inclusion()
    found: dict[str, _Yield] = {}
    for thing in things:
        ones = [one.get(thing, _NOTHING) for one in brought]
        bringing = [number for number, one in enumerate(ones) if one is not _NOTHING]
        expected = sum((drawn[number] * ones[number].expected for number in bringing), Fraction())
        if len(bringing) == 1:  # drawn at most once, so its probability to be drawn is all that counts
            none = 1 - drawn[bringing[0]] * (1 - ones[bringing[0]].none)
        else:
            none = _Successive(table, weights, [one.none for one in ones]).none()
        found[thing] = _Yield(none, expected)
    return found


class _Successive:
    """Successive draws without repeats. Prizes with the same weight and the same factor are one kind.

    The value of a state is its probability times the factors of all that was drawn; the sum over the states after n
    draws is then the expected product of the factors.
    """

    def __init__(self, table: Table, weights: Sequence[Fraction], factors: Sequence[Fraction]) -> None:
        self.table = table
        self.kinds: dict[tuple[Fraction, Fraction], int] = {}
        self.members: list[int] = []  #: how many prizes are of each kind
        self.kind_of: list[int] = []
        for pair in zip(weights, factors, strict=True):
            kind = self.kinds.setdefault(pair, len(self.kinds))
            if kind == len(self.members):
                self.members.append(0)
            self.members[kind] += 1
            self.kind_of.append(kind)
        self.total = sum(weights, Fraction())

    def none(self) -> Fraction:
        """The expected product of the factors of what is drawn."""
        products = [sum(states.values(), Fraction()) for states in self._after_each_draw()]
        return _mean([products[min(draws, len(products) - 1)] for draws in self.table.draws.all()])

    def inclusion(self) -> list[Fraction]:
        """For each prize the probability that it is among what is drawn (all factors being one)."""
        states_after = self._after_each_draw()
        chances: list[Fraction] = []
        for kind, members in enumerate(self.members):
            drawn = [sum((p * state[kind] for state, p in states.items()), Fraction()) for states in states_after]
            mean = _mean([drawn[min(draws, len(drawn) - 1)] for draws in self.table.draws.all()])
            chances.append(mean / members)
        return [chances[kind] for kind in self.kind_of]

    def _after_each_draw(self) -> list[dict[tuple[int, ...], Fraction]]:
        """The states after 0, 1, 2 … draws, as far as there are prizes."""
        kinds = list(self.kinds)
        states: dict[tuple[int, ...], Fraction] = {(0,) * len(kinds): ONE}
        found = [states]
        for _ in range(min(self.table.draws.most, sum(self.members))):
            following: dict[tuple[int, ...], Fraction] = {}
            for state, value in states.items():
                left = self.total - sum(
                    (number * weight for number, (weight, _) in zip(state, kinds, strict=True) if number), Fraction()
                )
                for kind, (weight, factor) in enumerate(kinds):
                    remaining = self.members[kind] - state[kind]
                    if remaining:
                        after = (*state[:kind], state[kind] + 1, *state[kind + 1 :])
                        share = value * factor * remaining * weight / left
                        following[after] = following.get(after, Fraction()) + share
                if len(following) > MAX_STATES:
                    raise FigureRefused(
                        f"{self.table.name} draws up to {self.table.draws.most} of {sum(self.members)} prizes of "
                        f"{len(kinds)} different kinds without repeats; that is too much to work out exactly. "
                        "Fewer draws, or equal weights, can be worked out."
                    )
            states = following
            found.append(states)
        return found
