"""Notes beside places: why a value is as it is, and comments in a change. They are for people; nothing is decided by them."""

from __future__ import annotations

from typing import Final

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zerrit.core.addresses import parse_address
from zerrit.records import PlaceNote
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import get_change
from zerrit.work.servers.servers import get_server

MOST_NOTES: Final = 2000  # of one server, and of one change


def notes_of_server(session: Session, server_id: str, address: str = "") -> list[PlaceNote]:
    """The notes of a server that belong to no change, of one address or of all, the newest first."""
    query = select(PlaceNote).where(PlaceNote.server_id == server_id, PlaceNote.change_id.is_(None))
    if address:
        query = query.where(PlaceNote.address == address)
    return list(session.scalars(query.order_by(PlaceNote.id.desc()).limit(MOST_NOTES)))


def list_notes(workspace: Workspace, server_id: str, address: str = "") -> list[PlaceNote]:
    """The notes of a server. Raises NotFound."""
    with workspace.session() as session:
        get_server(session, server_id)
        return notes_of_server(session, server_id, address)


def list_comments(workspace: Workspace, change_id: int) -> list[PlaceNote]:
    """The comments in a change, the oldest first. Raises NotFound."""
    with workspace.session() as session:
        get_change(session, change_id)
        query = select(PlaceNote).where(PlaceNote.change_id == change_id)
        return list(session.scalars(query.order_by(PlaceNote.id).limit(MOST_NOTES)))


def add_note(workspace: Workspace, person: str, server_id: str, address: str, text: str) -> PlaceNote:
    """Write a note beside a place of a server. Raises NotFound, AddressInvalid, Refused: nothing is said."""
    with workspace.writing() as session:
        get_server(session, server_id)
        return _add(workspace, session, person, server_id, None, address, text)


def add_comment(workspace: Workspace, person: str, change_id: int, address: str, text: str) -> PlaceNote:
    """Write a comment in a change, beside a place or, without one, on the change as a whole. Raises NotFound, Refused."""
    with workspace.writing() as session:
        change = get_change(session, change_id)
        return _add(workspace, session, person, change.server_id, change_id, address, text)


def _add(
    workspace: Workspace, session: Session, person: str, server_id: str, change_id: int | None, address: str, text: str
) -> PlaceNote:
    if not text.strip():
        raise Refused("Write something; an empty note says nothing.")
    if address:
        parse_address(address)
    of = PlaceNote.change_id == change_id if change_id is not None else PlaceNote.change_id.is_(None)
    count = session.scalar(select(func.count(PlaceNote.id)).where(PlaceNote.server_id == server_id, of)) or 0
    if count >= MOST_NOTES:
        raise Refused(f"There are {MOST_NOTES} notes here already. Remove some that no one needs.")
    row = PlaceNote(
        server_id=server_id,
        change_id=change_id,
        address=address,
        text=text.strip(),
        author=person,
        created_at=workspace.now(),
    )
    session.add(row)
    where = f"change {change_id}: {address}" if change_id is not None else address
    note(workspace, session, person, "note.added", server_id, where)
    workspace.publish("note", {"server": server_id, "change": change_id})
    return row


def remove_note(workspace: Workspace, person: str, note_id: int) -> None:
    """Remove a note or comment of your own. Raises NotFound, Refused: another person wrote it."""
    with workspace.writing() as session:
        row = session.get(PlaceNote, note_id)
        if row is None:
            raise NotFound(f"There is no note {note_id}.")
        if row.author != person:
            raise Refused(
                f"{row.author} wrote this. Only they can remove it; write another one that says what is so now."
            )
        note(workspace, session, person, "note.removed", row.server_id, f"{row.address}: {row.text}")
        workspace.publish("note", {"server": row.server_id, "change": row.change_id})
        session.delete(row)
