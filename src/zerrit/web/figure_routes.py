"""The routes of `/api/v1` that give figures."""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction
from typing import Annotated, Literal

from fastapi import APIRouter, Query

from zerrit import api
from zerrit.core.figures import Direction, Facing, Measured
from zerrit.report import figure_answers as answers
from zerrit.web.context import PersonDep, WorkspaceDep
from zerrit.work.base.errors import Refused
from zerrit.work.browse import figures

router = APIRouter(prefix="/api/v1/servers/{server_id}/figures", tags=["figures"])
Address = Annotated[str, Query(max_length=2000)]
Addresses = Annotated[tuple[str, ...], Query(max_length=50)]
Name = Annotated[str, Query(max_length=200)]
Number = Annotated[Decimal, Query(allow_inf_nan=False)]
Numbers = Annotated[tuple[Decimal, ...], Query(max_length=12)]


@router.get("/balance")
def balance(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    address: Address,
    by: Annotated[tuple[str, ...], Query(max_length=50)] = (),
    target: Annotated[tuple[str, ...], Query(max_length=50)] = (),
    change: api.Number | None = None,
) -> api.TallyOut:
    """Sum and count by group, before and after a change; without one, against the defaults.

    Each `target` is `GROUP=PERCENT`, the share of the sum that a group should have.
    """
    states = figures.states_of(here, server_id, change)
    return answers.balance(states, address, [one for one in by if one], dict(map(_target, target)))


def _target(text: str) -> tuple[str, Decimal]:
    group, _, share = text.rpartition("=")
    try:
        number = Decimal(share.strip().removesuffix("%"))
    except ArithmeticError as error:
        raise Refused(f"`{text}` is not a target; write GROUP=PERCENT, such as tools=25.") from error
    if not group or not number.is_finite():
        raise Refused(f"`{text}` is not a target; write GROUP=PERCENT, such as tools=25.")
    return group.strip(), number


@router.get("/room")
def room(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    address: Address,
    limit: Number | None = None,
    by: Literal["share", "order", "age"] = "share",
    first: Addresses = (),
    spare: Addresses = (),
    change: api.Number | None = None,
) -> api.RoomOut:
    """Which numbers to lower, so that their sum stays within a limit. What the change itself sets is not touched."""
    states = figures.states_of(here, server_id, change)
    spared = set(spare) | (figures.set_by_change(here, change) if change is not None else set())
    ages = figures.ages_of(here, server_id, address) if by == "age" else None
    return answers.room(states, address, limit, by=by, first=first, spare=spared, ages=ages)


@router.get("/odds")
def odds(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    table: Name = "",
    case: Name | None = None,
    worth: Address = "",
    amount: Number | None = None,
    change: api.Number | None = None,
) -> list[api.OddsOut]:
    """The exact odds of draw tables, before and after; with `worth`, what a use is worth on average, at an amount in stock."""
    stock = Fraction(amount) if amount is not None else None
    return answers.odds_of(figures.states_of(here, server_id, change), table, case, worth, stock)


@router.get("/odds/seen")
def seen(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    table: Name,
    thing: Name,
    count: Annotated[int, Query(ge=0)],
    draws: Annotated[int, Query(ge=1)],
    pieces: bool = False,
    case: Name = "",
    change: api.Number | None = None,
) -> list[api.SeenOut]:
    """How likely it is to see a thing as often as it was seen, or more extreme."""
    states = figures.states_of(here, server_id, change)
    return answers.seen(states, table, thing, count, draws, in_pieces=pieces, case=case)


@router.get("/odds/apart")
def apart(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    table: Name,
    thing: Name,
    case: Name = "",
    change: api.Number | None = None,
) -> api.ApartOut:
    """How many draws tell the odds before a change from those after it."""
    return answers.apart(figures.states_of(here, server_id, change), table, thing, case)


@router.get("/odds/weight")
def weight(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    table: Name,
    thing: Name,
    chance: Annotated[Decimal | None, Query(ge=0, le=1)] = None,
    average: Annotated[Decimal | None, Query(ge=0, allow_inf_nan=False)] = None,
    at: Address = "",
    whole: bool = False,
    case: Name = "",
    change: api.Number | None = None,
) -> api.WeightOut:
    """Which weight gives a thing a chance of at least one, or an average number."""
    if (chance is None) is (average is None):
        raise Refused("Say what is wanted: a chance from 0 to 1, or an average number.")
    wanted = Fraction(chance if chance is not None else average or 0)
    aim: Literal["chance", "average"] = "chance" if chance is not None else "average"
    states = figures.states_of(here, server_id, change)
    return answers.weight(states, table, thing, wanted, aim=aim, place=at, whole=whole, case=case)


@router.get("/derived")
def derived(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    name: Annotated[list[str], Query(min_length=1, max_length=20)],
    amount: Annotated[tuple[Decimal, ...], Query(max_length=20)] = (),
    change: api.Number | None = None,
) -> list[api.DerivedOut]:
    """Values that the game works out, for every entry that has them, beside those before."""
    amounts = [Fraction(one) for one in amount if one.is_finite()]
    return answers.derived(figures.states_of(here, server_id, change), name, amounts)


@router.get("/loops")
def loops(
    server_id: str, here: WorkspaceDep, _who: PersonDep, name: Name = "", change: api.Number | None = None
) -> api.LoopsOut:
    """Trades that gain in a circle, with the smallest change of a price that ends each."""
    return answers.loops(figures.states_of(here, server_id, change), name)


@router.get("/free-numbers")
def free_numbers(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    address: Annotated[list[str], Query(max_length=20)],
    change: api.Number | None = None,
) -> list[api.FreeNumberOut]:
    """The next free number of each family of ids; several addresses are one set."""
    return answers.free(figures.states_of(here, server_id, change), address)


@router.get("/distances")
def distances(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    address: Address,
    axes: Annotated[list[str], Query(min_length=1, max_length=6)],
    centre: Numbers = (),
    to: Address = "",
    radius: Annotated[Decimal | None, Query(ge=0)] = None,
    box: Numbers = (),
    height: Name = "",
    floors: Numbers = (),
    facing: Name = "",
    zero: Direction = "+z",
    turns: Literal["right", "left"] = "right",
    change: api.Number | None = None,
) -> list[api.DistanceOut]:
    """How far entries lie from a centre, or from the nearest of others; within a radius or a box, by floor and facing."""
    faces = Facing(facing, zero, turns == "right") if facing else None
    asked = Measured(axes, centre, to, radius, box, height, floors, faces)
    return answers.distances(figures.states_of(here, server_id, change), address, asked)
