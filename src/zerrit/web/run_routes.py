"""The routes of deploys, rollbacks and restarts."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Body, File, Form, Response, UploadFile

from zerrit import api
from zerrit.core.states import RunState
from zerrit.records import Run, RunOptions
from zerrit.web import answers
from zerrit.web.context import Context, ContextDep, PersonDep, WorkspaceDep
from zerrit.web.routes import change_as_answer
from zerrit.work.base import run_records
from zerrit.work.deploy import checklist, evidence, instructions, run_requests
from zerrit.work.servers import controls, servers
from zerrit.work.snapshots import upload

router = APIRouter(
    prefix="/api/v1", tags=["runs"], responses={"4XX": {"model": api.Problem}, "5XX": {"model": api.Problem}}
)
Chosen = Annotated[api.OptionsIn | None, Body()]


def _options(given: api.OptionsIn | None) -> RunOptions:
    return RunOptions(**given.model_dump()) if given is not None else run_requests.NO_OPTIONS


def _begun(here: Context, run: Run) -> api.RunOut:
    here.runs.start(run.id)
    return answers.run(run)


@router.post("/changes/{change_id}/deploy", status_code=202)
def deploy(change_id: api.Number, here: ContextDep, who: PersonDep, options: Chosen = None) -> api.RunOut:
    """Begin to deploy a change; follow the run by its number or by the event stream."""
    return _begun(here, run_requests.begin_deploy(here.workspace, who.name, [change_id], _options(options), by=who))


@router.post("/servers/{server_id}/deploy", status_code=202)
def deploy_together(server_id: str, given: api.DeployIn, here: ContextDep, who: PersonDep) -> api.RunOut:
    """Begin to deploy several changes of a server in one run, in their order."""
    return _begun(
        here, run_requests.begin_deploy(here.workspace, who.name, given.changes, _options(given.options), by=who)
    )


@router.post("/servers/{server_id}/rollback", status_code=202)
def rollback(server_id: str, given: api.RollbackIn, here: ContextDep, who: PersonDep) -> api.RunOut:
    """Begin to put a server back to one of its snapshots."""
    return _begun(
        here, run_requests.begin_rollback(here.workspace, who.name, server_id, given.snapshot, _options(given.options))
    )


@router.post("/servers/{server_id}/restart", status_code=202)
def restart(server_id: str, here: ContextDep, who: PersonDep, options: Chosen = None) -> api.RunOut:
    """Begin to stop the game, take a snapshot, and start it again."""
    return _begun(here, run_requests.begin_restart(here.workspace, who.name, server_id, _options(options)))


@router.post("/runs/{run_id}/cancel")
def cancel(run_id: api.Number, here: WorkspaceDep, who: PersonDep) -> api.RunOut:
    """Let a run end at the next point where that is safe; what was written by then is reverted.

    One that waits for a person on its way back is abandoned, and leaves the server as it is.
    """
    run_requests.cancel_run(here, who.name, run_id)
    return get_run(run_id, here, who)


@router.get("/runs/{run_id}")
def get_run(run_id: api.Number, here: WorkspaceDep, _who: PersonDep) -> api.RunOut:
    """A run with its stages and evidence."""
    with here.session() as session:
        row = run_records.get_run(session, run_id)
        return answers.run(row, here.live_logs.get(run_id) or "" if row.state == RunState.RUNNING else "")


@router.get("/runs/{run_id}/evidence/{path:path}", response_class=Response)
def get_evidence_file(run_id: api.Number, path: str, here: WorkspaceDep, _who: PersonDep) -> Response:
    """The bytes of a file that a failed start wrote."""
    return Response(
        evidence.evidence_file(here, run_id, path),
        media_type="application/octet-stream",
        headers={"Content-Disposition": "attachment"},
    )


@router.get("/servers/{server_id}/runs")
def list_runs(server_id: str, here: WorkspaceDep, _who: PersonDep) -> list[api.RunOut]:
    """The runs of a server, the newest first."""
    with here.session() as session:
        servers.get_server(session, server_id)
        return [answers.run(row) for row in run_records.list_runs(session, server_id)]


# --- manually ----------------------------------------------------------------------------------------------------------


@router.post("/servers/{server_id}/report")
def report_state(server_id: str, given: api.ReportIn, here: WorkspaceDep, who: PersonDep) -> dict[str, str]:
    """Say that a game which is stopped and started manually runs, or is stopped. Its log is looked at first."""
    state = controls.report_state(here, who.name, server_id, is_running=given.is_running, is_sure=given.is_sure)
    return {"state": state.word}


@router.post("/servers/{server_id}/upload")
def upload_files(
    server_id: str,
    here: WorkspaceDep,
    who: PersonDep,
    files: Annotated[list[UploadFile], File()] = [],  # noqa: B006 (read by FastAPI)
    paths: Annotated[list[str], Form()] = [],  # noqa: B006
    gone: Annotated[list[str], Form()] = [],  # noqa: B006
) -> api.UploadOut:
    """Show files as they are on the server now: each under its path, or a ZIP of many without one."""
    given = [(path, file.file.read()) for file, path in zip(files, [*paths, *[""] * len(files)], strict=False)]
    stored = upload.upload(here, who.name, server_id, given, gone)
    return api.UploadOut(stored=stored, gone=gone)


@router.get("/runs/{run_id}/instructions", response_class=Response)
def run_instructions(run_id: api.Number, here: WorkspaceDep, _who: PersonDep) -> Response:
    """A ZIP of the files that a run asks a person to put on the server, with numbered steps."""
    headers = {"Content-Disposition": f'attachment; filename="zerrit-run-{run_id}.zip"'}
    return Response(instructions.instructions(here, run_id), media_type="application/zip", headers=headers)


@router.post("/servers/{server_id}/accept")
def accept_identity(server_id: str, given: api.IdentityIn, here: WorkspaceDep, who: PersonDep) -> api.ServerOut:
    """Accept another certificate or key of the host."""
    servers.accept_identity(here, who.name, server_id, given.identity)
    with here.session() as session:
        return answers.server(session, servers.get_server(session, server_id))


# --- after the start --------------------------------------------------------------------------------------------------


@router.post("/changes/{change_id}/checklist/{item_id}")
def answer_checklist(
    change_id: api.Number,
    item_id: api.Number,
    given: api.ChecklistIn,
    response: Response,
    here: WorkspaceDep,
    who: PersonDep,
) -> api.ChangeDetail:
    """Say how something looks in the game. When all is right, the change is confirmed."""
    checklist.say_look(here, who.name, change_id, item_id, is_right=given.is_right, note_=given.note)
    return change_as_answer(here, change_id, response)


@router.post("/changes/{change_id}/pending/{pending_id}")
def mark_in_effect(
    change_id: api.Number, pending_id: api.Number, response: Response, here: WorkspaceDep, who: PersonDep
) -> api.ChangeDetail:
    """What written values waited for has come."""
    checklist.say_held(here, who.name, change_id, pending_id)
    return change_as_answer(here, change_id, response)


@router.post("/changes/{change_id}/confirm")
def confirm(
    change_id: api.Number, given: api.ConfirmIn, response: Response, here: WorkspaceDep, who: PersonDep
) -> api.ChangeDetail:
    """A change without a checklist is confirmed by a person's own words."""
    checklist.confirm(here, who.name, change_id, given.note)
    return change_as_answer(here, change_id, response)
