"""The routes of checks, waivers, gamebooks and the review of settings."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Query

from zerrit import api
from zerrit.core.checks import Reference, RuleStatistic
from zerrit.core.documents import Format
from zerrit.core.gamebooks.rule_proposals import Relation
from zerrit.records import PlaceNote
from zerrit.web import answers
from zerrit.web.context import PersonDep, WorkspaceDep
from zerrit.work.browse import address_info, file_browser, gamebook_edits, gamebook_review, setting_review
from zerrit.work.browse.gamebook_edits import GamebookEdit
from zerrit.work.changes import place_notes, server_check
from zerrit.work.changes.finding_status import WaiverState

router = APIRouter(prefix="/api/v1", responses={"4XX": {"model": api.Problem}, "5XX": {"model": api.Problem}})
AddressQuery = Annotated[str, Query(max_length=2000)]


# --- checks and waivers -----------------------------------------------------------------------------------------------


@router.get("/servers/{server_id}/check", tags=["checks"])
def check_server(
    server_id: str, here: WorkspaceDep, _who: PersonDep, limit: Annotated[int, Query(ge=1)] | None = None
) -> api.CheckOut:
    """What is found in the latest files of a server; with `limit`, the first findings, and how many there are."""
    found = server_check.check_server(here, server_id)
    return api.CheckOut(
        server=server_id,
        snapshot=found.snapshot,
        files=found.files,
        findings=[answers.judged_finding(one) for one in found.findings[:limit]],
        total=len(found.findings),
        shipped=sum(one.is_shipped for one in found.findings),
        blocking=len(found.blocking),
        by_severity={str(severity): number for severity, number in found.by_severity.items()},
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
def about(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    address: AddressQuery,
    change: api.Number | None = None,
) -> api.AboutOut:
    """What a place is, what refers to it and what it refers to, its default, and who changed it when."""
    found = address_info.about(here, server_id, address, change)
    return api.AboutOut(
        shown=answers.place(found.place),
        takes_effect=found.takes_effect,
        refers_to=_references(found.references.refers_to),
        referred_by=_references(found.references.referred_by),
        history=[api.PastOut.model_validate(one, from_attributes=True) for one in found.history],
        rules=[api.RuleOfPlaceOut.model_validate(one, from_attributes=True) for one in found.rules],
        odds=[
            api.PlaceOddsOut(
                table=one.now.table,
                thing=one.now.thing,
                chance=float(one.now.at_least_one),
                expected=float(one.now.expected),
                before=float(one.before.at_least_one) if one.before is not None else None,
            )
            for one in found.odds
        ],
        notes=[_note(one) for one in found.notes],
        default_of_game=found.default_of_game,
    )


def _note(row: PlaceNote) -> api.NoteOut:
    return api.NoteOut(
        id=row.id,
        change=row.change_id,
        address=row.address,
        text=row.text,
        author=row.author,
        created_at=row.created_at,
    )


@router.get("/servers/{server_id}/notes", tags=["files"])
def list_notes(
    server_id: str, here: WorkspaceDep, _who: PersonDep, address: Annotated[str, Query(max_length=2000)] = ""
) -> list[api.NoteOut]:
    """The notes beside places of a server, of one address or of all, the newest first."""
    return [_note(one) for one in place_notes.list_notes(here, server_id, address)]


@router.post("/servers/{server_id}/notes", status_code=201, tags=["files"])
def add_note(server_id: str, given: api.NoteIn, here: WorkspaceDep, who: PersonDep) -> api.NoteOut:
    """Write a note beside a place: why a value is as it is."""
    return _note(place_notes.add_note(here, who.name, server_id, given.address, given.text))


@router.get("/changes/{change_id}/comments", tags=["changes"])
def list_comments(change_id: api.Number, here: WorkspaceDep, _who: PersonDep) -> list[api.NoteOut]:
    """The comments in a change, the oldest first."""
    return [_note(one) for one in place_notes.list_comments(here, change_id)]


@router.post("/changes/{change_id}/comments", status_code=201, tags=["changes"])
def add_comment(change_id: api.Number, given: api.NoteIn, here: WorkspaceDep, who: PersonDep) -> api.NoteOut:
    """Write a comment in a change, beside a place or on the change as a whole."""
    return _note(place_notes.add_comment(here, who.name, change_id, given.address, given.text))


@router.delete("/notes/{note_id}", status_code=204, tags=["files"])
def remove_note(note_id: api.Number, here: WorkspaceDep, who: PersonDep) -> None:
    """Remove a note or comment of your own."""
    place_notes.remove_note(here, who.name, note_id)


@router.post("/notes/{note_id}/decision", tags=["gamebooks"])
def keep_note(
    note_id: api.Number, given: api.NoteDecisionIn, here: WorkspaceDep, who: PersonDep
) -> api.GamebookEditOut:
    """Put a note beside a value into the gamebook, as a decision that is told to whoever changes the value."""
    return _edit(gamebook_edits.keep_note(here, who.name, note_id, is_dry=given.dry_run))


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
        trouble=dict(found.trouble),
        files=[api.KnownFileOut(**asdict(one)) for one in found.files],
        unknown=list(found.unknown),
        lists=[api.KnownListOut.model_validate(one, from_attributes=True) for one in found.lists],
        rules=_rules(found.rules),
        findings=found.findings,
    )


def _rules(rules: Iterable[RuleStatistic]) -> list[api.RuleOut]:
    return [_rule(one) for one in rules]


def _rule(one: RuleStatistic) -> api.RuleOut:
    return api.RuleOut.model_validate(one, from_attributes=True)


@router.post("/servers/{server_id}/gamebook/test", tags=["gamebooks"])
def test_gamebook(server_id: str, given: api.GamebookIn, here: WorkspaceDep, _who: PersonDep) -> api.GamebookTrial:
    """What another text of the gamebook would find in the files; nothing is kept."""
    found = gamebook_review.test_gamebook(here, server_id, given.text)
    return api.GamebookTrial(
        faults=[answers.finding(one) for one in found.faults],
        appeared=[answers.finding(one) for one in found.appeared],
        gone=[answers.finding(one) for one in found.gone],
        rules=_rules(found.rules),
        failed_cases=[api.CaseOut(name=one.name, line=one.line, words=str(one)) for one in found.failed_cases],
    )


@router.post("/servers/{server_id}/gamebook/draft", tags=["gamebooks"])
def draft_gamebook(server_id: str, here: WorkspaceDep, _who: PersonDep) -> api.GamebookTextOut:
    """A gamebook drafted from the defaults that were imported for a server; nothing is kept."""
    return api.GamebookTextOut(text=gamebook_review.draft_from_defaults(here, server_id))


@router.put("/servers/{server_id}/gamebook", tags=["gamebooks"])
def save_as_gamebook(server_id: str, given: api.GamebookIn, here: WorkspaceDep, who: PersonDep) -> api.GamebookNameOut:
    """Save a text as the gamebook of a server. One without a gamebook gets it under its own name."""
    return api.GamebookNameOut(name=gamebook_edits.save_as_gamebook_of(here, who.name, server_id, given.text))


@router.get("/servers/{server_id}/suggestions", tags=["gamebooks"])
def list_suggestions(server_id: str, here: WorkspaceDep, _who: PersonDep) -> list[api.SuggestionOut]:
    """Rules that were seen in the files and that no one has decided about, with what speaks for and against each."""
    return [
        api.SuggestionOut(
            id=one.id,
            rule=_rule(one.rule),
            evidence=one.evidence,
            samples=[api.SampleOut(**asdict(sample)) for sample in one.samples],
            exceptions=[answers.finding(finding) for finding in one.exceptions],
            elsewhere=one.elsewhere,
            origin="gamebook" if one.origin == "gamebook" else "draft",
        )
        for one in gamebook_edits.suggestions(here, server_id)
    ]


@router.post("/servers/{server_id}/suggestions", tags=["gamebooks"])
def decide(server_id: str, given: api.DecisionIn, here: WorkspaceDep, who: PersonDep) -> api.GamebookEditOut:
    """Accept suggested rules, a single one also changed, or reject them. What is rejected is not suggested again."""
    found = gamebook_edits.decide(
        here, who.name, server_id, given.suggestions, accept=given.accept, data=given.data, is_dry=given.dry_run
    )
    return _edit(found)


@router.get("/servers/{server_id}/gamebook/rule", tags=["gamebooks"])
def place_of_rule(server_id: str, here: WorkspaceDep, _who: PersonDep, address: AddressQuery) -> api.RulePlaceOut:
    """Where the rule of a field stands in the gamebook and how it is written, or where one would stand."""
    found = gamebook_edits.place_of_rule(here, server_id, address)
    return api.RulePlaceOut(location=list(found.location), data=found.data)


@router.put("/servers/{server_id}/gamebook/rule", tags=["gamebooks"])
def put_rule(server_id: str, given: api.RuleIn, here: WorkspaceDep, who: PersonDep) -> api.GamebookEditOut:
    """Put one rule at its place in the gamebook, or remove it; everything else in the text stays as it is."""
    location = tuple(given.location)
    return _edit(gamebook_edits.put_rule(here, who.name, server_id, location, given.data, is_dry=given.dry_run))


@router.get("/servers/{server_id}/file/format", tags=["gamebooks"])
def file_format(server_id: str, path: str, here: WorkspaceDep, _who: PersonDep) -> api.FileFormatOut:
    """How a file is read, and whether its name, the gamebook or its content says so."""
    found = file_browser.format_of_file(here, server_id, path)
    return api.FileFormatOut(
        path=found.path, format=found.format, said_by=found.said_by, labels={one: one.label for one in Format}
    )


@router.put("/servers/{server_id}/file/format", tags=["gamebooks"])
def read_file_as(server_id: str, given: api.FileFormatIn, here: WorkspaceDep, who: PersonDep) -> api.GamebookEditOut:
    """Say in the gamebook how a file is read; without a format, leave it to its name and its content."""
    return _edit(gamebook_edits.read_file_as(here, who.name, server_id, given.path, given.format, is_dry=given.dry_run))


@router.post("/servers/{server_id}/gamebook/relations", tags=["gamebooks"])
def relate(server_id: str, given: api.RelationIn, here: WorkspaceDep, who: PersonDep) -> api.GamebookEditOut:
    """Make a rule between two fields: they must be equal, one may not exceed the other, or one is a word of the other."""
    relation = Relation(given.relation)
    return _edit(
        gamebook_edits.relate(here, who.name, server_id, relation, given.first, given.second, is_dry=given.dry_run)
    )


@router.post("/servers/{server_id}/gamebook/adjustments", tags=["gamebooks"])
def adjust(server_id: str, given: api.AdjustmentIn, here: WorkspaceDep, who: PersonDep) -> api.GamebookEditOut:
    """Change the rule behind a finding: allow its value, leave its file out, or make it an error, warning or notice."""
    found = gamebook_edits.adjust(
        here,
        who.name,
        server_id,
        given.code,
        given.address,
        given.how,
        change_id=given.change,
        is_dry=given.dry_run,
    )
    return _edit(found)


def _edit(found: GamebookEdit) -> api.GamebookEditOut:
    return api.GamebookEditOut(
        name=found.name,
        lines=[api.GamebookLineOut.model_validate({"kind": kind, "text": text}) for kind, text in found.lines],
        appeared=[answers.finding(one) for one in found.trial.appeared],
        gone=[answers.finding(one) for one in found.trial.gone],
        rule=_rule(found.rule) if found.rule is not None else None,
        is_saved=found.is_saved,
    )


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
