"""
The schedule: restarts and other tasks at set times; the queue of changes that wait for one.

The next moment of each is in the records. A service that finds one in the past was down then: that is reported, and
nothing is done late.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime, time, timedelta
from typing import Final
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import structlog
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zerrit.connections import ConnectionFailed
from zerrit.control import ControlError
from zerrit.core.errors import ZerritError
from zerrit.core.schedule_times import Moment, next_moment
from zerrit.core.states import EDITABLE, ChangeState
from zerrit.records import Change, Person, Run, RunOptions, ScheduledTask
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused, WrongState
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import get_change
from zerrit.work.changes.rights import require_rights
from zerrit.work.deploy.run_requests import begin_deploy, begin_restart, require_deployable
from zerrit.work.servers.servers import get_server
from zerrit.work.snapshots.fetch import fetch
from zerrit.work.snapshots.retention import prune

log = structlog.get_logger("zerrit.tasks")

RESTART: Final = "restart"
SNAPSHOT: Final = "snapshot"
DRIFT_CHECK: Final = "drift-check"
KINDS: Final = (RESTART, SNAPSHOT, DRIFT_CHECK)
LATE: Final = timedelta(seconds=90)  #: later than this, a moment was missed
CLOCK: Final = "the schedule"  #: who did it, in the activity
DAYS: Final = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


# --- tasks ----------------------------------------------------------------------------------------------------------


def add_task(
    workspace: Workspace,
    person: str,
    server_id: str,
    kind: str,
    times: Sequence[str],
    weekdays: Sequence[int],
    zone: str,
    announce: int = 0,
) -> ScheduledTask:
    """Do something at times of day: `restart`, `snapshot` or `drift-check`.

    Raises NotFound. Refused: a time, day or zone is none.
    """
    if kind not in KINDS:
        raise Refused(f"`{kind}` is not a known task. Use {', '.join(KINDS)}.")
    clean = sorted({parsed_time(text).strftime("%H:%M") for text in times})
    if not clean:
        raise Refused("Give at least one time of day, such as 05:30.")
    if any(day not in range(7) for day in weekdays):
        raise Refused("Weekdays are 0 (Monday) to 6 (Sunday).")
    _zone(zone)
    with workspace.session() as session:
        get_server(session, server_id)
        task = ScheduledTask(
            server_id=server_id,
            task=kind,
            times=clean,
            weekdays=sorted(set(weekdays)),
            zone=zone,
            announce=announce if kind == RESTART else 0,
            person=person,
            created_at=workspace.now(),
        )
        task.next_at = moment_of(task, workspace.now()).at
        session.add(task)
        session.flush()
        note(workspace, session, person, "schedule.added", server_id, in_words(task))
    workspace.publish("server", {"server": server_id})
    return task


def parsed_time(text: str) -> time:
    """A time of day such as 05:30. Raises Refused."""
    try:
        return time.fromisoformat(text.strip() if len(text.strip()) > 4 else f"0{text.strip()}")
    except ValueError as error:
        raise Refused(f"`{text}` is not a time of day. Write it like 05:30.") from error


def _zone(name: str) -> ZoneInfo:
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise Refused(f"`{name}` is not a time zone. Write one like Europe/Berlin, or UTC.") from error


def moment_of(task: ScheduledTask, after: datetime) -> Moment:
    """When a task is due next after a time."""
    return next_moment([parsed_time(text) for text in task.times], task.weekdays, _zone(task.zone), after)


def in_words(task: ScheduledTask) -> str:
    """When a task is due, in words: `every day at 05:00 Europe/Berlin`."""
    days = ", ".join(DAYS[day] for day in task.weekdays) or "every day"
    return f"{task.task} {days} at {', '.join(task.times)} ({task.zone})"


def list_tasks(session: Session, server_id: str) -> list[ScheduledTask]:
    """The scheduled tasks of a server."""
    get_server(session, server_id)
    return list(
        session.scalars(
            select(ScheduledTask).where(ScheduledTask.server_id == server_id).order_by(ScheduledTask.next_at)
        )
    )


def remove_task(workspace: Workspace, person: str, server_id: str, task_id: int) -> None:
    """Raises NotFound."""
    with workspace.session() as session:
        task = session.get(ScheduledTask, task_id)
        if task is None or task.server_id != server_id:
            raise NotFound(
                f"{server_id} has no schedule {task_id}. `zerrit schedule list {server_id}` shows those it has."
            )
        note(workspace, session, person, "schedule.removed", server_id, in_words(task))
        session.delete(task)
    workspace.publish("server", {"server": server_id})


# --- the queue --------------------------------------------------------------------------------------------------------


def queue_change(workspace: Workspace, by: Person, change_id: int) -> Change:
    """Queue a change for the next scheduled restart of its server.

    Raises NotFound, WrongState, Blocked, NotAllowed: it does more than this person may. Refused: it has no restart task.
    """
    with workspace.writing() as session:
        change = get_change(session, change_id)
        if change.state not in EDITABLE:
            raise WrongState(f"Change {change_id} is {change.state}; only an open one can be queued.")
        require_rights(workspace, session, by, change)
        require_deployable(workspace, session, change)
        tasks = [one for one in list_tasks(session, change.server_id) if one.task == RESTART]
        if not tasks:
            raise Refused(
                f"{change.server_id} has no scheduled restart to wait for. Add one: zerrit schedule add {change.server_id} "
                "restart --at 05:00"
            )
        last = session.scalar(select(func.max(Change.queue_place)).where(Change.server_id == change.server_id)) or 0
        change.state, change.queue_place, change.updated_at = ChangeState.QUEUED, last + 1, workspace.now()
        at = tasks[0].next_at
        note(
            workspace, session, by.name, "change.queued", change.server_id, f"{change_id}, for {at:%Y-%m-%d %H:%M} UTC"
        )
    workspace.publish("change", {"change": change_id, "server": change.server_id})
    return change


def unqueue_change(workspace: Workspace, person: str, change_id: int) -> Change:
    """Take a change out of the queue; it is checked, as it was. Raises NotFound, WrongState."""
    with workspace.writing() as session:
        change = get_change(session, change_id)
        if change.state != ChangeState.QUEUED:
            raise WrongState(f"Change {change_id} is {change.state}; it does not wait for a task.")
        change.state, change.queue_place, change.updated_at = ChangeState.CHECKED, None, workspace.now()
        note(workspace, session, person, "change.unqueued", change.server_id, str(change_id))
    workspace.publish("change", {"change": change_id, "server": change.server_id})
    return change


def queued_changes(session: Session, server_id: str) -> list[Change]:
    """The queued changes of a server, in the order in which they go."""
    query = select(Change).where(Change.server_id == server_id, Change.state == ChangeState.QUEUED)
    return list(session.scalars(query.order_by(Change.queue_place)))


# --- the clock --------------------------------------------------------------------------------------------------------


def tick(workspace: Workspace, begin: Callable[[Run], None]) -> None:
    """Do what is due, and report what was missed. `begin` carries a run out."""
    now = workspace.now()
    with workspace.session() as session:
        due = list(session.scalars(select(ScheduledTask).where(ScheduledTask.next_at <= now + timedelta(hours=3))))
    for task in due:
        starts_at = task.next_at - timedelta(minutes=task.announce)
        if now < starts_at:
            continue
        _set_next(workspace, task)
        if now - starts_at > LATE:
            _report_missed(workspace, task)
            continue
        try:
            _do(workspace, task, begin)
        except (ZerritError, ConnectionFailed, ControlError) as error:
            log.warning("schedule.failed", task=task.id, error=str(error))
            with workspace.session() as session:
                note(workspace, session, CLOCK, "schedule.failed", task.server_id, f"{in_words(task)}: {error}")
        workspace.publish("server", {"server": task.server_id})


def _set_next(workspace: Workspace, task: ScheduledTask) -> None:
    with workspace.session() as session:
        row = session.get(ScheduledTask, task.id)
        if row is not None:
            row.next_at = moment_of(task, max(task.next_at, workspace.now())).at


def _report_missed(workspace: Workspace, task: ScheduledTask) -> None:
    with workspace.session() as session:
        waiting = len(queued_changes(session, task.server_id)) if task.task == RESTART else 0
        said = f"{in_words(task)}: {task.next_at:%Y-%m-%d %H:%M} UTC passed while the service was not running"
        said += f"; {waiting} queued for it still wait" if waiting else ""
        note(workspace, session, CLOCK, "schedule.missed", task.server_id, said)
    log.warning("schedule.missed", task=task.id, server=task.server_id)


def _do(workspace: Workspace, task: ScheduledTask, begin: Callable[[Run], None]) -> None:
    if task.task == RESTART:
        begin(_restart(workspace, task))
        return
    found = fetch(workspace, CLOCK, task.server_id)
    with workspace.session() as session:
        if task.task == SNAPSHOT:
            said = f"snapshot {found.snapshot.id}" + ("" if found.is_new else ", nothing had changed")
            note(workspace, session, CLOCK, "snapshot.taken", task.server_id, said)
        elif found.drift:
            note(workspace, session, CLOCK, "drift.found", task.server_id, ", ".join(found.drift.all[:20]))
    if task.task == SNAPSHOT:
        prune(workspace, CLOCK, task.server_id)


def _restart(workspace: Workspace, task: ScheduledTask) -> Run:
    """Begin the run of a restart task: with all queued changes that may go, in their order."""
    options = RunOptions(announce=task.announce)
    ready: list[int] = []
    with workspace.session() as session:
        for change in queued_changes(session, task.server_id):
            try:
                require_deployable(workspace, session, change)
                ready.append(change.id)
            except ZerritError as error:
                note(workspace, session, CLOCK, "change.left", task.server_id, f"{change.id} still waits: {error}")
    if ready:
        return begin_deploy(workspace, CLOCK, ready, options)
    return begin_restart(workspace, CLOCK, task.server_id, options)
