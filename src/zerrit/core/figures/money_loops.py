"""
Loops of trades that gain: someone who goes round ends with more than was put in.

The trades are a linear programme: how often each is made (at least 0), so that of no thing more is given than got, and money is
left over. The HiGHS solver (Huangfu and Hall, Parallelizing the dual revised simplex method, Math. Prog. Comp. 10, 2018) finds
where such a loop is. What it finds is solved once more in exact fractions, and only a loop that gains exactly is told. That there
is no other one is shown by its dual: prices for all things at which no trade gains. They are checked in fractions, too; what they
leave open is told as the most that any other loop could gain with one trade.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, Final

from zerrit.core.errors import FigureRefused
from zerrit.core.figures.trades import Trade

MOST_LOOPS: Final = 50
MOST_STEPS: Final = 400  # of one loop
_NONE: Final = 1e-9  # what the solver gives for nothing
_DENOMINATORS: Final = (1, 10, 1_000, 100_000, 10_000_000)
_ROUND: Final = 1_000  #: a loop is told with whole trades, unless there would be more than this of one


@dataclass(frozen=True, slots=True)
class LoopStep:
    """A trade of a loop, and how often it is made in one round."""

    trade: Trade
    times: Fraction


@dataclass(frozen=True, slots=True)
class Fix:
    """The smallest change of one price that ends a loop: relative to what it is now."""

    address: str  #: of the number, or, where it is worked out, of the entry
    trade: str
    old: Fraction
    new: Fraction
    is_paid: bool  #: the price is what is paid, and has to rise; else it is what is got, and has to fall
    is_written: bool = True  #: it is one number of a file
    made_from: str = ""  #: of a price that is worked out, where that begins


@dataclass(frozen=True, slots=True)
class Loop:
    """Trades that gain together: `gain` money and `things` in each round."""

    steps: tuple[LoopStep, ...]
    gain: Fraction
    things: Mapping[str, Fraction]
    fix: Fix | None


@dataclass(frozen=True, slots=True)
class Loops:
    """The loops, each after those before it are ended by their fixes.

    `bound` is the most money that any further loop gains with one trade; 0 where it is certain that there is none, None where
    there are more loops than were looked for.
    """

    loops: tuple[Loop, ...]
    bound: Fraction | None
    trades: int
    gifts: tuple[Trade, ...]  #: trades that take nothing; they are in no loop


def find_loops(trades: Sequence[Trade], least_gain: Fraction = Fraction(), most: int = MOST_LOOPS) -> Loops:
    """All loops that gain more than `least_gain` money in a round, or things out of nothing.

    Raises FigureRefused: the solver gives up.
    """
    gifts = tuple(one for one in trades if one.is_gift)
    current = _possible([one for one in trades if not one.is_gift])
    found: list[Loop] = []
    gains_things = False
    while True:
        solved = _solve(current, gains_things=gains_things)
        loops = [loop for part in solved.parts for loop in _loops_in(current, part, gains_things=gains_things)]
        loops = [loop for loop in loops if loop.gain > least_gain or (gains_things and loop.things)]
        if not loops and not gains_things:
            bound = _bound(current, solved.prices)
            gains_things = True
            continue
        if not loops:
            return Loops(_sorted(found), bound, len(trades), gifts)
        found += loops
        if len(found) >= most:
            return Loops(_sorted(found)[:most], None, len(trades), gifts)
        current = _ended(current, loops)


def _sorted(loops: Iterable[Loop]) -> tuple[Loop, ...]:
    return tuple(sorted(loops, key=lambda loop: (-loop.gain, len(loop.steps))))


def _possible(trades: Sequence[Trade]) -> list[Trade]:
    """The trades of which each given thing is got somewhere; no other can be part of a loop."""
    left = list(trades)
    while True:
        got = {thing for one in left for thing, many in one.gets.items() if many}
        kept = [one for one in left if all(thing in got for thing, many in one.gives.items() if many)]
        if len(kept) == len(left):
            return kept
        left = kept


@dataclass(frozen=True, slots=True)
class _Solved:
    parts: list[list[int]]  #: trades that gain together, by their numbers
    prices: Mapping[str, float]  #: of all things, at which no trade gains, or hardly any


def _solve(trades: Sequence[Trade], *, gains_things: bool) -> _Solved:
    """Which trades gain together, and the prices of the dual."""
    if not trades:
        return _Solved([], {})
    things = _things(trades)
    times, prices = _optimum(trades, things, gains_things=gains_things, is_one=False)
    used = [number for number, many in enumerate(times) if many > _NONE]
    return _Solved(_connected(trades, used), dict(zip(things, prices, strict=True)))


def _things(trades: Sequence[Trade]) -> dict[str, int]:
    names = dict.fromkeys(thing for one in trades for side in (one.gives, one.gets) for thing in side)
    return {name: number for number, name in enumerate(names)}


def _optimum(
    trades: Sequence[Trade], things: Mapping[str, int], *, gains_things: bool, is_one: bool
) -> tuple[Sequence[float], Sequence[float]]:
    """How often each trade is made for the largest gain, at most once each (`is_one`: all together once), and the dual prices."""
    import numpy as np  # noqa: PLC0415  # both take a while to load, and few commands look for loops
    from scipy.optimize import linprog  # noqa: PLC0415
    from scipy.sparse import csr_matrix  # noqa: PLC0415

    rows: list[int] = []
    columns: list[int] = []
    values: list[float] = []
    gain = np.zeros(len(trades))
    largest = max((float(max(one.pays, one.earns)) for one in trades), default=1.0) or 1.0
    for number, one in enumerate(trades):
        gain[number] = float(one.earns - one.pays) / largest
        for thing, net in _net(one).items():
            rows.append(things[thing])
            columns.append(number)
            values.append(-float(net))
            if gains_things:
                gain[number] += float(net)
    constraints = csr_matrix((values, (rows, columns)), shape=(len(things), len(trades)))
    limits: Any = np.zeros(len(things))
    if gains_things:  # more things for less money is no gain
        money = csr_matrix([[float(one.pays - one.earns) / largest for one in trades]])
        constraints, limits = _stacked(constraints, money), np.zeros(len(things) + 1)
    if is_one:
        constraints, limits = _stacked(constraints, csr_matrix(np.ones((1, len(trades))))), np.append(limits, 1.0)
    solved = linprog(-gain, A_ub=constraints, b_ub=limits, bounds=(0, None if is_one else 1), method="highs")
    if solved.x is None:
        raise FigureRefused(f"The loops could not be worked out: {solved.message}")
    return list(solved.x), [-float(one) * largest for one in solved.ineqlin.marginals[: len(things)]]


def _stacked(upper: Any, lower: Any) -> Any:
    from scipy.sparse import vstack  # noqa: PLC0415

    return vstack([upper, lower], format="csr")


def _net(trade: Trade) -> dict[str, Fraction]:
    found = dict(trade.gets)
    for thing, many in trade.gives.items():
        found[thing] = found.get(thing, Fraction()) - many
    return found


def _bound(trades: Sequence[Trade], prices: Mapping[str, float]) -> Fraction:
    """The most that a trade gains at prices for all things: no loop gains more with each of its trades.

    In a loop no thing is left over below zero, so with prices that are not negative its gain is at most what its trades gain at
    these prices. Which rounding of the prices is used does not matter for that; the one that shows most is taken.
    """
    best: Fraction | None = None
    for largest in _DENOMINATORS:
        exact = {thing: max(Fraction(), Fraction(one).limit_denominator(largest)) for thing, one in prices.items()}
        rough = {thing: float(price) for thing, price in exact.items()}
        most = Fraction()
        for one in trades:
            if _surely_loses(one, rough):
                continue
            gained = one.earns - one.pays + sum((net * exact[thing] for thing, net in _net(one).items()), Fraction())
            most = max(most, gained)
        best = most if best is None else min(best, most)
        if not best:
            break
    return best if best is not None else Fraction()


def _surely_loses(trade: Trade, prices: Mapping[str, float]) -> bool:
    """Whether a trade loses by far more than floating point can be wrong; only the others are worked out in fractions."""
    terms = [float(trade.earns), -float(trade.pays)]
    terms += [float(many) * prices[thing] for thing, many in trade.gets.items()]
    terms += [-float(many) * prices[thing] for thing, many in trade.gives.items()]
    return sum(terms) < -1e-6 * sum(map(abs, terms))


def _connected(trades: Sequence[Trade], used: Sequence[int]) -> list[list[int]]:
    """The used trades, in groups that share things."""
    group_of: dict[str, int] = {}
    groups: dict[int, list[int]] = {}
    for number in used:
        names = [thing for thing, net in _net(trades[number]).items() if net]
        near = sorted({group_of[name] for name in names if name in group_of})
        home = near[0] if near else len(groups) + len(trades) + number
        groups.setdefault(home, []).append(number)
        for other in near[1:]:
            moved = groups.pop(other)
            groups[home] += moved
            for one in moved:
                group_of |= {name: home for name, net in _net(trades[one]).items() if net}
        group_of |= dict.fromkeys(names, home)
    return list(groups.values())


def _loops_in(trades: Sequence[Trade], part: Sequence[int], *, gains_things: bool) -> list[Loop]:
    """The loop with the largest gain for each trade in it, in exact numbers; none where it does not gain exactly."""
    own = [trades[number] for number in part]
    things = _things(own)
    times, _ = _optimum(own, things, gains_things=gains_things, is_one=True)
    used = [(one, many) for one, many in zip(own, times, strict=True) if many > _NONE]
    if not used or len(used) > MOST_STEPS:
        return []
    exact = _exact([one for one, _ in used], [many for _, many in used])
    if exact is None:
        return []
    steps = [LoopStep(one, many) for (one, _), many in zip(used, exact, strict=True) if many]
    left: dict[str, Fraction] = {}
    for step in steps:
        for thing, net in _net(step.trade).items():
            left[thing] = left.get(thing, Fraction()) + net * step.times
    gain = sum(((step.trade.earns - step.trade.pays) * step.times for step in steps), Fraction())
    left = {thing: many for thing, many in left.items() if many}
    if any(many < 0 for many in left.values()) or gain < 0 or (not gain and not left):
        return []
    return [Loop(_in_order(steps), gain, left, _smallest_fix(steps, gain))]


def _exact(trades: Sequence[Trade], times: Sequence[float]) -> list[Fraction] | None:
    """How often each trade is made, in exact numbers: of the things that the solver leaves nothing of, nothing is left."""
    nets = [_net(one) for one in trades]
    names = dict.fromkeys(thing for net in nets for thing, many in net.items() if many)
    tight = []
    for name in names:
        parts = [float(net.get(name, 0)) * many for net, many in zip(nets, times, strict=True)]
        if abs(sum(parts)) <= 1e-7 * max(sum(map(abs, parts)), 1e-12):
            tight.append(name)
    rows = [[net.get(name, Fraction()) for net in nets] for name in tight]
    solution = _null_vector(rows, times)
    if solution is None or any(many < 0 for many in solution):
        return None
    return _whole(solution)


def _null_vector(rows: list[list[Fraction]], times: Sequence[float]) -> list[Fraction] | None:
    """A vector that all rows turn to 0, near the given one (Gaussian elimination in fractions)."""
    width = len(times)
    pivots: list[int] = []
    at = 0
    for column in range(width):
        pivot = next((number for number in range(at, len(rows)) if rows[number][column]), None)
        if pivot is None:
            continue
        rows[at], rows[pivot] = rows[pivot], rows[at]
        divisor = rows[at][column]
        rows[at] = [value / divisor for value in rows[at]]
        for number in range(len(rows)):
            factor = rows[number][column]
            if number != at and factor:
                rows[number] = [a - factor * b for a, b in zip(rows[number], rows[at], strict=True)]
        pivots.append(column)
        at += 1
    free = [column for column in range(width) if column not in pivots]
    if not free:
        return None
    unit = times[free[0]]
    solution = [Fraction()] * width
    for column in free:
        solution[column] = Fraction(times[column] / unit).limit_denominator(10_000)
    for number, column in enumerate(pivots):
        solution[column] = -sum((rows[number][other] * solution[other] for other in free), Fraction())
    return solution


def _whole(times: Sequence[Fraction]) -> list[Fraction]:
    """The same as whole numbers, where these are not too large; else so that the least is 1."""
    factor = math.lcm(*(one.denominator for one in times))
    whole = [one * factor for one in times]
    shared = math.gcd(*(int(one) for one in whole)) or 1
    if max(whole) / shared <= _ROUND:
        return [one / shared for one in whole]
    least = min(one for one in times if one)
    return [one / least for one in times]


def _in_order(steps: Sequence[LoopStep]) -> tuple[LoopStep, ...]:
    """The steps as someone would make them: one for which everything is there comes first."""
    left = sorted(steps, key=lambda step: (not step.trade.pays or bool(step.trade.gives), step.trade.address))
    have: set[str] = set()
    ordered: list[LoopStep] = []
    while left:
        following = next(
            (step for step in left if all(thing in have for thing, many in step.trade.gives.items() if many)), left[0]
        )
        left.remove(following)
        ordered.append(following)
        have.update(following.trade.gets)
    return tuple(ordered)


def _smallest_fix(steps: Sequence[LoopStep], gain: Fraction) -> Fix | None:
    """The price whose smallest relative change ends the loop; none where it gains no money."""
    if not gain:
        return None
    fixes: list[tuple[Fraction, Fix]] = []
    for step in steps:
        trade, share = step.trade, gain / step.times
        at = trade.price_at or trade.address
        if trade.pays:
            paid = Fix(at, trade.name, trade.pays, trade.pays + share, True, bool(trade.price_at), trade.made_from)
            fixes.append((share / trade.pays, paid))
        if trade.earns and trade.earns >= share:
            got = Fix(at, trade.name, trade.earns, trade.earns - share, False, bool(trade.price_at), trade.made_from)
            fixes.append((share / trade.earns, got))
    return min(fixes, key=lambda one: one[0])[1] if fixes else None


def _ended(trades: Sequence[Trade], loops: Sequence[Loop]) -> list[Trade]:
    """The trades with each loop ended: by its fix, or, where no price is in it, without its last trade."""
    current = list(trades)
    for loop in loops:
        fix = loop.fix
        for step in loop.steps:
            number = next((n for n, one in enumerate(current) if one is step.trade), None)
            if number is None:
                break  # one of its prices has changed for another loop; it is looked at again
            if fix is None:
                if step is loop.steps[-1]:
                    del current[number]
                continue
            if (step.trade.price_at or step.trade.address) == fix.address and step.trade.name == fix.trade:
                trade = step.trade
                current[number] = replace(trade, pays=fix.new) if fix.is_paid else replace(trade, earns=fix.new)
                break
    return current


# --- in words ---------------------------------------------------------------------------------------------------------


def shown(number: Fraction) -> str:
    """A number as people write it: exact where it has few decimals, else to six digits."""
    if number.denominator == 1:
        return f"{number.numerator:,}"
    short = f"{float(number):.6g}"
    return short if Fraction(short) == number else f"about {short}"


def loop_in_words(loop: Loop) -> str:
    """The steps of a loop and what a round gains, in one sentence without its full stop."""
    steps = ", ".join(_step(step) for step in loop.steps[:8])
    more = f" and {len(loop.steps) - 8} more trades" if len(loop.steps) > 8 else ""
    gained = [f"{shown(loop.gain)} money"] if loop.gain else []
    gained += [f"{shown(many)} {thing}" for thing, many in list(loop.things.items())[:3]]
    return f"{steps}{more}: a round gains {' and '.join(gained)}"


def fix_in_words(fix: Fix) -> str:
    """What to change so that a loop gains nothing."""
    way = "Raise" if fix.is_paid else "Lower"
    if fix.is_written:
        return f"{way} {fix.address} from {shown(fix.old)} to {shown(fix.new)}, and nothing is gained."
    verb = "costs" if fix.is_paid else "brings"
    made = f" It is worked out from {fix.made_from}." if fix.made_from not in ("", fix.address) else ""
    return f"{way} what {fix.trade} {verb} at {fix.address} from {shown(fix.old)} to {shown(fix.new)}, and nothing is gained.{made}"


def _step(step: LoopStep) -> str:
    things = [list(side) for side in (step.trade.gets, step.trade.gives) if len(side) == 1]
    entry = things[0][0] if things else step.trade.address.partition("#")[2].rpartition("/")[2] or step.trade.address
    times = f"{shown(step.times)} × " if step.times != 1 else ""
    return f"{times}{step.trade.name} {entry}"
