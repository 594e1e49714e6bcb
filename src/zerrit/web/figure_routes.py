"""The routes of `/api/v1` that give figures."""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction
from typing import Annotated

from fastapi import APIRouter, Query

from zerrit import api
from zerrit.report.figures import derived_out, distances_out, free_numbers_out, odds_out, tally_out
from zerrit.web.context import PersonDep, WorkspaceDep
from zerrit.work.browse import figures

router = APIRouter(prefix="/api/v1/servers/{server_id}/figures", tags=["figures"])
Address = Annotated[str, Query(max_length=2000)]


@router.get("/balance")
def balance(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    address: Address,
    by: str = "",
    change: api.Number | None = None,
) -> api.TallyOut:
    """Sum and count by group, before and after a change; without one, against the defaults."""
    states = figures.states_of(here, server_id, change)
    return tally_out(figures.balance(states, address, by), states.old_name, states.new_name)


@router.get("/odds")
def odds(
    server_id: str, here: WorkspaceDep, _who: PersonDep, table: str = "", change: api.Number | None = None
) -> list[api.OddsOut]:
    """The exact odds of draw tables, before and after."""
    states = figures.states_of(here, server_id, change)
    before, after = figures.chances(states, table)
    return odds_out(before, after, states.old_name, states.new_name)


@router.get("/derived")
def derived(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    name: str,
    amount: Annotated[Decimal | None, Query(allow_inf_nan=False)] = None,
    change: api.Number | None = None,
) -> list[api.DerivedOut]:
    """A value that the game works out, for every entry that has it."""
    rows = figures.derived(figures.states_of(here, server_id, change), name)
    return derived_out(rows, Fraction(amount) if amount is not None else None)


@router.get("/free-numbers")
def free_numbers(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    address: Annotated[list[str], Query(max_length=20)],
    change: api.Number | None = None,
) -> list[api.FreeNumberOut]:
    """The next free number of each family of ids; several addresses are one set."""
    return free_numbers_out(figures.free(figures.states_of(here, server_id, change), address))


@router.get("/distances")
def distances(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    address: Address,
    axes: Annotated[list[str], Query(max_length=6)],
    centre: Annotated[list[Decimal], Query(max_length=6)],
    radius: Annotated[Decimal | None, Query(ge=0)] = None,
    change: api.Number | None = None,
) -> list[api.DistanceOut]:
    """How far entries lie from a centre, and which of them within a radius."""
    return distances_out(figures.distances(figures.states_of(here, server_id, change), address, axes, centre, radius))
