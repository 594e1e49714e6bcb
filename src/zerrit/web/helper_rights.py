"""What a helper may ask of the service: everything that only reads, and what prepares a change of their own."""

from __future__ import annotations

from typing import Final, TypeVar

from fastapi import HTTPException, Request

from zerrit.records import Change, Person, Run
from zerrit.work.base.accounts import HELPER
from zerrit.work.base.workspace import Workspace

R = TypeVar("R", Change, Run)
_PREFIX: Final = "/api/v1"
_SAFE: Final = ("GET", "HEAD", "OPTIONS")
_LARGEST: Final = 2**63  #: numbers of rows are below it

#: Calls that write, by method and path. What is not named here only an admin may ask for. Whatever these do stays in a
#: change; what a change may bring to a server is held against the places of the helper when it is deployed or queued.
_MAY: Final = frozenset(
    (
        ("DELETE", "/session"),
        ("DELETE", "/tokens/{token_id}"),
        ("PUT", "/me/password"),
        ("POST", "/contents"),
        ("POST", "/contents/missing"),
        ("POST", "/state"),
        ("POST", "/servers/{server_id}/changes"),
        ("POST", "/servers/{server_id}/fetch"),
        ("POST", "/servers/{server_id}/typed"),
        ("POST", "/servers/{server_id}/review"),
        ("POST", "/servers/{server_id}/deploy"),
    )
)
#: The same of a change that they made themselves.
_MAY_OF_OWN_CHANGE: Final = frozenset(
    (
        *(
            ("POST", f"/changes/{{change_id}}/{name}")
            for name in (
                "check",
                "checklist/{item_id}",
                "comments",
                "confirm",
                "deploy",
                "form",
                "merge-plan",
                "pending/{pending_id}",
                "queue",
                "replacements",
                "replay",
                "revert",
                "shelf",
                "shelf-plan",
                "step-list",
                "steps",
                "text",
                "try",
                "update",
                "withdraw",
            )
        ),
        ("DELETE", "/changes/{change_id}/queue"),
        ("DELETE", "/changes/{change_id}/steps"),
    )
)
_MAY_OF_OWN_RUN: Final = frozenset((("POST", "/runs/{run_id}/cancel"),))


def require_may_ask(request: Request, here: Workspace, person: Person) -> None:
    """Raises HTTPException 403: a helper asks for something that only an admin may do."""
    if person.role != HELPER or request.method in _SAFE:
        return
    asked = (request.method, request.scope["route"].path.removeprefix(_PREFIX))
    if asked in _MAY:
        return
    if asked in _MAY_OF_OWN_CHANGE:
        change = _row(request, here, Change, "change_id")
        if change is None or change.author == person.name:
            return  # one that is not there is told as such
        raise HTTPException(403, f"Change {change.id} is of {change.author}. You may work on changes of your own.")
    if asked in _MAY_OF_OWN_RUN:
        run = _row(request, here, Run, "run_id")
        if run is None or run.person == person.name:
            return
        raise HTTPException(403, f"Run {run.id} was begun by {run.person}. You may end runs of your own.")
    raise HTTPException(
        403,
        "Only an admin may do this. You may prepare changes, and deploy those that stay at the places you may change.",
    )


def _row(request: Request, here: Workspace, kind: type[R], name: str) -> R | None:
    number = request.path_params.get(name, "")
    if not (str(number).isdecimal() and int(number) < _LARGEST):
        return None
    with here.session() as session:
        return session.get(kind, int(number))
