"""The routes of snapshots, drift, what is taken back, tasks, rollouts and the grid."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, BackgroundTasks, File, Query, Response, UploadFile
from fastapi.responses import FileResponse

from zerrit import api
from zerrit.records import Rollout, Run, RunOptions, ScheduledTask, back_up
from zerrit.web import answers
from zerrit.web.context import Context, ContextDep, PersonDep, WorkspaceDep
from zerrit.web.routes import change_as_answer
from zerrit.work.browse import server_values
from zerrit.work.changes import drift as drift_work
from zerrit.work.changes import partial_restore, revert
from zerrit.work.deploy import rollouts, schedule
from zerrit.work.servers import servers
from zerrit.work.snapshots import integrity, retention, snapshot_archive, snapshots

router = APIRouter(prefix="/api/v1", responses={"4XX": {"model": api.Problem}, "5XX": {"model": api.Problem}})


# --- snapshots --------------------------------------------------------------------------------------------------------


@router.get("/servers/{server_id}/snapshots", tags=["snapshots"])
def list_snapshots(server_id: str, here: WorkspaceDep, _who: PersonDep) -> list[api.SnapshotOut]:
    """The snapshots and defaults of a server, the newest first."""
    with here.session() as session:
        servers.get_server(session, server_id)
        return answers.all_snapshots(session, snapshots.list_snapshots(session, server_id))


@router.post("/servers/{server_id}/snapshots", status_code=201, tags=["snapshots"])
def take_snapshot(server_id: str, given: api.SnapshotIn, here: WorkspaceDep, who: PersonDep) -> api.SnapshotOut:
    """Fetch the server and mark what it holds now."""
    snapshot = retention.take_snapshot(here, who.name, server_id, given.reason, pin=given.pin)
    with here.session() as session:
        return answers.snapshot(session, snapshot)


@router.put("/servers/{server_id}/snapshots/{snapshot_id}/pin", tags=["snapshots"])
def pin_snapshot(
    server_id: str, snapshot_id: api.Number, given: api.PinIn, here: WorkspaceDep, who: PersonDep
) -> api.SnapshotOut:
    """Keep a snapshot for good, or let it go again."""
    snapshot = retention.pin_snapshot(here, who.name, server_id, snapshot_id, given.reason)
    with here.session() as session:
        return answers.snapshot(session, snapshot)


@router.get("/servers/{server_id}/snapshots/{snapshot_id}/export", tags=["snapshots"], response_class=Response)
def export_snapshot(server_id: str, snapshot_id: api.Number, here: WorkspaceDep, _who: PersonDep) -> Response:
    """A snapshot as a ZIP that needs no Zerrit: files, hashes, and a sheet of steps."""
    headers = {"Content-Disposition": f'attachment; filename="{server_id}-{snapshot_id}.zip"'}
    return Response(
        snapshot_archive.export_snapshot(here, server_id, snapshot_id), media_type="application/zip", headers=headers
    )


@router.post("/servers/{server_id}/snapshots/import", status_code=201, tags=["snapshots"])
def import_snapshot(
    server_id: str, here: WorkspaceDep, who: PersonDep, archive: Annotated[UploadFile, File()]
) -> api.SnapshotOut:
    """Take an exported snapshot in again; nothing is written to the server."""
    snapshot = snapshot_archive.import_snapshot(here, who.name, server_id, archive.file.read())
    with here.session() as session:
        return answers.snapshot(session, snapshot)


@router.get("/servers/{server_id}/pruning", tags=["snapshots"])
def plan_pruning(server_id: str, here: WorkspaceDep, _who: PersonDep) -> api.PruningOut:
    """What the retention rules would take away, and why the others stay."""
    with here.session() as session:
        planned = retention.plan_pruning(session, servers.get_server(session, server_id))
    return api.PruningOut(pruned=list(planned.pruned), kept=planned.kept, watched=planned.watched)


@router.post("/servers/{server_id}/pruning", tags=["snapshots"])
def prune(server_id: str, here: WorkspaceDep, who: PersonDep) -> api.PruningOut:
    """Prune what the retention rules do not keep."""
    planned = retention.prune(here, who.name, server_id)
    return api.PruningOut(pruned=list(planned.pruned), kept=planned.kept, watched=planned.watched)


@router.post("/verification", tags=["snapshots"])
def verify_all(here: WorkspaceDep, who: PersonDep) -> api.IntegrityOut:
    """Hash every kept content again."""
    proof = integrity.verify_all(here, who.name)
    return api.IntegrityOut(
        contents=proof.contents, size=proof.size, damaged={id_: list(paths) for id_, paths in proof.damaged.items()}
    )


@router.get("/backup", tags=["service"], response_class=FileResponse)
def backup(here: WorkspaceDep, _who: PersonDep, later: BackgroundTasks) -> FileResponse:
    """The service's own database as it is at this moment, while it goes on. The key of its passwords is not in it."""
    folder = Path(tempfile.mkdtemp(prefix="zerrit-backup-"))
    path = folder / "zerrit.db"
    back_up(here.database, path)
    later.add_task(_away, path)
    return FileResponse(path, media_type="application/vnd.sqlite3", filename="zerrit.db")


def _away(path: Path) -> None:
    path.unlink(missing_ok=True)
    path.parent.rmdir()


# --- taking back ------------------------------------------------------------------------------------------------------


@router.post("/servers/{server_id}/restore", status_code=201, tags=["snapshots"])
def restore_part(
    server_id: str, given: api.RestoreIn, response: Response, here: WorkspaceDep, who: PersonDep
) -> api.ChangeDetail:
    """Open a change that makes a folder, a file or an entry as it was in a snapshot."""
    change = partial_restore.restore_part(here, who.name, server_id, given.snapshot, given.what, given.title)
    return change_as_answer(here, change.id, response)


@router.post("/changes/{change_id}/revert", tags=["changes"])
def revert_change(change_id: api.Number, given: api.RevertIn, here: WorkspaceDep, who: PersonDep) -> api.RevertOut:
    """What taking one old change back would do, keeping all that came since; with `create` a change of it."""
    found = revert.revert_change(
        here, who.name, change_id, given.choices, rest=given.rest, create=given.create, title=given.title
    )
    return api.RevertOut(
        change=found.change.id if found.change is not None else None,
        differences=[answers.difference(one) for one in found.differences],
        conflicts=[
            api.RevertConflictOut(
                address=one.address, changed_to=one.base, current=one.mine, previous=one.theirs, reason=one.reason
            )
            for one in found.conflicts
        ],
    )


@router.get("/servers/{server_id}/drift", tags=["snapshots"])
def drift(server_id: str, here: WorkspaceDep, _who: PersonDep, snapshot: api.Number | None = None) -> api.DriftOut:
    """What a fetch found that Zerrit had not written, and who usually writes there."""
    found = drift_work.drift_of(here, server_id, snapshot)
    return api.DriftOut(
        server=found.server,
        before=found.before,
        after=found.after,
        files=[api.DriftFileOut.model_validate(file, from_attributes=True) for file in found.files],
        differences=[answers.difference(one) for one in found.differences],
    )


@router.post("/servers/{server_id}/drift/adopt", status_code=201, tags=["snapshots"])
def adopt_drift(
    server_id: str, given: api.DriftIn, response: Response, here: WorkspaceDep, who: PersonDep
) -> api.ChangeDetail:
    """Adopt what was changed outside Zerrit as a change."""
    change = drift_work.adopt_drift(here, who.name, server_id, given.snapshot, given.title)
    return change_as_answer(here, change.id, response)


@router.post("/servers/{server_id}/drift/revert", status_code=201, tags=["snapshots"])
def revert_drift(
    server_id: str, given: api.DriftIn, response: Response, here: WorkspaceDep, who: PersonDep
) -> api.ChangeDetail:
    """Create a change that reverts what was changed outside Zerrit."""
    change = drift_work.revert_drift(here, who.name, server_id, given.snapshot, given.title)
    return change_as_answer(here, change.id, response)


# --- tasks ----------------------------------------------------------------------------------------------------------


@router.get("/servers/{server_id}/schedule", tags=["schedule"])
def list_tasks(server_id: str, here: WorkspaceDep, _who: PersonDep) -> list[api.TaskOut]:
    """The scheduled tasks of a server, with when each is due."""
    with here.session() as session:
        queued = [change.id for change in schedule.queued_changes(session, server_id)]
        return [_task(here, row, queued) for row in schedule.list_tasks(session, server_id)]


@router.post("/servers/{server_id}/schedule", status_code=201, tags=["schedule"])
def add_task(server_id: str, given: api.TaskIn, here: WorkspaceDep, who: PersonDep) -> api.TaskOut:
    """Add a task to the schedule."""
    task = schedule.add_task(
        here, who.name, server_id, given.task, given.times, given.weekdays, given.zone, given.announce
    )
    with here.session() as session:
        return _task(here, task, [change.id for change in schedule.queued_changes(session, server_id)])


@router.delete("/servers/{server_id}/schedule/{task_id}", status_code=204, tags=["schedule"])
def remove_task(server_id: str, task_id: api.Number, here: WorkspaceDep, who: PersonDep) -> None:
    """Remove a scheduled task."""
    schedule.remove_task(here, who.name, server_id, task_id)


def _task(here: WorkspaceDep, row: ScheduledTask, queued: list[int]) -> api.TaskOut:
    moment = schedule.moment_of(row, here.now())
    return api.TaskOut.model_validate(
        {
            "id": row.id,
            "server": row.server_id,
            "task": row.task,
            "times": row.times,
            "weekdays": row.weekdays,
            "zone": row.zone,
            "announce": row.announce,
            "next_at": row.next_at,
            "note": moment.note if moment.at == row.next_at else "",
            "queued": queued if row.task == schedule.RESTART else [],
        }
    )


@router.post("/changes/{change_id}/queue", tags=["schedule"])
def queue(change_id: api.Number, response: Response, here: WorkspaceDep, who: PersonDep) -> api.ChangeDetail:
    """Queue a change for the next scheduled restart of its server."""
    schedule.queue_change(here, who, change_id)
    return change_as_answer(here, change_id, response)


@router.delete("/changes/{change_id}/queue", tags=["schedule"])
def unqueue(change_id: api.Number, response: Response, here: WorkspaceDep, who: PersonDep) -> api.ChangeDetail:
    """Take a change out of the queue."""
    schedule.unqueue_change(here, who.name, change_id)
    return change_as_answer(here, change_id, response)


# --- several servers --------------------------------------------------------------------------------------------------


def begin_run(here: Context, run: Run) -> None:
    """Carry a run out that something else than a request began."""
    here.runs.start(run.id)


def begin_rollout_of(here: Context, rollout_id: api.Number) -> None:
    """Go on with a rollout in a thread of its own."""
    here.later(lambda: rollouts.carry_out_rollout(here.workspace, rollout_id, lambda run: begin_run(here, run)))


@router.post("/rollouts", status_code=202, tags=["rollouts"])
def begin_rollout(given: api.RolloutIn, here: ContextDep, who: PersonDep) -> api.RolloutOut:
    """Bring a change to several servers, wave by wave; it halts at the first that goes wrong."""
    options = RunOptions(**given.options.model_dump())
    rollout = rollouts.begin_rollout(here.workspace, who.name, given.change, given.waves, options)
    begin_rollout_of(here, rollout.id)
    return _rollout(rollout)


@router.get("/rollouts", tags=["rollouts"])
def list_rollouts(here: WorkspaceDep, _who: PersonDep) -> list[api.RolloutOut]:
    """All rollouts, the newest first."""
    with here.session() as session:
        return [_rollout(row) for row in rollouts.list_rollouts(session)]


@router.get("/rollouts/{rollout_id}", tags=["rollouts"])
def get_rollout(rollout_id: api.Number, here: WorkspaceDep, _who: PersonDep) -> api.RolloutOut:
    """A rollout with how it goes on each server."""
    with here.session() as session:
        return _rollout(rollouts.get_rollout(session, rollout_id))


def _rollout(row: Rollout) -> api.RolloutOut:
    return api.RolloutOut(
        id=row.id,
        change=row.change_id,
        state=row.state,
        outcome=row.outcome,
        person=row.person,
        started_at=row.started_at,
        ended_at=row.ended_at,
        servers=[
            api.RolloutServerOut(server=server_id, wave=number, **row.results.parts[server_id].model_dump())
            for number, wave in enumerate(row.waves, 1)
            for server_id in wave
        ],
    )


@router.get("/server-values", tags=["rollouts"])
def grid(
    here: WorkspaceDep,
    _who: PersonDep,
    address: Annotated[str, Query(max_length=2000)],
    server: Annotated[list[str] | None, Query()] = None,
    only_odd: bool = False,
) -> api.ServerValuesOut:
    """The values at an address on several servers or all, odd ones marked."""
    chosen, rows = server_values.grid(here, address, server or (), only_odd=only_odd)
    return api.ServerValuesOut(
        servers=chosen,
        rows=[
            api.ServerValuesRowOut(address=r.address, values=dict(r.values), odd=sorted(r.odd), is_split=r.is_split)
            for r in rows
        ],
    )
