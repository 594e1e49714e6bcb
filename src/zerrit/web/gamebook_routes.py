"""The routes of checks, waivers, gamebooks and the review of settings."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Query

from zerrit import api
from zerrit.core.checks import Holding, Reference
from zerrit.web import answers
from zerrit.web.context import PersonDep, WorkspaceDep
from zerrit.work.browse import address_info, gamebook_review, setting_review
from zerrit.work.changes import server_check
from zerrit.work.changes.finding_status import WaiverState

router = APIRouter(prefix="/api/v1", responses={"4XX": {"model": api.Problem}, "5XX": {"model": api.Problem}})
AddressQuery = Annotated[str, Query(max_length=2000)]


# --- checks and waivers -----------------------------------------------------------------------------------------------


@router.get("/servers/{server_id}/check", tags=["checks"])
def check_server(server_id: str, here: WorkspaceDep, _who: PersonDep) -> api.CheckOut:
    """What is found in the latest files of a server."""
    found = server_check.check_server(here, server_id)
    return api.CheckOut(
        server=server_id,
        snapshot=found.snapshot,
        files=found.files,
        findings=[answers.judged_finding(one) for one in found.findings],
        blocking=len(found.blocking),
    )


@router.get("/servers/{server_id}/waivers", tags=["checks"])
def list_waivers(server_id: str, here: WorkspaceDep, _who: PersonDep) -> list[api.WaiverOut]:
    """The waivers of a server, and which of them no longer accept anything."""
    return [_waiver(one) for one in server_check.list_waivers(here, server_id)]


def _waiver(one: WaiverState) -> api.WaiverOut:
    row = one.waiver
    return api.WaiverOut.model_validate(
        {
            "id": row.id,
            "code": row.code,
            "address": row.address,
            "reason": row.reason,
            "author": row.author,
            "created_at": row.created_at,
            "until": row.until,
            "state": one.state,
            "message": one.finding.message if one.finding is not None else "",
        }
    )


@router.post("/servers/{server_id}/waivers", status_code=201, tags=["checks"])
def waive(server_id: str, given: api.WaiverIn, here: WorkspaceDep, who: PersonDep) -> list[api.WaiverOut]:
    """Accept a finding in the latest files, with a reason, until a day or for good."""
    server_check.waive(here, who.name, server_id, given.code, given.address, given.reason, given.until)
    return list_waivers(server_id, here, who)


@router.delete("/servers/{server_id}/waivers/{waiver_id}", status_code=204, tags=["checks"])
def remove_waiver(server_id: str, waiver_id: api.Number, here: WorkspaceDep, who: PersonDep) -> None:
    """Take a waiver back; what it accepted counts again."""
    server_check.remove_waiver(here, who.name, server_id, waiver_id)


# --- what is known of a place -----------------------------------------------------------------------------------------


@router.get("/servers/{server_id}/about", tags=["files"])
def about(server_id: str, here: WorkspaceDep, _who: PersonDep, address: AddressQuery) -> api.AboutOut:
    """What a place is, what refers to it and what it refers to, its default, and who changed it when."""
    found = address_info.about(here, server_id, address)
    return api.AboutOut(
        place=answers.place(found.place),
        takes_effect=found.takes_effect,
        refers_to=_references(found.references.refers_to),
        referred_by=_references(found.references.referred_by),
        history=[api.PastOut.model_validate(one, from_attributes=True) for one in found.history],
    )


def _references(references: Iterable[Reference]) -> list[api.ReferenceOut]:
    return [api.ReferenceOut.model_validate(reference, from_attributes=True) for reference in references]


@router.get("/servers/{server_id}/complete", tags=["files"])
def complete(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    typed: AddressQuery,
    value: Annotated[str | None, Query(max_length=200)] = None,
) -> list[str]:
    """How an address that is being typed may go on; with `value`, what the field there can be given."""
    return address_info.complete(here, server_id, typed, value)


# --- gamebooks --------------------------------------------------------------------------------------------------------


@router.get("/gamebooks/{name}", tags=["gamebooks"])
def gamebook_text(name: str, here: WorkspaceDep, _who: PersonDep) -> api.GamebookTextOut:
    """The text of a kept gamebook."""
    return api.GamebookTextOut(text=gamebook_review.gamebook_text(here, name))


@router.get("/servers/{server_id}/gamebook", tags=["gamebooks"])
def gamebook_overview(server_id: str, here: WorkspaceDep, _who: PersonDep) -> api.GamebookOverview:
    """The gamebook of a server beside its files: what it knows of each, its lists, how often each rule holds."""
    found = gamebook_review.overview(here, server_id)
    return api.GamebookOverview(
        name=found.name,
        text=found.text,
        drafted=found.drafted,
        files=[api.KnownFileOut(**asdict(one)) for one in found.files],
        unknown=list(found.unknown),
        lists=[api.KnownListOut.model_validate(one, from_attributes=True) for one in found.lists],
        rules=_rules(found.rules),
        findings=found.findings,
    )


def _rules(rules: Iterable[Holding]) -> list[api.RuleOut]:
    return [api.RuleOut.model_validate(one, from_attributes=True) for one in rules]


@router.post("/servers/{server_id}/gamebook/test", tags=["gamebooks"])
def test_gamebook(server_id: str, given: api.GamebookIn, here: WorkspaceDep, _who: PersonDep) -> api.GamebookTrial:
    """What another text of the gamebook would find in the files; nothing is kept."""
    found = gamebook_review.test_gamebook(here, server_id, given.text)
    return api.GamebookTrial(
        faults=[answers.finding(one) for one in found.faults],
        appeared=[answers.finding(one) for one in found.appeared],
        gone=[answers.finding(one) for one in found.gone],
        rules=_rules(found.rules),
    )


@router.post("/servers/{server_id}/gamebook/draft", tags=["gamebooks"])
def draft_gamebook(server_id: str, here: WorkspaceDep, _who: PersonDep) -> api.GamebookTextOut:
    """A gamebook drafted from the defaults that were imported for a server; nothing is kept."""
    return api.GamebookTextOut(text=gamebook_review.draft_from_defaults(here, server_id))


# --- review -----------------------------------------------------------------------------------------------------------


@router.get("/servers/{server_id}/review", tags=["review"])
def review_files(server_id: str, here: WorkspaceDep, _who: PersonDep) -> list[api.FileReviewOut]:
    """Every file with settings, and how many of them no one has looked at since its defaults came in."""
    return [api.FileReviewOut(**asdict(one)) for one in setting_review.review_files(here, server_id)]


@router.get("/servers/{server_id}/review/file", tags=["review"])
def review_file(server_id: str, path: str, here: WorkspaceDep, _who: PersonDep) -> list[api.SettingOut]:
    """The settings of one file with the state of their review."""
    found = setting_review.review_file(here, server_id, path)
    return [api.SettingOut.model_validate(one, from_attributes=True) for one in found]


@router.post("/servers/{server_id}/review", tags=["review"])
def mark_read(server_id: str, given: api.ReadIn, here: WorkspaceDep, who: PersonDep) -> api.ReadOut:
    """Mark settings as read: some, or all of a file."""
    return api.ReadOut(marked=setting_review.mark_read(here, who.name, server_id, given.path, given.addresses))
