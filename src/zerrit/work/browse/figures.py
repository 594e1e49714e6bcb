"""The states of a server of which figures are worked out: its latest files, or what a change makes of them."""

from __future__ import annotations

from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.addresses import parse_address
from zerrit.core.documents.file_selection import values_at
from zerrit.core.figures.states import States
from zerrit.core.gamebooks import Gamebook
from zerrit.core.wildcards import path_matches
from zerrit.records import Snapshot
from zerrit.work.base.errors import NotFound
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import get_change, preview
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.snapshots import defaults_of, digests, documents, documents_of, require_latest

MOST_LOOKED_AT: Final = 200  #: snapshots that are looked at for when a value last changed


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


def set_by_change(workspace: Workspace, change_id: int) -> frozenset[str]:
    """The addresses of all values that a change sets, and of the entries that it adds. Raises NotFound."""
    with workspace.session() as session:
        seen = preview(workspace, session, get_change(session, change_id))
    return frozenset(change.address for outcome in seen.replayed.outcomes for change in outcome.changes)


def ages_of(workspace: Workspace, server_id: str, address: str) -> dict[str, int]:
    """For each value at an address how many snapshots it is old: larger is older.

    A value is as old as the first of the snapshots, going back without a gap, in which it is the same.

    Raises NotFound, AddressInvalid.
    """
    pattern = parse_address(address).path
    ages: dict[str, int] = {}
    with workspace.session() as session:
        server = get_server(session, server_id)
        query = select(Snapshot).where(Snapshot.server_id == server_id, Snapshot.kind == "server")
        held_before: dict[str, str] | None = None
        values: dict[str, str | None] = {}
        settled: set[str] = set()
        for age, snapshot in enumerate(session.scalars(query.order_by(Snapshot.id.desc()).limit(MOST_LOOKED_AT)), 1):
            held = {path: one for path, one in digests(session, snapshot).items() if path_matches(pattern, path)}
            if held != held_before:
                held_before = held
                files = documents_of(workspace, session, server, held)
                now = {f"{one.path}#{one.keys.address_of(node)}": node.value for one, node in values_at(address, files)}
                if age == 1:
                    values = now
                settled |= {place for place, value in values.items() if now.get(place) != value or place not in now}
            for place in values:
                if place not in settled:
                    ages[place] = age
            if len(settled) == len(values):
                break
    return ages
