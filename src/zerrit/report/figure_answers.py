"""Figures of two states, as the service answers and the command prints them."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from decimal import Decimal
from fractions import Fraction

from zerrit import api
from zerrit.core.documents import Document, Node
from zerrit.core.errors import FigureRefused
from zerrit.core.figures import (
    Aim,
    Measured,
    Way,
    derive,
    distances_at,
    draws_to_tell_apart,
    find_loops,
    free_numbers,
    loop_rules,
    make_room,
    odds,
    opened,
    pieces,
    read_tables,
    read_trades,
    seen_in_draws,
    seen_in_pieces,
    table_worth,
    tally,
    weight_for,
    worth_of_things,
)
from zerrit.core.figures.states import States
from zerrit.core.gamebooks import Gamebook
from zerrit.core.rules import BalanceRule
from zerrit.core.rules.loops import LoopRules
from zerrit.report.figures import (
    LoopsOf,
    TableOdds,
    apart_out,
    derived_out,
    distances_out,
    free_numbers_out,
    loops_out,
    odds_out,
    room_out,
    seen_out,
    tally_out,
    weight_out,
)


def balance(
    states: States, address: str, by: Sequence[str] = (), targets: Mapping[str, Decimal] | None = None
) -> api.TallyOut:
    """Sum and count by group. Raises AddressInvalid, FigureRefused."""
    found = tally(states.before, states.after, address, by)
    missing = sorted(set(targets or {}) - {row.group for row in found.rows})
    if missing:
        known = ", ".join(row.group for row in found.rows[:12])
        raise FigureRefused(f"No group is called {missing[0]}. There are: {known}.")
    return tally_out(found, states.old_name, states.new_name, targets)


def room(
    states: States,
    address: str,
    limit: Decimal | None,
    *,
    by: Way = "share",
    first: Sequence[str] = (),
    spare: Collection[str] = (),
    ages: Mapping[str, int] | None = None,
) -> api.RoomOut:
    """What to lower so that a sum stays within its limit; without one, the largest sum that the gamebook allows there.

    Raises AddressInvalid, FigureRefused.
    """
    gamebook = states.gamebook
    most = limit if limit is not None else _limit_of(gamebook, address)

    def least_of(document: Document, node: Node) -> Decimal:
        rules = gamebook.field_rules(document.path, node) if gamebook is not None else None
        return Decimal(rules.min) if rules is not None and rules.min is not None else Decimal()

    found = make_room(states.after, address, most, by=by, first=first, spare=spare, least_of=least_of, ages=ages)
    return room_out(found)


def _limit_of(gamebook: Gamebook | None, address: str) -> Decimal:
    rules = gamebook.rules.of(BalanceRule) if gamebook is not None else ()
    known = [rule for rule in rules if rule.max is not None]
    found = next((rule.max for rule in known if rule.sum == address), None)
    if found is None:
        there = f" It has limits for {', '.join(rule.sum for rule in known)}." if known else ""
        raise FigureRefused(f"Give the largest sum; the gamebook has none for {address}.{there}")
    return found


# --- odds -------------------------------------------------------------------------------------------------------------


def odds_of(
    states: States, table: str = "", case: str | None = None, worth: str = "", amount: Fraction | None = None
) -> list[api.OddsOut]:
    """The odds of one table, or of each that a player opens, before and after. Raises AddressInvalid, FigureRefused."""
    after = _odds(states.book, states.after, table, case, worth, amount)
    try:
        before = _odds(states.book, states.before, table, case, worth, amount) if states.differ else after
    except FigureRefused:
        before = []  # the tables may be new, or were broken before
    return odds_out(before, after, states.old_name, states.new_name)


def _odds(
    gamebook: Gamebook,
    documents: Mapping[str, Document],
    table: str,
    case: str | None,
    worth: str,
    amount: Fraction | None,
) -> list[TableOdds]:
    prices = worth_of_things(gamebook, documents, worth, amount) if worth else None
    found = []
    for name, tables in opened(gamebook, documents, table, case):
        chances = odds(tables.tables, name)
        found.append(TableOdds(name, tables, chances, table_worth(chances, prices) if prices is not None else None))
    return found


def _chance(states: States, table: str, thing: str, case: str, *, is_before: bool) -> Fraction:
    documents = states.before if is_before else states.after
    tables = read_tables(states.book, documents, case)
    found = next((one for one in odds(tables.tables, table) if one.thing == thing), None)
    if found is None:
        known = ", ".join(one.thing for one in odds(tables.tables, table)[:12])
        raise FigureRefused(f"{table} does not bring {thing}. It brings: {known}.")
    return found.at_least_one


def seen(
    states: States, table: str, thing: str, count: int, draws: int, *, in_pieces: bool = False, case: str = ""
) -> list[api.SeenOut]:
    """How likely it is to see a thing so often; with another state before, also with that one, where it differs.

    Raises FigureRefused.
    """
    found = []
    for is_before in (True, False) if states.differ else (False,):
        name = "" if not states.differ else states.old_name if is_before else states.new_name
        if in_pieces:
            documents = states.before if is_before else states.after
            once = pieces(read_tables(states.book, documents, case).tables, table, thing)
            found.append(seen_out(seen_in_pieces(thing, once, count, draws), name))
        else:
            chance = _chance(states, table, thing, case, is_before=is_before)
            found.append(seen_out(seen_in_draws(thing, chance, count, draws), name))
    return found[-1:] if len({one.chance for one in found}) == 1 else found


def apart(states: States, table: str, thing: str, case: str = "") -> api.ApartOut:
    """How many draws tell the state before from that after. Raises FigureRefused."""
    before, after = (_chance(states, table, thing, case, is_before=is_before) for is_before in (True, False))
    return apart_out(draws_to_tell_apart(before, after), thing, before, after)


def weight(
    states: States,
    table: str,
    thing: str,
    wanted: Fraction,
    *,
    aim: Aim = "chance",
    place: str = "",
    whole: bool = False,
    case: str = "",
) -> api.WeightOut:
    """Which weight gives a thing the chance, or average, that is wanted. Raises FigureRefused."""
    tables = read_tables(states.book, states.after, case).tables
    return weight_out(weight_for(tables, table, thing, wanted, aim=aim, place=place, whole=whole), thing, wanted, aim)


# --- prices and trades ------------------------------------------------------------------------------------------------


def derived(states: States, names: Sequence[str], amounts: Sequence[Fraction] = ()) -> list[api.DerivedOut]:
    """Values that the game works out, beside those before. Raises FigureRefused."""
    new = {name: derive(states.book, states.after, name) for name in names}
    old = {name: derive(states.book, states.before, name) for name in names} if states.differ else new
    return derived_out(states.book, old, new, amounts)


def loops(states: States, name: str = "") -> api.LoopsOut:
    """Trades that gain in a circle, beside those before. Raises FigureRefused."""
    rules = loop_rules(states.book, name)
    after = _loops(states.book, states.after, rules)
    try:
        before = _loops(states.book, states.before, rules) if states.differ else None
    except FigureRefused:
        before = None  # what they depend on may be new, or was broken before
    return loops_out(rules.name, before, after, states.old_name, states.new_name)


def _loops(gamebook: Gamebook, documents: Mapping[str, Document], rules: LoopRules) -> LoopsOf:
    trades = read_trades(gamebook, documents, rules)
    return LoopsOf(trades, find_loops(trades.trades, Fraction(rules.least_gain)))


# --- numbers and places -----------------------------------------------------------------------------------------------


def free(states: States, addresses: Sequence[str]) -> list[api.FreeNumberOut]:
    """The next free number of each family of ids. Raises AddressInvalid, FigureRefused."""
    return free_numbers_out(free_numbers(states.after, addresses))


def distances(states: States, address: str, asked: Measured) -> list[api.DistanceOut]:
    """How far entries lie from a centre or from each other. Raises AddressInvalid, FigureRefused."""
    return distances_out(distances_at(states.after, address, asked))
