"""Figures in the shapes of the API, in which the service answers and the command prints them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction

from zerrit import api
from zerrit.core.figures import (
    Apart,
    Chance,
    DerivedRow,
    Distance,
    DrawTables,
    FreeNumber,
    Loop,
    Loops,
    Room,
    Seen,
    TableWorth,
    Tally,
    TallyRow,
    Trades,
    WeightFor,
    fix_in_words,
    loop_in_words,
    once_in,
    reached,
    room_in_words,
    seen_in_words,
    shown,
    without_effect,
)
from zerrit.core.gamebooks import Gamebook
from zerrit.core.rules import DerivedRules
from zerrit.core.wording import percent


def tally_out(found: Tally, before: str, after: str, targets: Mapping[str, Decimal] | None = None) -> api.TallyOut:
    """A balance; `before` and `after` are what the two states are called, `targets` shares in per cent by group."""
    rows = [_tally_row(row, found.total, (targets or {}).get(row.group)) for row in found.rows]
    total = _tally_row(found.total, None, None)
    return api.TallyOut(before=before, after=after, rows=rows, total=total, skipped=list(found.skipped))


def _tally_row(row: TallyRow, total: TallyRow | None, target: Decimal | None) -> api.TallyRowOut:
    off = row.sum_after - total.sum_after * target / 100 if total is not None and target is not None else None
    return api.TallyRowOut(
        group=row.group,
        count_before=row.count_before,
        count_after=row.count_after,
        sum_before=str(row.sum_before),
        sum_after=str(row.sum_after),
        delta=f"{row.delta:+f}" if row.delta else "0",
        share_before=_share(row.sum_before, total.sum_before) if total is not None else None,
        share_after=_share(row.sum_after, total.sum_after) if total is not None else None,
        target=float(target) if target is not None else None,
        off=f"{off.normalize():+f}" if off is not None else "",
    )


def _share(part: Decimal, whole: Decimal) -> float | None:
    return float(part / whole * 100) if whole else None


def room_out(found: Room) -> api.RoomOut:
    """What to lower, in the shape of the API."""
    lowered = [
        api.LoweredOut(address=one.address, old=f"{one.old:f}", new=f"{one.new:f}", reason=one.reason)
        for one in found.lowered
    ]
    return api.RoomOut(
        words=room_in_words(found),
        total=f"{found.total:f}",
        limit=f"{found.limit:f}",
        after=f"{found.after:f}",
        missing=f"{found.missing:f}",
        lowered=lowered,
        spared=found.spared,
        skipped=list(found.skipped),
    )


# --- odds -------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class TableOdds:
    """The odds of one table in one case, with its tables and, where it was asked for, its worth."""

    name: str
    tables: DrawTables
    chances: Sequence[Chance]
    worth: TableWorth | None = None

    @property
    def key(self) -> tuple[str, str]:
        return self.name, self.tables.case


def odds_out(old: Sequence[TableOdds], new: Sequence[TableOdds], before: str, after: str) -> list[api.OddsOut]:
    """The odds of each table of the new state beside those of the old one; a thing that is gone comes last."""
    known = {one.key: one for one in old}
    found = []
    for one in new:
        was = known.get(one.key)
        notes = [
            f"Nothing is at {address}, where the gamebook looks for draw tables." for address in one.tables.missing
        ]
        notes += [
            f"{table.name}: {note}" if table.name != one.name else note
            for table in reached(one.tables.tables, one.name)
            for note in without_effect(table)
        ]
        found.append(
            api.OddsOut(
                table=one.name,
                before=before,
                after=after,
                chances=_paired(was.chances if was is not None else (), one.chances),
                case=one.tables.case if one.tables.depends(one.name) else None,
                notes=notes,
                worth_before=_worth(was.worth) if was is not None else None,
                worth_after=_worth(one.worth),
            )
        )
    return found


def _worth(worth: TableWorth | None) -> api.WorthOut | None:
    if worth is None:
        return None
    return api.WorthOut(least=float(worth.least), most=float(worth.most), without=list(worth.without))


def _paired(old: Iterable[Chance], new: Sequence[Chance]) -> list[api.ChanceOut]:
    before = {one.thing: one for one in old}
    pairs = [(before.pop(one.thing, _never(one.thing)), one) for one in new]
    pairs += [(one, _never(one.thing)) for one in before.values()]
    return [
        api.ChanceOut(
            thing=now.thing,
            before=float(was.at_least_one),
            after=float(now.at_least_one),
            exact=_fraction(now.at_least_one),
            expected_before=float(was.expected),
            expected_after=float(now.expected),
            quality=_quality(now),
        )
        for was, now in pairs
    ]


_MOST_DIGITS = 400  # of an exact fraction that is shown


def _fraction(number: Fraction) -> str:
    short = number.denominator.bit_length() <= 3 * _MOST_DIGITS
    return str(number) if short else f"{float(number):.15g}"


def _quality(chance: Chance) -> api.QualityOut | None:
    found = chance.quality
    if found is None:
        return None
    return api.QualityOut(least=float(found.least), most=float(found.most), mean=float(found.mean))


def _never(thing: str) -> Chance:
    return Chance(thing, Fraction(), Fraction())


def seen_out(found: Seen, state: str) -> api.SeenOut:
    """What was seen, held against the odds in one state."""
    return api.SeenOut(
        words=seen_in_words(found, state or "the files as they are"),
        chance=f"{found.chance:.12g}",
        once_in=once_in(found.chance),
        expected=float(found.expected),
        verdict=found.verdict,
        state=state,
    )


def apart_out(found: Apart, thing: str, before: Fraction, after: Fraction) -> api.ApartOut:
    """How many draws tell two chances apart."""
    larger = "the chance after the change" if after > before else "the chance before the change"
    words = (
        f"{found.draws:,} draws tell {percent(float(before))} from {percent(float(after))}: if {found.least:,} or more of them "
        f"bring {thing}, it is {larger}. That is wrong in fewer than 5 of 100 times, either way."
    )
    return api.ApartOut(words=words, draws=found.draws, least=found.least, before=float(before), after=float(after))


def weight_out(found: WeightFor, thing: str, wanted: Fraction, aim: str) -> api.WeightOut:
    """Which weight gives what is wanted."""

    def spelled(number: Fraction) -> str:
        return percent(float(number)) if aim == "chance" else f"{float(number):.6g}"

    now = f"It is {found.now:f} now, which gives {spelled(found.result_now)}."
    if found.below == found.above:
        words = f"The {found.what} {found.below.number:f} gives {thing} exactly {spelled(wanted)}. {now}"
    elif abs(found.above.result - found.below.result) * 10_000 < max(found.above.result, found.below.result):
        words = f"For {spelled(wanted)} of {thing}, the {found.what} is {found.above.number:f}, rounded to six digits. {now}"
    else:
        words = (
            f"For {spelled(wanted)} of {thing}, the {found.what} is between {found.below.number:f} ({spelled(found.below.result)}) "
            f"and {found.above.number:f} ({spelled(found.above.result)}). {now}"
        )
    return api.WeightOut(
        words=words,
        address=found.address,
        what="chance" if found.what == "chance" else "weight",
        now=f"{found.now:f}",
        result_now=float(found.result_now),
        below=api.WantedOut(number=f"{found.below.number:f}", result=float(found.below.result)),
        above=api.WantedOut(number=f"{found.above.number:f}", result=float(found.above.result)),
    )


# --- derived values ---------------------------------------------------------------------------------------------------


def derived_out(
    gamebook: Gamebook,
    old: Mapping[str, Sequence[DerivedRow]],
    new: Mapping[str, Sequence[DerivedRow]],
    amounts: Sequence[Fraction],
) -> list[api.DerivedOut]:
    """Derived values by name, beside those before, and for each amount."""
    found = []
    for name, rows in new.items():
        before = {row.address: row for row in old.get(name, ())}
        rule = next(rule for rule in gamebook.rules.of(DerivedRules) if rule.name == name)
        line = gamebook.line_of(gamebook.place_of(rule).location)
        found += [_derived_row(name, row, before.get(row.address), amounts, rule, line) for row in rows]
    return found


def _derived_row(
    name: str, row: DerivedRow, was: DerivedRow | None, amounts: Sequence[Fraction], rule: DerivedRules, line: int
) -> api.DerivedOut:
    return api.DerivedOut(
        name=name,
        address=row.address,
        thing=row.thing,
        place=row.place,
        source=row.source,
        value=_plain(row.at(None)),
        before=_plain(was.at(None)) if was is not None else None,
        low=(float(row.low[0]), float(row.low[1])) if row.low else None,
        high=(float(row.high[0]), float(row.high[1])) if row.high else None,
        amounts=[
            api.AtAmountOut(
                amount=shown(amount),
                value=_plain(row.at(amount)),
                before=_plain(was.at(amount)) if was is not None else None,
            )
            for amount in amounts
        ],
        inputs=[
            api.InputOut(name=key, number=float(number), source=source) for key, (number, source) in row.inputs.items()
        ],
        rule=_made_of(rule),
        line=line,
        fault=row.fault,
    )


def _made_of(rule: DerivedRules) -> str:
    """What a derived value is made of, in the words of its rule."""
    parts = ["its own value" if rule.value == "." else rule.value, *(f"else {address}" for address in rule.fallback)]
    if rule.between is not None:
        ends = " to ".join((" or ".join(rule.between.low), *filter(None, (" or ".join(rule.between.high),))))
        parts.append(f"along {ends}")
    if rule.result:
        parts.append(f"then {rule.result}")
    return ", ".join(parts)


def _plain(value: Fraction | None) -> float | None:
    return float(value) if value is not None else None


def free_numbers_out(rows: Iterable[FreeNumber]) -> list[api.FreeNumberOut]:
    """The next free numbers in the shape of the API."""
    return [api.FreeNumberOut.model_validate(row, from_attributes=True) for row in rows]


def distances_out(rows: Iterable[Distance]) -> list[api.DistanceOut]:
    """Distances in the shape of the API."""
    return [
        api.DistanceOut(
            address=row.address,
            point=[str(number) for number in row.point],
            distance=str(row.distance) if row.distance is not None else None,
            is_inside=row.is_inside,
            fault=row.fault,
            nearest=row.nearest,
            floor=row.floor,
            turned=str(row.turned) if row.turned is not None else None,
        )
        for row in rows
    ]


# --- loops ------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class LoopsOf:
    """The trades of one state and their loops."""

    trades: Trades
    loops: Loops


def loops_out(name: str, old: LoopsOf | None, new: LoopsOf, before: str, after: str) -> api.LoopsOut:
    """The loops after a change, marked where they are new, and those that it ends."""
    known = {_identity(loop) for loop in old.loops.loops} if old is not None else set()
    now = {_identity(loop) for loop in new.loops.loops}
    ended = [loop_in_words(loop) for loop in old.loops.loops if _identity(loop) not in now] if old is not None else []
    return api.LoopsOut(
        name=name,
        before=before,
        after=after,
        loops=[_loop(loop, is_new=old is not None and _identity(loop) not in known) for loop in new.loops.loops],
        ended=ended,
        verdict=_verdict(new.loops),
        trades=new.loops.trades,
        gifts=[f"{one.name}: {one.address}" for one in new.loops.gifts],
        left_out=list(new.trades.left_out),
    )


def _identity(loop: Loop) -> frozenset[tuple[str, str]]:
    return frozenset((step.trade.name, step.trade.address) for step in loop.steps)


def _verdict(loops: Loops) -> str:
    """What is certain of the loops that are not told."""
    other = "other " if loops.loops else ""
    if loops.bound is None:
        return "There may be more loops. End these, and look again."
    if loops.bound == 0:
        return f"It is certain that no {other}loop gains money."
    return f"No {other}loop was found. That one gains more than {float(loops.bound):.3g} money with each of its trades is ruled out."


def _loop(loop: Loop, *, is_new: bool) -> api.LoopOut:
    fix = loop.fix
    return api.LoopOut(
        words=loop_in_words(loop),
        steps=[
            api.LoopStepOut(
                trade=step.trade.name,
                address=step.trade.address,
                times=shown(step.times),
                gives=_side(step.trade.gives, step.trade.pays),
                gets=_side(step.trade.gets, step.trade.earns),
            )
            for step in loop.steps
        ],
        gain=shown(loop.gain),
        things={thing: shown(many) for thing, many in loop.things.items()},
        fix=api.FixOut(
            address=fix.address,
            trade=fix.trade,
            old=shown(fix.old),
            new=shown(fix.new),
            is_paid=fix.is_paid,
            words=fix_in_words(fix),
        )
        if fix is not None
        else None,
        is_new=is_new,
    )


def _side(things: Mapping[str, Fraction], money: Fraction) -> str:
    parts = [f"{shown(many)} {thing}" for thing, many in list(things.items())[:6]]
    parts += [f"and {len(things) - 6} more things"] if len(things) > 6 else []
    parts += [f"{shown(money)} money"] if money else []
    return ", ".join(parts)
