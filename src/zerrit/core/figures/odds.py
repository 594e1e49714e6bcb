"""
The exact odds of nested weighted draws: how often does each thing come out of one draw?

A table is drawn from a number of times, each whole number in its range being equally likely. A draw takes one prize,
with a probability in proportion to its weight; it comes with its own chance. A prize is a thing, in a number of pieces, or
another table, used a number of times; a variant may come in place of the thing, and so eats into it, or beside it.

*With repeats* every draw is made from all prizes. With P the probability that one draw brings none of a thing, n draws
bring none of it with P^n.

*Without repeats* a prize is drawn at most once, each draw in proportion to the weights that are left: draw-by-draw
sampling with unequal probabilities without replacement (Yates and Grundy, Selection without replacement from within
strata with probability proportional to size, J. R. Statist. Soc. B 15, 1953). The probabilities are summed over the
states "so many of each kind of prize are drawn"; prizes of the same weight that behave alike are one kind, which
keeps the states few.

*All prizes*: each is taken once, whatever its weight; that of a thing that none brings is the product over the prizes.

All arithmetic is on fractions, so the results are exact.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Final

from zerrit.core.errors import FigureRefused

MAX_STATES: Final = 20_000  # of one table without repeats; more take longer than anybody waits
MAX_DRAWS: Final = 10_000
MAX_NESTING: Final = 40
MAX_PIECES: Final = 3_000  # that one use of a table may bring, where each number of pieces is told apart

ONE: Final = Fraction(1)
ZERO: Final = Fraction(0)


@dataclass(frozen=True, slots=True)
class Range:
    """A number from `least` to `most`, each equally likely: a whole number where both ends are, else any between them."""

    least: int | Fraction = 1
    most: int | Fraction = 1

    @property
    def is_whole(self) -> bool:
        return Fraction(self.least).denominator == 1 == Fraction(self.most).denominator

    @property
    def mean(self) -> Fraction:
        return Fraction(self.least + self.most) / 2

    def all(self) -> range:
        """Every whole number in the range."""
        return range(int(self.least), int(self.most) + 1)

    @property
    def above_zero(self) -> Fraction:
        """The probability that it is more than 0."""
        if self.most <= 0:
            return ZERO
        return _mean([Fraction(number > 0) for number in self.all()]) if self.is_whole else ONE


@dataclass(frozen=True, slots=True)
class Prize:
    """What one draw may bring: pieces of `thing`, or uses of another `table`. One of the two is empty.

    Drawn, it comes with the probability `chance`. `variant` comes in place of the thing with the probability `variant_chance`;
    with `variant_beside`, one piece of it comes beside the thing instead. Each piece has a `quality`. `weight_at` and
    `chance_at` are the addresses of the two numbers, empty where none is written.
    """

    weight: Fraction
    thing: str = ""
    table: str = ""
    count: Range = Range()
    variant: str = ""
    variant_chance: Fraction = ZERO
    variant_beside: bool = False
    chance: Fraction = ONE
    quality: Range | None = None
    address: str = ""
    weight_at: str = ""
    chance_at: str = ""


@dataclass(frozen=True, slots=True)
class Table:
    """`draws` prizes are drawn; without `repeats` each of them at most once. With `takes_all`, each of them comes once."""

    name: str
    draws: Range
    prizes: tuple[Prize, ...]
    repeats: bool = True
    takes_all: bool = False
    address: str = ""


@dataclass(frozen=True, slots=True)
class Quality:
    """The least, the greatest and the average quality of the pieces that have one."""

    least: Fraction
    most: Fraction
    mean: Fraction


@dataclass(frozen=True, slots=True)
class Chance:
    """Of one thing: the probability that a draw brings at least one, and how many it brings on average."""

    thing: str
    at_least_one: Fraction
    expected: Fraction
    quality: Quality | None = None


@dataclass(frozen=True, slots=True)
class _Yield:
    """Of one thing: the probability that none comes, the expected number, and how many of these have a quality.

    `qualities` is the expected sum of the qualities.
    """

    none: Fraction = ONE
    expected: Fraction = ZERO
    rated: Fraction = ZERO
    qualities: Fraction = ZERO
    least: Fraction | None = None
    most: Fraction | None = None

    def chance(self, thing: str) -> Chance:
        quality = None
        if self.rated and self.least is not None and self.most is not None:
            quality = Quality(self.least, self.most, self.qualities / self.rated)
        return Chance(thing, 1 - self.none, self.expected, quality)


_NOTHING: Final = _Yield()


def odds(tables: Mapping[str, Table], name: str) -> list[Chance]:
    """The chances of one use of the table called `name`, the most frequent thing first.

    Raises FigureRefused: a table is missing, leads to itself, has no weight, or has too many different prizes.
    """
    yields = _Odds(tables).of(name, ())
    found = [one.chance(thing) for thing, one in yields.items()]
    return sorted(found, key=lambda chance: (-chance.at_least_one, -chance.expected, chance.thing))


def pieces(tables: Mapping[str, Table], name: str, thing: str) -> list[Fraction]:
    """How many pieces of a thing one use of a table brings: the probability of 0, 1, 2 … of them.

    Raises FigureRefused: as `odds`; also where pieces are not whole numbers, or there may be too many.
    """
    if not any(thing in (prize.thing, prize.variant) for table in tables.values() for prize in table.prizes):
        raise FigureRefused(f"No table brings {thing}.")
    odds(tables, name)  # which refuses what cannot be worked out
    return list(_Pieces(tables, thing).of(name))


def reached(tables: Mapping[str, Table], name: str) -> list[Table]:
    """The table called `name` and all that it leads to, each once."""
    found: dict[str, Table] = {}
    waiting = [name]
    while waiting:
        table = tables.get(waiting.pop())
        if table is not None and table.name not in found:
            found[table.name] = table
            waiting += [prize.table for prize in table.prizes if prize.table]
    return list(found.values())


def without_effect(table: Table) -> list[str]:
    """Numbers of a table that change nothing, one sentence each."""
    notes: list[str] = []
    drawn = [prize for prize in table.prizes if prize.weight > 0]
    weights = {prize.weight for prize in table.prizes}
    has_weights = any(prize.weight_at for prize in table.prizes)
    if table.takes_all and has_weights:
        notes.append("All prizes come, so the weights change nothing.")
    elif has_weights and not table.repeats and table.draws.least >= len(drawn) > 1 and len(weights) > 1:
        notes.append(f"At least {table.draws.least} of {len(drawn)} prizes come, so the weights change nothing.")
    elif has_weights and len(drawn) == 1 and len(table.prizes) > 0:
        notes.append(f"Only {_called(drawn[0])} can be drawn, so its weight changes nothing.")
    if not table.takes_all and table.draws.most == 0:
        notes.append("Nothing is drawn, so nothing else in it has an effect.")
    if not table.repeats and not table.takes_all and table.draws.least > len(drawn) > 0:
        notes.append(
            f"It draws {_spelled(table.draws)} without repeats, but has {len(drawn)} prizes that can be drawn."
        )
    for prize in table.prizes:
        if prize.weight == 0 and not table.takes_all:
            notes.append(f"{_called(prize)} has the weight 0 and is never drawn.")
        elif prize.chance == 0:
            notes.append(f"{_called(prize)} has the chance 0 and never comes.")
        elif prize.count.most == 0:
            notes.append(f"{_called(prize)} comes in 0 pieces.")
        if prize.variant and prize.variant == prize.thing:
            notes.append(f"The variant of {_called(prize)} is the same thing.")
        elif prize.variant and prize.variant_chance == 1 and not prize.variant_beside:
            notes.append(f"{prize.variant} always comes in place of {_called(prize)}, so {_called(prize)} never does.")
    return notes


def _called(prize: Prize) -> str:
    return prize.thing or prize.table


def _spelled(given: Range) -> str:
    return str(given.least) if given.least == given.most else f"{given.least} to {given.most}"


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
            prizes = table.prizes if table.takes_all else [prize for prize in table.prizes if prize.weight > 0]
            brought = [self._of_prize(prize, (*above, name)) for prize in prizes]
            things = dict.fromkeys(thing for one in brought for thing in one)
            if table.takes_all:
                found = {thing: _all_of([one.get(thing, _NOTHING) for one in brought]) for thing in things}
            else:
                draw = _with_repeats if table.repeats else _without_repeats
                found = draw(table, prizes, brought, list(things))
            self._known[name] = found
        return self._known[name]

    def _of_prize(self, prize: Prize, above: tuple[str, ...]) -> dict[str, _Yield]:
        """What one draw of this prize brings."""
        if prize.table:
            below = self.of(prize.table, above)
            return {
                thing: _weighed(
                    [(prize.count.mean * prize.chance, one)],
                    1 - prize.chance * (1 - _mean([one.none**uses for uses in prize.count.all()])),
                )
                for thing, one in below.items()
            }
        some, chance = prize.count.above_zero, prize.chance
        share = ONE if prize.variant_beside or not prize.variant else 1 - prize.variant_chance
        found = {prize.thing: _of_thing(prize, share * some * chance, share * prize.count.mean * chance)}
        if prize.variant:
            brings = prize.variant_chance * some * chance
            many = brings if prize.variant_beside else prize.variant_chance * prize.count.mean * chance
            if prize.variant == prize.thing:
                # In its place or beside it, at least one comes where the thing alone would.
                found[prize.thing] = _of_thing(prize, some * chance, found[prize.thing].expected + many)
            else:
                found[prize.variant] = _of_thing(prize, brings, many)
        return found


def _of_thing(prize: Prize, at_least_one: Fraction, expected: Fraction) -> _Yield:
    quality = prize.quality
    if quality is None:
        return _Yield(1 - at_least_one, expected)
    bounds = (Fraction(quality.least), Fraction(quality.most)) if expected else (None, None)
    return _Yield(1 - at_least_one, expected, expected, expected * quality.mean, *bounds)


def _weighed(parts: Iterable[tuple[Fraction, _Yield]], none: Fraction) -> _Yield:
    """Several yields together, each with the number of times that it comes; `none` is the probability that none brings the thing."""
    expected = rated = qualities = ZERO
    least: list[Fraction] = []
    most: list[Fraction] = []
    for times, one in parts:
        expected += times * one.expected
        rated += times * one.rated
        qualities += times * one.qualities
        least += [one.least] if one.least is not None and times else []
        most += [one.most] if one.most is not None and times else []
    return _Yield(none, expected, rated, qualities, min(least, default=None), max(most, default=None))


def _all_of(brought: Sequence[_Yield]) -> _Yield:
    none = ONE
    for one in brought:
        none *= one.none
    return _weighed([(ONE, one) for one in brought], none)


def _check(table: Table) -> None:
    uses = [(f"pieces of {_called(p)}", p.count, bool(p.table)) for p in table.prizes]
    for what, given, is_whole in (("draws", table.draws, True), *uses):
        if given.least < 0 or given.most < given.least or given.most > MAX_DRAWS:
            raise FigureRefused(
                f"{table.name}: {given.least} to {given.most} {what} is not a range from 0 to {MAX_DRAWS}."
            )
        if is_whole and not given.is_whole:
            raise FigureRefused(f"{table.name}: {given.least} to {given.most} {what} should be whole numbers.")
    for prize in table.prizes:
        if prize.weight < 0:
            raise FigureRefused(f"{table.name}: the weight of {_called(prize)} is below 0.")
        for what, chance in ((prize.variant, prize.variant_chance), (_called(prize), prize.chance)):
            if not 0 <= chance <= 1:
                raise FigureRefused(f"{table.name}: the chance of {what} is not between 0 and 1.")
        if prize.quality is not None and prize.quality.most < prize.quality.least:
            raise FigureRefused(f"{table.name}: the quality of {_called(prize)} ends before it begins.")
    can_be_drawn = table.takes_all or any(prize.weight > 0 for prize in table.prizes)
    if not can_be_drawn and table.draws.most > 0:
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
        ones = [one.get(thing, _NOTHING) for one in brought]
        none = sum((s * one.none for s, one in zip(shares, ones, strict=True)), Fraction())
        parts = [(table.draws.mean * s, one) for s, one in zip(shares, ones, strict=True)]
        found[thing] = _weighed(parts, _mean([none**draws for draws in table.draws.all()]))
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
        if len(bringing) == 1:  # drawn at most once, so its probability to be drawn is all that counts
            none = 1 - drawn[bringing[0]] * (1 - ones[bringing[0]].none)
        else:
            none = _Successive(table, weights, [one.none for one in ones]).none()
        found[thing] = _weighed([(drawn[number], ones[number]) for number in bringing], none)
    return found


class _Pieces:
    """How many pieces of one thing come, as polynomials: the coefficient of z^n is the probability of n pieces."""

    def __init__(self, tables: Mapping[str, Table], thing: str) -> None:
        self.tables = tables
        self.thing = thing
        self._known: dict[str, tuple[Fraction, ...]] = {}

    def of(self, name: str) -> tuple[Fraction, ...]:
        if name not in self._known:
            table = self.tables[name]
            prizes = table.prizes if table.takes_all else [prize for prize in table.prizes if prize.weight > 0]
            ones = [self._of_prize(prize) for prize in prizes]
            if table.takes_all:
                product: tuple[Fraction, ...] = (ONE,)
                for one in ones:
                    product = _times(product, one)
                self._known[name] = product
            elif table.repeats:
                total = sum((prize.weight for prize in prizes), Fraction())
                once = _mixed([(prize.weight / total, one) for prize, one in zip(prizes, ones, strict=True)])
                self._known[name] = _uses(once, table.draws)
            else:
                weights = [prize.weight for prize in prizes]
                self._known[name] = _Successive(table, weights, [ONE] * len(weights), ones).polynomial(ones)
        return self._known[name]

    def _of_prize(self, prize: Prize) -> tuple[Fraction, ...]:
        if prize.table:
            return _mixed([(prize.chance, _uses(self.of(prize.table), prize.count)), (1 - prize.chance, (ONE,))])
        if self.thing not in (prize.thing, prize.variant):
            return (ONE,)
        if not prize.count.is_whole:
            raise FigureRefused(
                f"The pieces of {self.thing} are not whole numbers, so they cannot be counted. Count the draws that bring it instead."
            )
        some = _uses((ZERO, ONE), prize.count)
        shares: list[tuple[Fraction, tuple[Fraction, ...]]] = []
        with_variant = prize.variant_chance if prize.variant else ZERO
        if prize.variant_beside:
            beside = (some[0], *((ZERO, *some[1:]) if self.thing == prize.thing else (1 - some[0],)))
            shares = [(with_variant, beside if self.thing == prize.variant else some)]
            shares += [(1 - with_variant, some if self.thing == prize.thing else (ONE,))]
        else:
            shares = [(1 - with_variant, some if self.thing == prize.thing else (ONE,))]
            shares += [(with_variant, some if self.thing == prize.variant else (ONE,))]
        return _mixed([(prize.chance, _mixed(shares)), (1 - prize.chance, (ONE,))])


def _mixed(parts: Sequence[tuple[Fraction, Sequence[Fraction]]]) -> tuple[Fraction, ...]:
    found = [ZERO] * max(len(one) for _, one in parts)
    for share, one in parts:
        for number, chance in enumerate(one):
            found[number] += share * chance
    return tuple(found)


def _times(one: Sequence[Fraction], other: Sequence[Fraction]) -> tuple[Fraction, ...]:
    if len(one) + len(other) > MAX_PIECES:
        raise FigureRefused(f"More than {MAX_PIECES:,} pieces may come at once; that is too many to tell apart.")
    found = [ZERO] * (len(one) + len(other) - 1)
    for number, chance in enumerate(one):
        if chance:
            for more, factor in enumerate(other):
                found[number + more] += chance * factor
    return tuple(found)


def _uses(once: Sequence[Fraction], times: Range) -> tuple[Fraction, ...]:
    """The yield of several uses, where each number of uses from `times` is equally likely."""
    power: tuple[Fraction, ...] = (ONE,)
    powers = []
    for uses in range(int(times.most) + 1):
        if uses >= times.least:
            powers.append(power)
        if uses < times.most:
            power = _times(power, once)
    return _mixed([(Fraction(1, len(powers)), one) for one in powers])


def with_number(
    tables: Mapping[str, Table], prize: Prize, *, weight: Fraction | None = None, chance: Fraction | None = None
) -> dict[str, Table]:
    """The same tables with another weight, or another chance, of one prize."""
    other = replace(
        prize, weight=prize.weight if weight is None else weight, chance=prize.chance if chance is None else chance
    )
    return {
        name: replace(table, prizes=tuple(other if one is prize else one for one in table.prizes))
        if any(one is prize for one in table.prizes)
        else table
        for name, table in tables.items()
    }


class _Successive:
    """Successive draws without repeats. Prizes with the same weight and the same factor are one kind.

    The value of a state is its probability times the factors of all that was drawn; the sum over the states after n
    draws is then the expected product of the factors.
    """

    def __init__(
        self,
        table: Table,
        weights: Sequence[Fraction],
        factors: Sequence[Fraction],
        alike: Sequence[Hashable] | None = None,
    ) -> None:
        self.table = table
        self.kinds: dict[tuple[Fraction, Hashable], int] = {}
        self.factors: list[Fraction] = []  #: by kind
        self.members: list[int] = []  #: how many prizes are of each kind
        self.kind_of: list[int] = []
        for weight, factor, likeness in zip(weights, factors, factors if alike is None else alike, strict=True):
            kind = self.kinds.setdefault((weight, likeness), len(self.kinds))
            if kind == len(self.members):
                self.members.append(0)
                self.factors.append(factor)
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

    def polynomial(self, ones: Sequence[tuple[Fraction, ...]]) -> tuple[Fraction, ...]:
        """What is drawn together, where each prize brings pieces with the probabilities of its polynomial."""
        of_kind = dict(zip(self.kind_of, ones, strict=True))
        powers: dict[tuple[int, int], tuple[Fraction, ...]] = {}
        states_after = self._after_each_draw()
        found: list[tuple[Fraction, tuple[Fraction, ...]]] = []
        numbers = list(self.table.draws.all())
        for draws in numbers:
            for state, chance in states_after[min(draws, len(states_after) - 1)].items():
                product: tuple[Fraction, ...] = (ONE,)
                for kind, many in enumerate(state):
                    if many and len(of_kind[kind]) > 1:
                        if (kind, many) not in powers:
                            powers[kind, many] = _uses(of_kind[kind], Range(many, many))
                        product = _times(product, powers[kind, many])
                found.append((chance / len(numbers), product))
        return _mixed(found)

    def _after_each_draw(self) -> list[dict[tuple[int, ...], Fraction]]:
        """The states after 0, 1, 2 … draws, as far as there are prizes."""
        kinds = list(self.kinds)
        states: dict[tuple[int, ...], Fraction] = {(0,) * len(kinds): ONE}
        found = [states]
        for _ in range(min(int(self.table.draws.most), sum(self.members))):
            following: dict[tuple[int, ...], Fraction] = {}
            for state, value in states.items():
                left = self.total - sum(
                    (number * weight for number, (weight, _) in zip(state, kinds, strict=True) if number), Fraction()
                )
                for kind, ((weight, _), factor) in enumerate(zip(kinds, self.factors, strict=True)):
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
