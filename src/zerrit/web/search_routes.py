"""Routes of what is found: what needs a person, names, text in files."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query

from zerrit import api
from zerrit.core.text_search import TextSearch
from zerrit.web.context import PersonDep, WorkspaceDep
from zerrit.web.routes import Version, version_of
from zerrit.work.browse import name_search
from zerrit.work.changes import text_search
from zerrit.work.deploy import attention

router = APIRouter(prefix="/api/v1", responses={"4XX": {"model": api.Problem}, "5XX": {"model": api.Problem}})


@router.get("/overview", tags=["servers"])
def overview(here: WorkspaceDep, _who: PersonDep) -> api.OverviewOut:
    """What needs a person, over all servers."""
    return api.OverviewOut.model_validate(attention.needs_attention(here), from_attributes=True)


@router.get("/search", tags=["files"])
def find_names(
    here: WorkspaceDep,
    _who: PersonDep,
    text: Annotated[str, Query(max_length=300)],
    server: Annotated[str, Query(max_length=63)] = "",
) -> api.NameSearchOut:
    """Servers, files, entries, settings, changes and snapshots with all words of `text` in their name or value."""
    return api.NameSearchOut.model_validate(name_search.find_names(here, text, server), from_attributes=True)


@router.get("/servers/{server_id}/text-search", tags=["files"])
def search_files(
    server_id: str, here: WorkspaceDep, _who: PersonDep, asked: Annotated[api.TextSearchQuery, Query()]
) -> api.TextSearchOut:
    """Search in the text of all files of a server; with `replacement`, each place with what it would become."""
    found = text_search.search_files(
        here,
        server_id,
        TextSearch(asked.text, asked.word, asked.case, asked.pattern),
        files=asked.files,
        change_id=asked.change,
        replacement=asked.replacement,
    )
    hits = [
        api.TextHitOut(
            path=one.path,
            line=one.hit.line,
            column=one.hit.column,
            before=one.hit.before,
            match=one.hit.match,
            after=one.hit.after,
            replaced=one.replaced,
        )
        for one in found.hits
    ]
    return api.TextSearchOut(hits=hits, counts=dict(found.counts), total=found.total, files=found.files)


@router.post("/changes/{change_id}/replacements", status_code=201, tags=["changes"])
def replace_in_files(
    change_id: api.Number, given: api.ReplaceIn, here: WorkspaceDep, who: PersonDep, if_match: Version = None
) -> api.ReplacedOut:
    """Replace what a search finds in the files of a change, as steps by meaning."""
    done = text_search.replace_in_files(
        here,
        who.name,
        change_id,
        TextSearch(given.text, given.word, given.case, given.pattern),
        given.replacement,
        files=given.files,
        skip=given.skip,
        version=version_of(if_match),
    )
    return api.ReplacedOut(change=done.change.id, places=done.places, steps=len(done.steps), step_ids=list(done.steps))
