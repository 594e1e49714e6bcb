"""The routes of `/api/v1` about the shelf of snippets."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query, Response

from zerrit import api
from zerrit.records import ShelfSnippet
from zerrit.web import answers
from zerrit.web.context import PersonDep, WorkspaceDep
from zerrit.web.routes import change_as_answer
from zerrit.work.changes import shelf

router = APIRouter(prefix="/api/v1", tags=["shelf"])
Name = Annotated[str, Path(max_length=80)]


@router.get("/shelf")
def list_kept(here: WorkspaceDep, _who: PersonDep) -> list[api.KeptOut]:
    """The snippets on the shelf, by name."""
    with here.session() as session:
        return [_kept(row, uses) for row, uses in shelf.list_kept(session)]


@router.put("/shelf/{name}")
def keep(name: Name, given: api.KeptIn, here: WorkspaceDep, who: PersonDep) -> api.KeptTextOut:
    """Put a snippet on the shelf, or a newer text under its name; where it was put, nothing changes yet."""
    shelf.keep(here, who.name, shelf.Kept(name=name, **given.model_dump()))
    return get_kept(name, here, who)


@router.get("/shelf/{name}")
def get_kept(
    name: Name, here: WorkspaceDep, _who: PersonDep, server: Annotated[str, Query(max_length=63)] = ""
) -> api.KeptTextOut:
    """A snippet with its text, where it was put, and what differs there from it now."""
    with here.session() as session:
        row = shelf.get_kept(session, name)
    uses = shelf.uses_of(here, name, server)
    return api.KeptTextOut(snippet=_kept(row, len(uses)), text=row.text, places=[_use(one) for one in uses])


@router.delete("/shelf/{name}", status_code=204)
def remove(name: Name, here: WorkspaceDep, who: PersonDep) -> None:
    """Take a snippet off the shelf; files into which it was put stay as they are."""
    shelf.remove(here, who.name, name)


@router.post("/shelf/{name}/update")
def update(name: Name, given: api.UpdateIn, here: WorkspaceDep, who: PersonDep) -> list[api.UpdatedOut]:
    """Bring what was changed on the shelf since into all places where the snippet was put."""
    found = shelf.update(here, who.name, name, create=given.create)
    return [api.UpdatedOut.model_validate(one, from_attributes=True) for one in found]


@router.post("/changes/{change_id}/shelf-plan")
def plan(change_id: api.Number, given: api.PlacedIn, here: WorkspaceDep, _who: PersonDep) -> api.MergePlanOut:
    """What putting a snippet of the shelf into a change would do, entry by entry; nothing is changed."""
    return answers.merge_plan(shelf.plan(here, change_id, given.name, _placed(given)))


@router.post("/changes/{change_id}/shelf", status_code=201)
def put(
    change_id: api.Number, given: api.PlacedIn, response: Response, here: WorkspaceDep, who: PersonDep
) -> api.ChangeDetail:
    """Put a snippet of the shelf into a change: one step that merges it."""
    shelf.put(here, who.name, change_id, given.name, _placed(given))
    return change_as_answer(here, change_id, response)


def _placed(given: api.PlacedIn) -> shelf.Placed:
    return shelf.Placed(**given.model_dump(exclude={"name"}))


def _kept(row: ShelfSnippet, uses: int) -> api.KeptOut:
    return api.KeptOut(
        name=row.name,
        title=row.title,
        origin=row.origin,
        path=row.path,
        into=row.into,
        parameters=row.parameters,
        person=row.person,
        kept_at=row.kept_at,
        changed_at=row.changed_at,
        uses=uses,
    )


def _use(one: shelf.Use) -> api.UseOut:
    row = one.row
    return api.UseOut(
        server=row.server_id,
        path=row.path,
        values=row.values,
        change=row.change_id,
        person=row.person,
        used_at=row.used_at,
        is_outdated=one.is_outdated,
        differs=list(one.differs),
        fault=one.fault,
    )
