"""The routes of `/api/v1` about entry forms."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query

from zerrit import api
from zerrit.core.rules.forms import FormPlace
from zerrit.web import answers
from zerrit.web.context import PersonDep, WorkspaceDep
from zerrit.web.routes import Version, version_of
from zerrit.work.changes import forms

router = APIRouter(prefix="/api/v1", tags=["forms"])


@router.get("/servers/{server_id}/forms")
def server_forms(server_id: str, here: WorkspaceDep, _who: PersonDep) -> list[api.FormOut]:
    """The forms of a server's gamebook: one sheet of questions for all places of a new thing."""
    return [_form(one) for one in forms.forms_of(here, server_id)]


@router.get("/servers/{server_id}/forms/draft")
def drafted_form(
    server_id: str, here: WorkspaceDep, _who: PersonDep, address: Annotated[str, Query(max_length=2000)]
) -> api.DraftedFormOut:
    """A form made from an existing entry: where else its word is, and which of its values are asked for."""
    found = forms.drafted_form(here, server_id, address)
    return api.DraftedFormOut(form=_form(found), text=forms.form_text(found))


@router.post("/changes/{change_id}/form", status_code=201)
def fill_form(
    change_id: api.Number, given: api.FormIn, here: WorkspaceDep, who: PersonDep, if_match: Version = None
) -> api.FilledFormOut:
    """Fill in a form: all its steps are added to the change, or none of them."""
    filled = forms.fill(
        here,
        who.name,
        change_id,
        given.answers,
        name=given.name,
        like=given.like,
        remove=given.remove,
        rename_to=given.rename_to,
        dry_run=given.dry_run,
        version=version_of(if_match),
    )
    return api.FilledFormOut(
        change=change_id,
        version=filled.version,
        is_saved=filled.is_saved,
        steps=[answers.step_as_given(one) for one in filled.steps],
        outcomes=[answers.outcome(one) for one in filled.outcomes],
        left=list(filled.left),
        named=list(filled.named),
    )


def _form(found: forms.Form) -> api.FormOut:
    rules = found.rules
    questions = [
        api.QuestionOut(
            name=name, title=one.title, kind=one.kind, answer=found.known.get(name, ""), matches=one.matches
        )
        for name, one in rules.ask.items()
    ]
    places = [_sentence(place) for place in rules.places]
    return api.FormOut(name=found.name, about=rules.about, like=rules.like, questions=questions, places=places)


def _sentence(place: FormPlace) -> str:
    """A place of a form in words."""
    if place.copy_of:
        also = f", with {', '.join(place.fields)}" if place.fields else ""
        return f"a copy of {place.copy_of} as {place.new_name}{also}"
    if place.file:
        return f"the file {place.file}, made from {place.from_file}"
    what = place.value or f"{place.name or 'an entry'} with {', '.join(place.fields)}"
    return f"{what} in {place.add}"
