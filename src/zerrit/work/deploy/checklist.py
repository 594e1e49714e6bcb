"""After the start: what was looked at in the game, and what written values still wait for."""

from __future__ import annotations

from sqlalchemy.orm import Session

from zerrit.core.states import ChangeState
from zerrit.records import Change
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused, WrongState
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import get_change


def say_look(
    workspace: Workspace, person: str, change_id: int, item_id: int, *, is_right: bool, note_: str = ""
) -> Change:
    """Say how one item of the checklist is; when all are right, the change is `confirmed`.

    Raises NotFound, WrongState: the change is not in the game.
    """
    with workspace.writing() as session:
        change = _in_game(session, change_id)
        look = next((one for one in change.checklist if one.id == item_id), None)
        if look is None:
            raise NotFound(f"Change {change_id} has nothing to look at with the number {item_id}.")
        if not is_right and not note_.strip():
            raise Refused("Say in a note what is not as it should be; it is what you will want to know later.")
        look.is_right, look.note, look.person, look.at = is_right, note_.strip(), person, workspace.now()
        change.state = ChangeState.CONFIRMED if all(one.is_right for one in change.checklist) else ChangeState.DEPLOYED
        change.updated_at = workspace.now()
        word = "right" if is_right else "not right"
        note(
            workspace,
            session,
            person,
            "change.looked",
            change.server_id,
            f"{change_id}: {look.text}: {word} {look.note}",
        )
    workspace.publish("change", {"change": change_id, "server": change.server_id})
    return change


def confirm(workspace: Workspace, person: str, change_id: int, note_: str) -> Change:
    """A person confirms that a change without a checklist does what it should. Raises NotFound, WrongState, Refused."""
    with workspace.writing() as session:
        change = _in_game(session, change_id)
        if change.checklist:
            raise Refused(f"Change {change_id} has a checklist; tick off its items.")
        change.state, change.updated_at = ChangeState.CONFIRMED, workspace.now()
        note(workspace, session, person, "change.confirmed", change.server_id, f"{change_id}: {note_.strip()}")
    workspace.publish("change", {"change": change_id, "server": change.server_id})
    return change


def say_held(workspace: Workspace, person: str, change_id: int, pending_id: int) -> Change:
    """What written values waited for has come: the next map, a new world, players who joined again."""
    with workspace.writing() as session:
        change = _in_game(session, change_id)
        wait = next((one for one in change.pending if one.id == pending_id), None)
        if wait is None:
            raise NotFound(f"Change {change_id} waits for nothing with the number {pending_id}.")
        if wait.in_effect_at is None:
            wait.in_effect_at, wait.person = workspace.now(), person
            note(workspace, session, person, "change.in-force", change.server_id, f"{change_id}: {wait.takes_effect}")
    workspace.publish("change", {"change": change_id, "server": change.server_id})
    return change


def _in_game(session: Session, change_id: int) -> Change:
    change = get_change(session, change_id)
    if change.state not in (ChangeState.DEPLOYED, ChangeState.CONFIRMED):
        raise WrongState(
            f"Change {change_id} is {change.state}; only one that is deployed can be looked at in the game."
        )
    return change
