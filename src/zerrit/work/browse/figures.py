"""Figures of a server: of its latest files, or of what a change makes of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from sqlalchemy.orm import Session

from zerrit.core.documents import Document
from zerrit.core.errors import FigureRefused
from zerrit.core.figures import (
    Chance,
    DerivedRow,
    Distance,
    FreeNumber,
    Tally,
    derive,
    distances_at,
    free_numbers,
    odds_by_table,
    tally,
)
from zerrit.core.gamebooks import Gamebook
from zerrit.work.base.errors import NotFound
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import get_change, preview
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.snapshots import defaults_of, documents, require_latest


@dataclass(frozen=True, slots=True)
class States:
    """Files before and after, and what the two are called."""

    before: Mapping[str, Document]
    after: Mapping[str, Document]
    old_name: str
    new_name: str
    gamebook: Gamebook | None


def states_of(workspace: Workspace, server_id: str, change_id: int | None) -> States:
    """Before and after a change; without one, as the game ships its files and as they are.

    Raises NotFound.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        if change_id is not None:
            return _of_change(workspace, session, server_id, change_id, gamebook)
        latest = require_latest(session, server_id)
        newest = documents(workspace, session, server, latest)
        shipped = defaults_of(session, server_id, None)
        if shipped is None:
            return States(newest, newest, f"snapshot {latest.id}", f"snapshot {latest.id}", gamebook)
        defaults = documents(workspace, session, server, shipped)
        return States(defaults, newest, f"defaults {shipped.label}", f"snapshot {latest.id}", gamebook)


def _of_change(
    workspace: Workspace, session: Session, server_id: str, change_id: int, gamebook: Gamebook | None
) -> States:
    change = get_change(session, change_id)
    if change.server_id != server_id:
        raise NotFound(f"Change {change_id} belongs to {change.server_id}, not to {server_id}.")
    seen = preview(workspace, session, change)
    return States(seen.before, seen.replayed.documents, f"snapshot {change.base_id}", f"change {change_id}", gamebook)


def balance(states: States, address: str, by: str) -> Tally:
    """Raises AddressInvalid, FigureRefused."""
    return tally(states.before, states.after, address, by)


Chances = Mapping[str, Sequence[Chance]]


def chances(states: States, table: str) -> tuple[Chances, Chances]:
    """The odds of one table, or of each that a player opens, before and after.

    Raises FigureRefused.
    """
    book = _require(states.gamebook)
    after = odds_by_table(book, states.after, table)
    try:
        return odds_by_table(book, states.before, table), after
    except FigureRefused:
        return {}, after  # the tables may be new, or were broken before


def derived(states: States, name: str) -> list[DerivedRow]:
    """Raises FigureRefused."""
    return derive(_require(states.gamebook), states.after, name)


def free(states: States, addresses: Sequence[str]) -> list[FreeNumber]:
    """Raises AddressInvalid, FigureRefused."""
    return free_numbers(states.after, addresses)


def distances(
    states: States, address: str, axes: Sequence[str], centre: Sequence[Decimal], radius: Decimal | None
) -> list[Distance]:
    """Raises AddressInvalid, FigureRefused."""
    return distances_at(states.after, address, axes, centre, radius)


def _require(gamebook: Gamebook | None) -> Gamebook:
    if gamebook is None:
        raise FigureRefused("This server has no gamebook, which would say where its draw tables and prices are.")
    return gamebook
