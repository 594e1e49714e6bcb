"""
Restart windows and other times at which something is done by itself; the queue of changes that wait for one.

The next moment of each stands in the records. A service that finds one in the past was down then: that is reported, and
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
from zerrit.records import Change, Run, Window
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused, WrongState
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import EDITABLE, get_change
from zerrit.work.deploy.run_requests import QUEUED, Options, begin_deploy, begin_restart, require_deployable
from zerrit.work.servers.servers import get_server
from zerrit.work.snapshots.fetch import fetch
from zerrit.work.snapshots.retention import prune

log = structlog.get_logger("zerrit.windows")

RESTART: Final = "restart"
BACKUP: Final = "backup"
LOOK: Final = "look"
KINDS: Final = (RESTART, BACKUP, LOOK)
LATE: Final = timedelta(seconds=90)  #: later than this, a moment was missed
CLOCK: Final = "the schedule"  #: who did it, in the activity
DAYS: Final = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


# --- windows ----------------------------------------------------------------------------------------------------------


def add_window(
    workspace: Workspace,
    person: str,
    server_id: str,
    does: str,
    times: Sequence[str],
    weekdays: Sequence[int],
    zone: str,
    announce: int = 0,
) -> Window:
    """Do something at times of day: `restart`, `backup` or `look`.

    Raises NotFound. Refused: a time, day or zone is none.
    """
    if does not in KINDS:
        raise Refused(f"`{does}` is nothing that a window does. Write {', '.join(KINDS)}.")
    clean = sorted({parsed_time(text).strftime("%H:%M") for text in times})
    if not clean:
        raise Refused("Give at least one time of day, such as 05:30.")
    if any(day not in range(7) for day in weekdays):
        raise Refused("Weekdays are 0 (Monday) to 6 (Sunday).")
    _zone(zone)
    with workspace.session() as session:
        get_server(session, server_id)
        window = Window(
            server_id=server_id,
            does=does,
            times=clean,
            weekdays=sorted(set(weekdays)),
            zone=zone,
            announce=announce if does == RESTART else 0,
            person=person,
            created_at=workspace.now(),
        )
        window.next_at = moment_of(window, workspace.now()).at
        session.add(window)
        session.flush()
        note(workspace, session, person, "window.added", server_id, in_words(window))
    workspace.publish("server", {"server": server_id})
    return window


def parsed_time(text: str) -> time:
    """A time of day such as 05:30. Raises Refused."""
    try:
        return time.fromisoformat(text.strip() if len(text.strip()) > 4 else f"0{text.strip()}")
    except ValueError as error:
        raise Refused(f"`{text}` is no time of day. Write it like 05:30.") from error


def _zone(name: str) -> ZoneInfo:
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise Refused(f"`{name}` is no time zone. Write one like Europe/Berlin, or UTC.") from error


def moment_of(window: Window, after: datetime) -> Moment:
    return next_moment([parsed_time(text) for text in window.times], window.weekdays, _zone(window.zone), after)


def in_words(window: Window) -> str:
    days = ", ".join(DAYS[day] for day in window.weekdays) or "every day"
    return f"{window.does} {days} at {', '.join(window.times)} ({window.zone})"


def list_windows(session: Session, server_id: str) -> list[Window]:
    get_server(session, server_id)
    return list(session.scalars(select(Window).where(Window.server_id == server_id).order_by(Window.next_at)))


def remove_window(workspace: Workspace, person: str, server_id: str, window_id: int) -> None:
    """Raises NotFound."""
    with workspace.session() as session:
        window = session.get(Window, window_id)
        if window is None or window.server_id != server_id:
            raise NotFound(
                f"{server_id} has no window {window_id}. `zerrit window list {server_id}` shows those it has."
            )
        note(workspace, session, person, "window.removed", server_id, in_words(window))
        session.delete(window)
    workspace.publish("server", {"server": server_id})


# --- the queue --------------------------------------------------------------------------------------------------------


def queue_change(workspace: Workspace, person: str, change_id: int) -> Change:
    """Let a change wait for the next restart window of its server.

    Raises NotFound, WrongState, Blocked, Refused: it has no restart window.
    """
    with workspace.writing() as session:
        change = get_change(session, change_id)
        if change.state not in EDITABLE:
            raise WrongState(f"Change {change_id} is {change.state}; only an open one can be queued.")
        require_deployable(workspace, session, change)
        windows = [one for one in list_windows(session, change.server_id) if one.does == RESTART]
        if not windows:
            raise Refused(
                f"{change.server_id} has no restart window to wait for. Add one: zerrit window add {change.server_id} "
                "restart --at 05:00"
            )
        last = session.scalar(select(func.max(Change.queue_place)).where(Change.server_id == change.server_id)) or 0
        change.state, change.queue_place, change.updated_at = QUEUED, last + 1, workspace.now()
        at = windows[0].next_at
        note(workspace, session, person, "change.queued", change.server_id, f"{change_id}, for {at:%Y-%m-%d %H:%M} UTC")
    workspace.publish("change", {"change": change_id, "server": change.server_id})
    return change


def unqueue_change(workspace: Workspace, person: str, change_id: int) -> Change:
    """Take a change out of the queue; it is checked, as it was. Raises NotFound, WrongState."""
    with workspace.writing() as session:
        change = get_change(session, change_id)
        if change.state != QUEUED:
            raise WrongState(f"Change {change_id} is {change.state}; it does not wait for a window.")
        change.state, change.queue_place, change.updated_at = "checked", None, workspace.now()
        note(workspace, session, person, "change.unqueued", change.server_id, str(change_id))
    workspace.publish("change", {"change": change_id, "server": change.server_id})
    return change


def queued_changes(session: Session, server_id: str) -> list[Change]:
    query = select(Change).where(Change.server_id == server_id, Change.state == QUEUED)
    return list(session.scalars(query.order_by(Change.queue_place)))


# --- the clock --------------------------------------------------------------------------------------------------------


def tick(workspace: Workspace, begin: Callable[[Run], None]) -> None:
    """Do what is due, and report what was missed. `begin` carries a run out."""
    now = workspace.now()
    with workspace.session() as session:
        due = list(session.scalars(select(Window).where(Window.next_at <= now + timedelta(hours=3))))
    for window in due:
        starts_at = window.next_at - timedelta(minutes=window.announce)
        if now < starts_at:
            continue
        _set_next(workspace, window)
        if now - starts_at > LATE:
            _report_missed(workspace, window)
            continue
        try:
            _do(workspace, window, begin)
        except (ZerritError, ConnectionFailed, ControlError) as error:
            log.warning("window.failed", window=window.id, error=str(error))
            with workspace.session() as session:
                note(workspace, session, CLOCK, "window.failed", window.server_id, f"{in_words(window)}: {error}")
        workspace.publish("server", {"server": window.server_id})


def _set_next(workspace: Workspace, window: Window) -> None:
    with workspace.session() as session:
        row = session.get(Window, window.id)
        if row is not None:
            row.next_at = moment_of(window, max(window.next_at, workspace.now())).at


def _report_missed(workspace: Workspace, window: Window) -> None:
    with workspace.session() as session:
        waiting = len(queued_changes(session, window.server_id)) if window.does == RESTART else 0
        said = f"{in_words(window)}: {window.next_at:%Y-%m-%d %H:%M} UTC passed while the service was not running"
        said += f"; {waiting} queued for it still wait" if waiting else ""
        note(workspace, session, CLOCK, "window.missed", window.server_id, said)
    log.warning("window.missed", window=window.id, server=window.server_id)


def _do(workspace: Workspace, window: Window, begin: Callable[[Run], None]) -> None:
    if window.does == RESTART:
        begin(_restart(workspace, window))
        return
    found = fetch(workspace, CLOCK, window.server_id)
    with workspace.session() as session:
        if window.does == BACKUP:
            said = f"snapshot {found.snapshot.id}" + ("" if found.is_new else ", nothing had changed")
            note(workspace, session, CLOCK, "backup.taken", window.server_id, said)
        elif found.drift:
            note(workspace, session, CLOCK, "drift.found", window.server_id, ", ".join(found.drift.all[:20]))
    if window.does == BACKUP:
        prune(workspace, CLOCK, window.server_id)


def _restart(workspace: Workspace, window: Window) -> Run:
    """Begin the run of a restart window: with all queued changes that may go, in their order."""
    options = Options(announce=window.announce)
    going: list[int] = []
    with workspace.session() as session:
        for change in queued_changes(session, window.server_id):
            try:
                require_deployable(workspace, session, change)
                going.append(change.id)
            except ZerritError as error:
                note(workspace, session, CLOCK, "change.left", window.server_id, f"{change.id} still waits: {error}")
    if going:
        return begin_deploy(workspace, CLOCK, going, options)
    return begin_restart(workspace, CLOCK, window.server_id, options)
