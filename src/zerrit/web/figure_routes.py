"""The routes of `/api/v1` that give figures."""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction
from typing import Annotated

from fastapi import APIRouter, Query

from zerrit import api
from zerrit.core.figures import DerivedRow, TallyRow
from zerrit.web.context import PersonDep, WorkspaceDep
from zerrit.work import figures

router = APIRouter(prefix="/api/v1/servers/{server_id}/figures", tags=["figures"])
Address = Annotated[str, Query(max_length=2000)]


@router.get("/balance")
def balance(
    server_id: str, here: WorkspaceDep, _who: PersonDep, address: Address, by: str = "", change: int | None = None
) -> api.TallyOut:
    """Sum and count by group, before and after a change; without one, against the defaults."""
    states = figures.states_of(here, server_id, change)
    found = figures.balance(states, address, by)
    return api.TallyOut(
        before=states.old_name,
        after=states.new_name,
        rows=[_row(row) for row in found.rows],
        total=_row(found.total),
        skipped=list(found.skipped),
    )


def _row(row: TallyRow) -> api.TallyRowOut:
    return api.TallyRowOut(
        group=row.group,
        count_before=row.count_before,
        count_after=row.count_after,
        sum_before=str(row.sum_before),
        sum_after=str(row.sum_after),
        delta=f"{row.delta:+f}" if row.delta else "0",
    )


@router.get("/odds")
def odds(
    server_id: str, here: WorkspaceDep, _who: PersonDep, table: str = "", change: int | None = None
) -> list[api.OddsOut]:
    """The exact odds of draw tables, before and after."""
    states = figures.states_of(here, server_id, change)
    return [
        api.OddsOut(
            table=one.table,
            before=states.old_name,
            after=states.new_name,
            chances=[
                api.ChanceOut(
                    thing=new.thing,
                    before=float(old.at_least_one),
                    after=float(new.at_least_one),
                    exact=str(new.at_least_one),
                    expected_before=float(old.expected),
                    expected_after=float(new.expected),
                )
                for old, new in one.chances
            ],
        )
        for one in figures.chances(states, table)
    ]


@router.get("/derived")
def derived(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    name: str,
    amount: Annotated[Decimal | None, Query(allow_inf_nan=False)] = None,
    change: int | None = None,
) -> list[api.DerivedOut]:
    """A value that the game works out, for every entry that has it."""
    rows = figures.derived(figures.states_of(here, server_id, change), name)
    return [_derived(row, Fraction(amount) if amount is not None else None) for row in rows]


def _derived(row: DerivedRow, amount: Fraction | None) -> api.DerivedOut:
    at = row.at(amount) if amount is not None else None
    return api.DerivedOut(
        address=row.address,
        source=row.source,
        value=float(row.value) if row.value is not None else None,
        low=(float(row.low[0]), float(row.low[1])) if row.low else None,
        high=(float(row.high[0]), float(row.high[1])) if row.high else None,
        at_amount=float(at) if at is not None else None,
        fault=row.fault,
    )


@router.get("/free-numbers")
def free_numbers(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    address: Annotated[list[str], Query(max_length=20)],
    change: int | None = None,
) -> list[api.FreeNumberOut]:
    """The next free number of each family of ids; several addresses are one set."""
    found = figures.free(figures.states_of(here, server_id, change), address)
    return [api.FreeNumberOut.model_validate(one, from_attributes=True) for one in found]


@router.get("/distances")
def distances(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    address: Address,
    axes: Annotated[list[str], Query(max_length=6)],
    centre: Annotated[list[Decimal], Query(max_length=6)],
    radius: Annotated[Decimal | None, Query(ge=0)] = None,
    change: int | None = None,
) -> list[api.DistanceOut]:
    """How far entries lie from a centre, and which of them within a radius."""
    found = figures.distances(figures.states_of(here, server_id, change), address, axes, centre, radius)
    return [
        api.DistanceOut(
            address=one.address,
            point=[str(number) for number in one.point],
            distance=str(one.distance) if one.distance is not None else None,
            is_inside=one.is_inside,
            fault=one.fault,
        )
        for one in found
    ]
