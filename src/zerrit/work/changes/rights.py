"""What a person may bring to a server: an admin everything, a helper what stays at the places that an admin gave them."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.errors import ZerritError
from zerrit.core.place_rights import outside, places_on
from zerrit.records import Change, Person
from zerrit.work.base.accounts import HELPER
from zerrit.work.base.errors import NotAllowed
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import worked_out

MOST_NAMED = 5


def beyond_rights(workspace: Workspace, session: Session, person: str, change: Change) -> list[str]:
    """What a change does that this person may not bring to a server, as addresses or paths; nothing for an admin."""
    helper = session.scalar(select(Person).where(Person.name == person, Person.role == HELPER))
    if helper is None:
        return []  # an admin, or the clock, which only carries out what someone was allowed to queue
    places = places_on(helper.may_change, change.server_id)
    known = worked_out(workspace, session, change)
    return outside(places, known.files, known.replayed)


def require_rights(workspace: Workspace, session: Session, person: str, change: Change) -> None:
    """Raises NotAllowed: the change does something that this person may not bring to a server."""
    beyond = beyond_rights(workspace, session, person, change)
    if beyond:
        more = f" and {len(beyond) - MOST_NAMED} more" if len(beyond) > MOST_NAMED else ""
        raise NotAllowed(
            f"Change {change.id} goes beyond what you may change: {', '.join(beyond[:MOST_NAMED])}{more}. "
            "Ask an admin to look at it and to deploy it, or take these steps out."
        )


def beyond_rights_of_author(workspace: Workspace, session: Session, change: Change) -> list[str]:
    """What its author may not bring to a server; nothing where the change cannot be worked out any more."""
    try:
        return beyond_rights(workspace, session, change.author, change)
    except ZerritError:
        return []
