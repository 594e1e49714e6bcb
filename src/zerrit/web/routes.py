"""The routes of `/api/v1`: translate in, call, translate out."""

from __future__ import annotations

from typing import Annotated, Final, Literal
from urllib.parse import quote

import anyio
from fastapi import APIRouter, File, Form, Header, HTTPException, Query, Request, Response, UploadFile
from fastapi.responses import HTMLResponse
from sse_starlette.sse import EventSourceResponse

from zerrit import api
from zerrit.core.documents import Severity
from zerrit.core.merge import Existing, Taking
from zerrit.core.steps import Step, StepKind
from zerrit.records import Person
from zerrit.report.comparison import comparison_page
from zerrit.web import answers
from zerrit.web.context import COOKIE, ContextDep, PersonDep, WorkspaceDep, address_of, sign_in_slot, token_of
from zerrit.web.http_server import STOP_PATIENCE
from zerrit.work.base import accounts, activity_log
from zerrit.work.base.workspace import Workspace
from zerrit.work.browse import entry_groups, entry_table, file_browser, player_notes, state_comparison
from zerrit.work.changes import changes, rights, server_check, typed_text, upgrades
from zerrit.work.servers import controls, exploration, servers, stored_gamebooks
from zerrit.work.snapshots import fetch

FETCH_PATIENCE: Final = 10.0  # seconds that a fetch waits for the check of what it fetched
router = APIRouter(prefix="/api/v1", responses={"4XX": {"model": api.Problem}, "5XX": {"model": api.Problem}})
Version = Annotated[str | None, Header(alias="If-Match")]


# --- people -----------------------------------------------------------------------------------------------------------


@router.post("/session", tags=["people"])
async def start_session(
    given: api.Credentials, response: Response, request: Request, here: WorkspaceDep
) -> api.PersonOut:
    """Sign in to the console: sets the session cookie."""
    password, address = given.password.get_secret_value(), address_of(request)
    token = await sign_in_slot(lambda: accounts.sign_in(here, given.name, password, "session", address=address))
    response.set_cookie(
        COOKIE, token, httponly=True, samesite="strict", secure=request.url.scheme == "https", max_age=14 * 24 * 3600
    )
    found = await anyio.to_thread.run_sync(_whose, here, token)
    return answers.person(found) if found is not None else api.PersonOut(name=given.name, role="")


def _whose(here: Workspace, token: str) -> Person | None:
    with here.session() as session:
        return accounts.person_of(here, session, token)


@router.delete("/session", status_code=204, tags=["people"])
def end_session(response: Response, request: Request, here: WorkspaceDep, _who: PersonDep) -> None:
    """Sign out; the token is not valid any more."""
    accounts.sign_out(here, token_of(request))
    response.delete_cookie(COOKIE)


@router.post("/tokens", tags=["people"])
async def make_token(given: api.TokenIn, request: Request, here: WorkspaceDep) -> api.TokenOut:
    """Sign in from a program: hands out a bearer token."""
    password, address = given.password.get_secret_value(), address_of(request)
    token = await sign_in_slot(
        lambda: accounts.sign_in(here, given.name, password, "bearer", address=address, label=given.label)
    )
    return api.TokenOut(token=token)


@router.get("/tokens", tags=["people"])
def list_tokens(request: Request, here: WorkspaceDep, who: PersonDep) -> list[api.KeptTokenOut]:
    """Your sessions and tokens, the newest first; none of them can be seen again."""
    token = token_of(request)
    with here.session() as session:
        return [
            api.KeptTokenOut(
                id=one.id,
                kind=one.kind,
                label=one.name,
                created_at=one.created_at,
                expires_at=one.expires_at,
                used_at=one.used_at,
                is_this=accounts.is_this(one, token),
            )
            for one in accounts.tokens_of(here, session, who)
        ]


@router.delete("/tokens/{token_id}", status_code=204, tags=["people"])
def revoke_token(token_id: api.Number, here: WorkspaceDep, who: PersonDep) -> None:
    """End one of your sessions or tokens."""
    accounts.revoke(here, who, token_id)


@router.put("/me/password", status_code=204, tags=["people"])
async def change_password(given: api.PasswordIn, request: Request, here: WorkspaceDep, who: PersonDep) -> None:
    """Change your password. All your other sessions and tokens end; the one that asks stays."""
    old, new = given.old.get_secret_value(), given.new.get_secret_value()
    token, address = token_of(request), address_of(request)
    await sign_in_slot(lambda: accounts.change_password(here, who, old, new, token, address=address))


@router.get("/me", tags=["people"])
def who_am_i(who: PersonDep) -> api.PersonOut:
    """Who is signed in."""
    return answers.person(who)


@router.get("/people", tags=["people"])
def list_people(here: WorkspaceDep, _who: PersonDep) -> list[api.PersonOut]:
    """Everyone who may sign in, by name."""
    with here.session() as session:
        return [answers.person(one) for one in accounts.people(session)]


@router.post("/people", status_code=201, tags=["people"])
async def add_person(given: api.PersonIn, here: WorkspaceDep, who: PersonDep) -> api.PersonOut:
    """Let someone more sign in: a helper with places that they may change, or another admin."""
    password = given.password.get_secret_value()
    return answers.person(
        await sign_in_slot(
            lambda: accounts.add_person(here, who.name, given.name, password, given.role, given.may_change)
        )
    )


@router.patch("/people/{name}", tags=["people"])
async def edit_person(name: str, given: api.PersonEdit, here: WorkspaceDep, who: PersonDep) -> api.PersonOut:
    """Give a helper other places, or someone another password, which ends their sessions and tokens."""
    password = given.password.get_secret_value() if given.password is not None else None
    return answers.person(
        await sign_in_slot(
            lambda: accounts.set_person(here, who.name, name, places=given.may_change, password=password)
        )
    )


@router.delete("/people/{name}", status_code=204, tags=["people"])
def remove_person(name: str, here: WorkspaceDep, who: PersonDep) -> None:
    """Someone may not sign in any more; what they did stays."""
    accounts.remove_person(here, who.name, name)


# --- gamebooks and servers --------------------------------------------------------------------------------------------


@router.get("/gamebooks", tags=["servers"])
def list_gamebooks(here: WorkspaceDep, _who: PersonDep) -> list[api.GamebookOut]:
    """The gamebooks, without their text."""
    with here.session() as session:
        return [
            api.GamebookOut(name=row.name, updated_at=row.updated_at)
            for row in stored_gamebooks.list_gamebooks(session)
        ]


@router.put("/gamebooks/{name}", status_code=204, tags=["servers"])
def save_gamebook(name: str, given: api.GamebookIn, here: WorkspaceDep, who: PersonDep) -> None:
    """Save a gamebook. One with an error is refused, with its line."""
    stored_gamebooks.save_gamebook(here, who.name, name, given.text)


@router.get("/servers", tags=["servers"])
def list_servers(here: WorkspaceDep, _who: PersonDep) -> list[api.ServerOut]:
    """All servers, each with its last snapshot and run."""
    with here.session() as session:
        return answers.all_servers(session, servers.list_servers(session))


@router.post("/servers", status_code=201, tags=["servers"])
def add_server(given: api.ServerIn, here: WorkspaceDep, who: PersonDep) -> api.ServerOut:
    """Add a server; its connection and its control are tried at once."""
    servers.add_server(here, who.name, given.id, _settings(given))
    return get_server(given.id, here, who)


@router.post("/connection-test", tags=["servers"])
def test_connection(given: api.ConnectionTestIn, here: WorkspaceDep, _who: PersonDep) -> api.ConnectionTestOut:
    """Look at what a connection leads to, before a server is added: what is there, how quick it is, what it looks like."""
    secret = given.connection_secret.get_secret_value()
    seen = exploration.explore(here, given.connection, secret, may_write=given.try_write)
    named = {sort.value: list(paths) for sort, paths in seen.found.named.items()}
    return api.ConnectionTestOut(
        identity=seen.identity,
        here=[api.ListedOut(**one._asdict()) for one in seen.here],
        files=seen.files,
        folders=seen.folders,
        is_complete=seen.is_complete,
        listing_ms=seen.listing_ms,
        read_speed=seen.read_speed,
        can_write=seen.can_write,
        write_problem=seen.write_problem,
        notes=list(seen.notes),
        counts={sort.value: number for sort, number in seen.found.counts.items()},
        settings=named["settings"],
        scripts=named["script"],
        logs=named["log"],
        crashes=named["crash"],
        databases=named["database"],
        log_folders=list(seen.found.log_folders),
        crash_folders=list(seen.found.crash_folders),
        roots=list(seen.found.roots),
    )


@router.post("/control-test", tags=["servers"])
def test_control(given: api.ControlTestIn, here: WorkspaceDep, _who: PersonDep) -> api.ControlTestOut:
    """Ask a control whether its game runs, before a server is added. Nothing is stopped or started."""
    said = exploration.test_control(here, given.control, given.control_secret.get_secret_value())
    return api.ControlTestOut(is_running=said.is_running, state=said.state, milliseconds=said.milliseconds)


@router.put("/servers/{server_id}", tags=["servers"])
def change_server(server_id: str, given: api.ServerIn, here: WorkspaceDep, who: PersonDep) -> api.ServerOut:
    """Give a server other settings. A password or token that is left empty stays as it is kept."""
    if given.id != server_id:
        raise HTTPException(422, f"The id of a server cannot be changed ({server_id} to {given.id}). Add another one.")
    servers.change_server(here, who.name, server_id, _settings(given))
    return get_server(server_id, here, who)


def _settings(given: api.ServerIn) -> servers.ServerSettings:
    return servers.ServerSettings(
        title=given.title,
        gamebook=given.gamebook,
        connection=given.connection,
        connection_secret=given.connection_secret.get_secret_value(),
        control=given.control,
        control_secret=given.control_secret.get_secret_value(),
        database=given.database,
        database_secret=given.database_secret.get_secret_value(),
        maintenance=given.maintenance,
    )


@router.get("/servers/{server_id}", tags=["servers"])
def get_server(server_id: str, here: WorkspaceDep, _who: PersonDep) -> api.ServerOut:
    """One server."""
    with here.session() as session:
        return answers.server(session, servers.get_server(session, server_id))


@router.get("/servers/{server_id}/state", tags=["servers"])
def game_state(server_id: str, here: WorkspaceDep, _who: PersonDep) -> api.GameStateOut:
    """The control's own word for the state of the game, and how many play where it counts them."""
    state, players = controls.game_state(here, server_id)
    return api.GameStateOut(state=state.word, players=players)


@router.post("/servers/{server_id}/fetch", tags=["servers"])
def fetch_server(server_id: str, here: WorkspaceDep, who: PersonDep, thorough: bool = False) -> api.FetchOut:
    """Read what may have changed on the server, or all of it; what differs from the last snapshot becomes a new one."""
    found = fetch.fetch(here, who.name, server_id, thorough=thorough)
    checked = server_check.check_within(here, server_id, found.snapshot.id, FETCH_PATIENCE)
    with here.session() as session:
        return api.FetchOut(
            snapshot=answers.snapshot(session, found.snapshot),
            is_new=found.is_new,
            changed=list(found.drift.changed),
            added=list(found.drift.added),
            removed=list(found.drift.removed),
            read=found.taken.read,
            left_out=dict(found.taken.left_out),
            errors=checked.by_severity[Severity.ERROR] if checked is not None else None,
            warnings=checked.by_severity[Severity.WARNING] if checked is not None else None,
        )


@router.post("/servers/{server_id}/defaults", status_code=201, tags=["servers"])
def import_defaults(
    server_id: str,
    here: WorkspaceDep,
    who: PersonDep,
    label: Annotated[str, Form(max_length=40)],
    archive: Annotated[UploadFile, File()],
) -> api.SnapshotOut:
    """Keep the files of a ZIP as the defaults of a version."""
    snapshot = fetch.import_defaults(here, who.name, server_id, label, archive.file.read())
    with here.session() as session:
        return answers.snapshot(session, snapshot)


# --- files ------------------------------------------------------------------------------------------------------------


@router.get("/servers/{server_id}/files", tags=["files"])
def list_files(
    server_id: str, here: WorkspaceDep, _who: PersonDep, patience: api.Patience | None = None
) -> list[api.FileStateOut]:
    """The files of the last snapshot with their state against the defaults.

    With `patience`, in seconds, they may come without the counts of findings.
    """
    listed = file_browser.list_files(here, server_id, patience)
    return [api.FileStateOut.model_validate(file, from_attributes=True) for file in listed]


@router.get("/servers/{server_id}/folders", tags=["files"])
def list_empty_folders(server_id: str, here: WorkspaceDep, _who: PersonDep) -> list[str]:
    """The folders of the last snapshot in which nothing is."""
    return file_browser.empty_folders(here, server_id)


@router.get("/servers/{server_id}/findings", tags=["files"])
def list_findings(
    server_id: str,
    here: WorkspaceDep,
    _who: PersonDep,
    path: str = "",
    change: api.Number | None = None,
    limit: Annotated[int, Query(ge=1, le=10_000)] = 1000,
) -> api.FindingsOut:
    """What is found in one file, or in all of them; with `change`, as that change leaves them. The first, and how many."""
    found = file_browser.findings_of(here, server_id, path, change)
    return api.FindingsOut(findings=[answers.finding(one) for one in found[:limit]], total=len(found))


@router.get("/servers/{server_id}/stored", tags=["files"], response_class=Response)
def stored_file(
    server_id: str, path: str, here: WorkspaceDep, _who: PersonDep, snapshot: api.Number | None = None
) -> Response:
    """A file as it is stored, of any bytes, or a folder as a ZIP; of the last snapshot, or of another one."""
    name, data = file_browser.stored_bytes(here, server_id, path, snapshot)
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}
    return Response(data, media_type="application/octet-stream", headers=headers)


@router.get("/servers/{server_id}/file", tags=["files"])
def read_file(
    server_id: str, path: str, here: WorkspaceDep, _who: PersonDep, change: api.Number | None = None
) -> api.FileOut:
    """One file as text with its findings; with `change`, as that change leaves it."""
    document, found = file_browser.read_file(here, server_id, path, change)
    return api.FileOut(
        path=path,
        format=document.format.value,
        read_as=document.read_as,
        text=document.text,
        encoding=document.source.encoding,
        digest=typed_text.text_digest(document.text),
        findings=[answers.finding(f) for f in found],
        safe_fix=answers.offered_fix(typed_text.offered_fix(document)),
    )


@router.post("/servers/{server_id}/typed", tags=["files"])
def check_typed(
    server_id: str, given: api.TypedIn, here: WorkspaceDep, _who: PersonDep, change: api.Number | None = None
) -> api.TypedCheckOut:
    """Check a file with text that is being typed; with `change`, on the files as that change leaves them."""
    found = typed_text.check_typed(here, server_id, change, _typed(given))
    return api.TypedCheckOut(
        findings=[answers.finding(one) for one in found.findings],
        elsewhere=[answers.finding(one) for one in found.elsewhere],
        digest=typed_text.text_digest(found.document.text),
        safe_fix=answers.offered_fix(typed_text.offered_fix(found.document)),
    )


def _typed(given: api.TypedIn) -> typed_text.Typed:
    pieces = [typed_text.TypedPiece(**piece.model_dump()) for piece in given.pieces]
    return typed_text.Typed(given.path, given.digest, given.text, pieces, given.base)


@router.get("/servers/{server_id}/raw", tags=["files"], response_class=Response)
def raw_file(server_id: str, path: str, here: WorkspaceDep, _who: PersonDep) -> Response:
    """The exact bytes of one file."""
    headers = {"Content-Disposition": "attachment", "X-Content-Type-Options": "nosniff"}
    return Response(
        file_browser.raw_file(here, server_id, path), media_type="application/octet-stream", headers=headers
    )


@router.get("/servers/{server_id}/address", tags=["files"])
def address_in_text(
    server_id: str,
    path: str,
    line: api.Number,
    column: api.Number,
    here: WorkspaceDep,
    _who: PersonDep,
    change: api.Number | None = None,
) -> api.AddressOut:
    """The entry or field that a place in the text of a file belongs to."""
    return answers.address_in_text(file_browser.address_in_text(here, server_id, path, (line, column), change))


@router.get("/servers/{server_id}/entries", tags=["files"])
def list_entries(
    server_id: str, here: WorkspaceDep, _who: PersonDep, asked: Annotated[api.EntriesQuery, Query()]
) -> api.EntriesOut:
    """The entries of a file as rows and columns, one page of them; with `change`, as that change leaves them.

    With `patience`, in seconds, a first page may be incomplete; it says so.
    """
    query = entry_table.TableQuery(
        kind=asked.kind,
        search=asked.search,
        where=dict(_where(text) for text in asked.where),
        sort=asked.sort,
        is_descending=asked.descending,
        only=asked.only,
        below=asked.below,
        address=asked.address,
        offset=asked.offset,
        limit=asked.limit,
    )
    found = entry_table.list_entries(here, server_id, asked.path, query, asked.change, asked.patience)
    return answers.entries(asked.path, found)


@router.get("/servers/{server_id}/entry-groups", tags=["files"])
def group_entries(
    server_id: str, here: WorkspaceDep, _who: PersonDep, asked: Annotated[api.GroupsQuery, Query()]
) -> api.GroupsOut:
    """Entries of a file grouped by the value of a field, with counts and exact sums before and after a change."""
    query = entry_table.TableQuery(
        kind=asked.kind, search=asked.search, where=dict(_where(text) for text in asked.where), below=asked.below
    )
    found = entry_groups.group_entries(here, server_id, asked.path, query, asked.by, asked.sum, asked.change)
    return api.GroupsOut(
        groups=[_group(one) for one in found.groups], all=_group(found.all), has_change=found.has_change
    )


def _group(one: entry_groups.Group) -> api.GroupOut:
    sides = (
        api.GroupSideOut(entries=side.entries, total=f"{side.total:f}", without=side.without)
        for side in (one.before, one.after)
    )
    return api.GroupOut(value=one.value, is_absent=one.is_absent, before=next(sides), after=next(sides))


def _where(text: str) -> tuple[str, str]:
    """`FIELD:CONDITION`, such as `@price:>10`."""
    name, colon, condition = text.partition(":")
    if not colon:
        raise HTTPException(400, f"`{text}`: write FIELD:CONDITION, such as price:>10.")
    return name, condition


@router.get("/servers/{server_id}/show", tags=["files"])
def show(
    server_id: str, here: WorkspaceDep, _who: PersonDep, address: Annotated[str, Query(max_length=2000)]
) -> list[api.ShownOut]:
    """What is at an address, with what is known of it."""
    return [answers.place(place) for place in file_browser.show(here, server_id, address)]


SidesQuery = Annotated[str, Query(max_length=1000, description="The path of a file")]


@router.get("/comparison", tags=["files"])
def compare_states(
    here: WorkspaceDep,
    _who: PersonDep,
    old: Annotated[str, Query(max_length=200)],
    new: Annotated[str, Query(max_length=200)],
    only: Annotated[str, Query(max_length=2000)] = "",
    texts: bool = False,
    sides: SidesQuery = "",
) -> api.ComparisonOut:
    """What differs between two states of servers.

    A state is SERVER@live, SERVER@latest, SERVER@NUMBER (a snapshot), SERVER@defaults or SERVER@defaults:LABEL.
    `only` narrows it to what is at or below an address, which may be a pattern. `texts` adds the lines that differ,
    `sides` the complete text of one file in both states.
    """
    wanted = state_comparison.TextsWanted(texts, sides)
    return answers.comparison(state_comparison.compare_servers(here, old, new, only, wanted))


@router.post("/state", tags=["files"], response_class=Response)
def get_state(given: api.StateIn, here: WorkspaceDep, _who: PersonDep) -> Response:
    """The files of a state as a ZIP, to be compared elsewhere: `state.json` lists all with size and SHA-256, and below
    `files/` are those that are not as in `known`.
    """
    return Response(state_comparison.state_archive(here, given.state, given.known), media_type="application/zip")


@router.get("/comparison/page", tags=["files"], response_class=HTMLResponse)
def comparison_as_page(
    here: WorkspaceDep,
    _who: PersonDep,
    old: Annotated[str, Query(max_length=200)],
    new: Annotated[str, Query(max_length=200)],
    only: Annotated[str, Query(max_length=2000)] = "",
) -> HTMLResponse:
    """The same as a page to print."""
    found = state_comparison.compare_servers(here, old, new, only, state_comparison.TextsWanted(lines=True))
    page = comparison_page(found.old_name, found.new_name, found.differences, found.texts, found.notes)
    return HTMLResponse(page, headers={"X-Content-Type-Options": "nosniff"})


# --- changes ----------------------------------------------------------------------------------------------------------


def change_as_answer(here: WorkspaceDep, change_id: api.Number, response: Response) -> api.ChangeDetail:
    """A change worked out, with its version as the ETag."""
    with here.session() as session:
        change = changes.get_change(session, change_id)
        response.headers["ETag"] = f'"{change.version}"'
        beyond = rights.beyond_rights_of_author(here, session, change)
        return answers.change_detail(session, change, changes.preview(here, session, change), beyond)


def version_of(given: str | None) -> int | None:
    """The version in an `If-Match`; none where any will do."""
    if given is None or given == "*":
        return None
    plain = given.strip().removeprefix("W/").strip('"')
    if not (plain.isascii() and plain.isdigit() and len(plain) < 19):
        raise HTTPException(400, "If-Match is the version of the change as its ETag gave it.")
    return int(plain)


@router.get("/servers/{server_id}/changes", tags=["changes"])
def list_changes(server_id: str, here: WorkspaceDep, _who: PersonDep) -> list[api.ChangeOut]:
    """The changes of a server, the newest first."""
    with here.session() as session:
        servers.get_server(session, server_id)
        return [answers.change(row) for row in changes.list_changes(session, server_id)]


@router.post("/servers/{server_id}/changes", status_code=201, tags=["changes"])
def create_change(server_id: str, given: api.ChangeIn, here: WorkspaceDep, who: PersonDep) -> api.ChangeOut:
    """Create an empty change on the last snapshot."""
    return answers.change(changes.create_change(here, who.name, server_id, given.title))


@router.get("/changes/{change_id}", tags=["changes"])
def get_change(change_id: api.Number, response: Response, here: WorkspaceDep, _who: PersonDep) -> api.ChangeDetail:
    """A change with its steps, worked out on its base, and its findings."""
    return change_as_answer(here, change_id, response)


@router.post("/changes/{change_id}/steps", status_code=201, tags=["changes"])
def add_step(
    change_id: api.Number,
    given: api.StepIn,
    response: Response,
    here: WorkspaceDep,
    who: PersonDep,
    if_match: Version = None,
) -> api.ChangeDetail:
    """Append a step; one that is impossible, or changes nothing, is refused."""
    step = Step(StepKind(given.kind), **given.model_dump(exclude={"kind"}))
    changes.add_step(here, who.name, change_id, step, version=version_of(if_match))
    return change_as_answer(here, change_id, response)


@router.post("/changes/{change_id}/text", status_code=201, tags=["changes"])
def save_text(
    change_id: api.Number, given: api.TypedIn, here: WorkspaceDep, who: PersonDep, if_match: Version = None
) -> api.SavedTextOut:
    """Save what was typed into a file, as steps by meaning."""
    saved = typed_text.save_typed(here, who.name, change_id, _typed(given), version=version_of(if_match))
    with here.session() as session:
        change = changes.get_change(session, change_id)
        found = changes.worked_out(here, session, change).checked.findings
    last = len(change.steps)
    return api.SavedTextOut(
        change=change_id,
        version=change.version,
        positions=[row.position for row in change.steps][last - len(saved.steps) :],
        digest=typed_text.text_digest(saved.document.text),
        text=None if saved.is_exact else saved.document.text,
        findings=[answers.finding(one) for one in found if one.path == given.path],
    )


@router.post("/changes/{change_id}/try", tags=["changes"])
def try_step(
    change_id: api.Number,
    given: api.StepIn,
    here: WorkspaceDep,
    _who: PersonDep,
    offset: Annotated[int, Query(ge=0)] = 0,
) -> api.OutcomeOut:
    """What a step would do, place by place; nothing is changed. Of very many places a page, from `offset` on."""
    step = Step(StepKind(given.kind), **given.model_dump(exclude={"kind"}))
    return answers.outcome(changes.try_step(here, change_id, step), offset)


@router.post("/changes/{change_id}/replay", tags=["changes"])
def replay(change_id: api.Number, given: api.ReplayIn, here: WorkspaceDep, who: PersonDep) -> api.ReplayOut:
    """Replay the steps of a change on another server, and open a change of them there if that is wanted."""
    found = changes.replay_on(here, who.name, change_id, given.server, title=given.title, create=given.create)
    return answers.replayed(given.server, found)


@router.post("/changes/{change_id}/step-list", status_code=201, tags=["changes"])
def add_steps(
    change_id: api.Number,
    given: api.StepsIn,
    response: Response,
    here: WorkspaceDep,
    who: PersonDep,
    if_match: Version = None,
) -> api.ChangeDetail:
    """Append several steps, or none of them where one is impossible or changes nothing."""
    steps = [Step(StepKind(one.kind), **one.model_dump(exclude={"kind"})) for one in given.steps]
    changes.add_steps(here, who.name, change_id, steps, version=version_of(if_match))
    return change_as_answer(here, change_id, response)


@router.delete("/changes/{change_id}/steps", tags=["changes"])
def remove_steps(
    change_id: api.Number,
    here: WorkspaceDep,
    who: PersonDep,
    step: Annotated[list[api.Number], Query(min_length=1, max_length=2000)],
    if_match: Version = None,
) -> api.StepsOut:
    """Remove several steps, or none of them. They are returned as they were given, so that they can be added again."""
    removed = changes.remove_steps(here, who.name, change_id, step, version=version_of(if_match))
    return api.StepsOut(change=change_id, steps=[answers.step_as_given(one) for one in removed])


@router.post("/changes/{change_id}/merge-plan", tags=["changes"])
def plan_merge(change_id: api.Number, given: api.MergeIn, here: WorkspaceDep, _who: PersonDep) -> api.MergePlanOut:
    """What merging a snippet would do, entry by entry; nothing is changed."""
    taking = Taking(tuple(given.take), Existing(given.existing or Existing.COMBINE))
    return answers.merge_plan(changes.preview_merge(here, change_id, given.path, given.snippet, given.into, taking))


@router.post("/changes/{change_id}/check", tags=["changes"])
def check_change(change_id: api.Number, response: Response, here: WorkspaceDep, who: PersonDep) -> api.ChangeDetail:
    """Check a change: it becomes `checked` when nothing blocks it."""
    changes.check_change(here, who.name, change_id)
    return change_as_answer(here, change_id, response)


@router.post("/changes/{change_id}/waivers", status_code=201, tags=["changes"])
def waive(
    change_id: api.Number, given: api.WaiverIn, response: Response, here: WorkspaceDep, who: PersonDep
) -> api.ChangeDetail:
    """Accept a finding, with a reason."""
    server_check.waive_in_change(here, who.name, change_id, given.code, given.address, given.reason, given.until)
    return change_as_answer(here, change_id, response)


@router.post("/changes/{change_id}/update", tags=["changes"])
def refresh(change_id: api.Number, response: Response, here: WorkspaceDep, who: PersonDep) -> api.ChangeDetail:
    """Put the change on the latest snapshot of its server."""
    changes.refresh(here, who.name, change_id)
    return change_as_answer(here, change_id, response)


@router.post("/changes/{change_id}/withdraw", tags=["changes"])
def withdraw(change_id: api.Number, response: Response, here: WorkspaceDep, who: PersonDep) -> api.ChangeDetail:
    """Withdraw a change; it is no longer edited."""
    changes.withdraw(here, who.name, change_id)
    return change_as_answer(here, change_id, response)


@router.get("/changes/{change_id}/differences", tags=["changes"])
def differences(
    change_id: api.Number,
    here: WorkspaceDep,
    _who: PersonDep,
    against: str = "base",
    texts: bool = False,
    sides: SidesQuery = "",
) -> api.ComparisonOut:
    """What differs between the change's result and `base`, `live`, `defaults` or `defaults:LABEL`.

    `texts` adds the lines that differ, `sides` the complete text of one file in both states.
    """
    wanted = state_comparison.TextsWanted(texts, sides)
    return answers.comparison(state_comparison.compare_change(here, change_id, against, wanted))


@router.get("/changes/{change_id}/player-notes", tags=["changes"])
def notes_for_players(change_id: api.Number, here: WorkspaceDep, _who: PersonDep) -> api.PlayerNotesOut:
    """What the change means for the players, as Markdown for a person to read over and post."""
    return api.PlayerNotesOut(text=player_notes.player_notes(here, change_id))


@router.post("/servers/{server_id}/upgrade-plan", tags=["changes"])
def plan_upgrade(server_id: str, given: api.UpgradeIn, here: WorkspaceDep, _who: PersonDep) -> api.UpgradeOut:
    """What carrying the server's own changes over to other defaults would do, file by file; nothing is changed."""
    return answers.upgrade(upgrades.plan_upgrade(here, server_id, given.old, given.new, given.choices, given.rest))


@router.post("/servers/{server_id}/upgrade", status_code=201, tags=["changes"])
def open_upgrade(
    server_id: str, given: api.UpgradeIn, response: Response, here: WorkspaceDep, who: PersonDep
) -> api.ChangeDetail:
    """Make a change of it; every conflict must be decided."""
    change = upgrades.open_upgrade(
        here, who.name, server_id, given.old, given.new, given.title, given.choices, given.rest
    )
    return change_as_answer(here, change.id, response)


@router.get("/activity/chain", tags=["service"])
def verify_activity(here: WorkspaceDep, _who: PersonDep) -> api.ChainOut:
    """Whether the activity log is as it was written; each row is bound to the one before it by its hash."""
    with here.session() as session:
        found = activity_log.verify(session)
    return api.ChainOut(rows=found.rows, faults=list(found.faults))


@router.get("/servers/{server_id}/activity", tags=["servers"])
def list_activity(server_id: str, here: WorkspaceDep, _who: PersonDep) -> list[api.ActivityOut]:
    """What was done with a server, the newest first."""
    with here.session() as session:
        servers.get_server(session, server_id)
        rows = activity_log.list_activity(session, server_id)
    return [api.ActivityOut.model_validate(row, from_attributes=True) for row in rows]


@router.get("/events", tags=["service"], response_class=EventSourceResponse)
async def events(request: Request, here: ContextDep, _who: PersonDep) -> EventSourceResponse:
    """Server-sent events: `run`, `change` and `server`, each with the numbers that it is about."""
    token = token_of(request)

    async def is_valid() -> bool:
        return await anyio.to_thread.run_sync(_whose, here.workspace, token) is not None

    # When the service stops, `Events.close` ends the stream; the grace keeps the library from cutting it off first.
    return EventSourceResponse(
        here.events.listen(is_valid), ping=15, shutdown_event=anyio.Event(), shutdown_grace_period=STOP_PATIENCE / 2
    )


@router.get("/health", tags=["service"])
async def health() -> dict[Literal["status"], str]:
    """Whether the service answers."""
    return {"status": "ok"}
