"""What a person may bring to a server: an admin everything, a helper what stays at the places that an admin gave them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.errors import ZerritError
from zerrit.core.place_rights import outside, places_on
from zerrit.records import Change, Person
from zerrit.work.base.accounts import ADMIN, HELPER
from zerrit.work.base.errors import NotAllowed
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import work_key, worked_out

MOST_NAMED: Final = 5


def require_rights(workspace: Workspace, session: Session, by: Person | None, change: Change) -> None:
    """Raises NotAllowed: the change does something that the one who asks may not bring to a server.

    `by` is None for what the service does itself, with changes that someone was allowed to queue or to roll out.
    """
    if by is None or by.role == ADMIN:
        return
    now = session.get(Person, by.id)  # whoever was removed in the meantime may change nothing
    beyond = _beyond(workspace, session, now.may_change if now is not None else [], change)
    if beyond:
        more = f" and {len(beyond) - MOST_NAMED} more" if len(beyond) > MOST_NAMED else ""
        raise NotAllowed(
            f"Change {change.id} goes beyond what you may change: {', '.join(beyond[:MOST_NAMED])}{more}. "
            "Ask an admin to look at it and to deploy it, or take these steps out."
        )


def beyond_rights_of_author(workspace: Workspace, session: Session, change: Change) -> list[str]:
    """What a change does that its author may not bring to a server, as addresses or paths; nothing where an admin made it.

    Nothing either where it cannot be worked out any more.
    """
    helper = session.scalar(select(Person).where(Person.name == change.author, Person.role == HELPER))
    if helper is None:
        return []
    try:
        return _beyond(workspace, session, helper.may_change, change)
    except ZerritError:
        return []


def _beyond(workspace: Workspace, session: Session, places: Sequence[str], change: Change) -> list[str]:
    def work_out() -> list[str]:
        known = worked_out(workspace, session, change)
        return outside(places_on(places, change.server_id), known.files, known.replayed)

    return workspace.beyond.get_or_make((work_key(session, change), tuple(places)), work_out)
