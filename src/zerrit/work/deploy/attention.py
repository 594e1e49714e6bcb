"""What needs a person, over all servers: the first thing that an admin wants to see."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.states import ChangeState, RunState
from zerrit.core.wording import counted
from zerrit.records import Activity, Change, Run, Server
from zerrit.work.base import run_records
from zerrit.work.base.errors import NotFound
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes import changes
from zerrit.work.changes.drift import drift_of
from zerrit.work.changes.server_check import check_server
from zerrit.work.servers.servers import list_servers
from zerrit.work.snapshots.snapshots import get_snapshot, latest_snapshot

LEAST_FREE: Final = 1 << 30  # bytes on the disk of the data folder; a deploy of a large server needs some of it
NEWS: Final = timedelta(days=7)  # what a schedule missed longer ago is no news


class AttentionKind(StrEnum):
    RUN_FAILED = "run-failed"
    RUN_WAITS = "run-waits"  #: a run asks a person to do something
    IDENTITY = "identity"  #: the host shows another certificate or key than the accepted one
    DRIFT = "drift"
    FINDINGS = "findings"
    CHECKLIST = "checklist"
    CHECKLIST_WRONG = "checklist-wrong"  #: something in the game is not as expected
    SCHEDULE = "schedule"  #: a task was missed, or failed
    NEVER_FETCHED = "never-fetched"
    DISK = "disk"


@dataclass(frozen=True, slots=True)
class Attention:
    """One thing that needs a person. `server` is empty where it is about the service itself."""

    kind: AttentionKind
    server: str
    message: str
    since: datetime | None = None
    change: int | None = None
    run: int | None = None


@dataclass(frozen=True, slots=True)
class Overview:
    """All that needs a person; and when the last run of any server ended."""

    items: tuple[Attention, ...]
    last_run_ended: datetime | None


def needs_attention(workspace: Workspace) -> Overview:
    """What needs a person, the most pressing first."""
    with workspace.session() as session:
        servers = list_servers(session)
        ended = [run.ended_at for server in servers if (run := run_records.latest_run(session, server.id)) is not None]
    items = [item for server in servers for item in _of_server(workspace, server)]
    items += _of_disk(workspace)
    order = list(AttentionKind)
    items.sort(key=lambda item: (order.index(item.kind), item.server))
    return Overview(tuple(items), max((at for at in ended if at is not None), default=None))


def _of_server(workspace: Workspace, server: Server) -> Iterator[Attention]:
    with workspace.session() as session:
        latest = latest_snapshot(session, server.id)
        yield from _identity(workspace, server)
        yield from _runs(session, server)
        yield from _checklists(session, server)
        yield from _schedule(workspace, session, server)
    if latest is None:
        yield Attention(AttentionKind.NEVER_FETCHED, server.id, "No files are known yet. Fetch them.")
        return
    yield from _drift(workspace, server)
    yield from _findings(workspace, server)


def _identity(workspace: Workspace, server: Server) -> Iterator[Attention]:
    """The last try to reach the host ended at what it showed."""
    shown = workspace.strange_identities.get(server.id)
    if shown is not None:
        said = f"The host shows another certificate or key than the accepted one ({shown}). Ask the host, then accept it in the settings."
        yield Attention(AttentionKind.IDENTITY, server.id, said)


def _runs(session: Session, server: Server) -> Iterator[Attention]:
    run = run_records.latest_run(session, server.id)
    if run is None:
        return
    change = run.change_ids[0] if run.change_ids else None
    if run.state == RunState.RUNNING and run.asks:
        yield Attention(AttentionKind.RUN_WAITS, server.id, run.asks, run.started_at, change, run.id)
    elif run.state in (RunState.FAILED, RunState.ROLLED_BACK):
        yield Attention(
            AttentionKind.RUN_FAILED, server.id, run.outcome or f"Run {run.id} failed.", run.ended_at, change, run.id
        )


def _checklists(session: Session, server: Server) -> Iterator[Attention]:
    deployed = select(Change).where(Change.server_id == server.id, Change.state == ChangeState.DEPLOYED)
    for change in session.scalars(deployed.order_by(Change.id)):
        wrong = [item for item in change.checklist if item.is_right is False]
        left = [item for item in change.checklist if item.is_right is None]
        title = f"Change {change.id}: {change.title}"
        if wrong:
            said = f"{title}: {counted(len(wrong), 'item')} of the checklist {'is' if len(wrong) == 1 else 'are'} wrong in the game."
            yield Attention(AttentionKind.CHECKLIST_WRONG, server.id, said, change.updated_at, change.id)
        elif left:
            said = f"{title}: {counted(len(left), 'item')} to verify in the game."
            yield Attention(AttentionKind.CHECKLIST, server.id, said, change.updated_at, change.id)


def _schedule(workspace: Workspace, session: Session, server: Server) -> Iterator[Attention]:
    """The newest task that was missed or failed, unless a run went well since."""
    troubles = select(Activity).where(
        Activity.server_id == server.id,
        Activity.action.in_(("schedule.missed", "schedule.failed")),
        Activity.at > workspace.now() - NEWS,
    )
    trouble = session.scalars(troubles.order_by(Activity.id.desc()).limit(1)).first()
    good = (RunState.DEPLOYED, RunState.DONE)
    last = session.scalars(
        select(Run.ended_at).where(Run.server_id == server.id, Run.state.in_(good)).order_by(Run.id.desc()).limit(1)
    ).first()
    if trouble is not None and (last is None or last < trouble.at):
        yield Attention(AttentionKind.SCHEDULE, server.id, trouble.detail, trouble.at)


def _drift(workspace: Workspace, server: Server) -> Iterator[Attention]:
    """What changed outside Zerrit, until a run has dealt with the files or the change was adopted."""
    try:
        found = drift_of(workspace, server.id)
    except NotFound:
        return
    with workspace.session() as session:
        taken_at = get_snapshot(session, server.id, found.after).taken_at
        run = run_records.latest_run(session, server.id)
        adopted = session.scalars(select(Change.id).where(Change.adopted_id == found.after).limit(1)).first()
    if adopted is None and (run is None or run.started_at < taken_at):
        files = counted(len(found.files), "file")
        yield Attention(AttentionKind.DRIFT, server.id, f"{files} changed outside Zerrit.", taken_at)


def _findings(workspace: Workspace, server: Server) -> Iterator[Attention]:
    blocking = check_server(workspace, server.id).blocking
    if blocking:
        text = f"{counted(len(blocking), 'error')} in the files as they are. {changes.said(blocking[0].finding)}"
        yield Attention(AttentionKind.FINDINGS, server.id, text)


def _of_disk(workspace: Workspace) -> Iterator[Attention]:
    free = shutil.disk_usage(workspace.folder).free
    if free < LEAST_FREE:
        said = f"{free // (1 << 20):,} MB are free on the disk of Zerrit's data folder. Free some, or prune snapshots."
        yield Attention(AttentionKind.DISK, "", said)
