"""Runs: asking for a deploy or a rollback, and looking at those that were. `zerrit.work.deploys` carries them out."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from zerrit.core.gamebooks import Gamebook
from zerrit.records import Run, Server, digest_of
from zerrit.work.activity import note
from zerrit.work.changes import EDITABLE, get_change, preview
from zerrit.work.errors import Blocked, Conflict, Drifted, NotFound, Refused
from zerrit.work.servers import gamebook_of, get_server
from zerrit.work.snapshots import digests, get_snapshot
from zerrit.work.workspace import Workspace

RUNNING: Final = "running"


def begin_deploy(workspace: Workspace, person: str, change_id: int) -> Run:
    """Check once more, then queue a run; `deploys.carry_out` does it.

    Raises Blocked: findings or impossible steps. Drifted: the files are no longer those that the change was built
    on. Conflict: a run is under way, or the change is not open. LinkError, ControlError.
    """
    with workspace.session() as session:
        change = get_change(session, change_id)
        if change.state not in EDITABLE:
            raise Conflict(f"Change {change_id} is {change.state} already.")
        if not change.steps:
            raise Refused(f"Change {change_id} has no steps yet; there is nothing to deploy.")
        server = get_server(session, change.server_id)
        require_no_run(session, server.id)
        seen = preview(workspace, session, change)
        if seen.blocking:
            raise Blocked(
                f"Change {change_id} is blocked: {seen.blocking[0]}"
                + (f" ({len(seen.blocking) - 1} more)" if len(seen.blocking) > 1 else ""),
                reasons=seen.blocking,
            )
        gamebook, _ = gamebook_of(session, server)
        base = digests(get_snapshot(session, server.id, change.base_id))
    drifted = _drifted(workspace, server, gamebook, base, seen.replayed.touched)
    if drifted:
        raise Drifted(
            f"{', '.join(drifted)} on {server.id} changed since change {change_id} was built on it. Fetch the server, put the "
            f"change on the new files (`zerrit change refresh {change_id}`) and look at its difference again.",
            paths=drifted,
        )
    with workspace.session() as session:
        run = _queue(workspace, session, Run(server_id=server.id, change_id=change_id, kind="deploy", person=person))
        change = get_change(session, change_id)
        change.state = "queued"
        note(workspace, session, person, "deploy.begun", server.id, f"{change_id}: {change.title}")
    return run


def begin_rollback(workspace: Workspace, person: str, server_id: str, snapshot_id: int) -> Run:
    """Queue a run that puts the server back to a snapshot. Raises NotFound, Conflict."""
    with workspace.session() as session:
        server = get_server(session, server_id)
        snapshot = get_snapshot(session, server_id, snapshot_id)
        wanted = Run(server_id=server.id, target_id=snapshot.id, kind="rollback", person=person)
        run = _queue(workspace, session, wanted)
        note(workspace, session, person, "rollback.begun", server.id, f"to snapshot {snapshot_id}")
    return run


def _queue(workspace: Workspace, session: Session, run: Run) -> Run:
    """Note a run as under way. Two people may ask at once; the database lets one of them through."""
    require_no_run(session, run.server_id)
    run.state, run.started_at, run.evidence, run.stages = RUNNING, workspace.now(), {}, []
    try:
        session.add(run)
        session.flush()
    except IntegrityError as error:
        raise Conflict(f"Another run on {run.server_id} began at the same moment. Wait until it has ended.") from error
    return run


def get_run(session: Session, run_id: int) -> Run:
    run = session.get(Run, run_id)
    if run is None:
        raise NotFound(f"There is no run {run_id}.")
    return run


def list_runs(session: Session, server_id: str) -> list[Run]:
    return list(session.scalars(select(Run).where(Run.server_id == server_id).order_by(Run.id.desc())))


def latest_run(session: Session, server_id: str) -> Run | None:
    """The newest run of a server; it may be under way."""
    return session.scalar(select(Run).where(Run.server_id == server_id).order_by(Run.id.desc()).limit(1))


def require_no_run(session: Session, server_id: str) -> None:
    """Raises Conflict: a run is under way, so the server's files are neither the old nor the new ones."""
    other = session.scalar(select(Run).where(Run.server_id == server_id, Run.state == RUNNING))
    if other is not None:
        raise Conflict(f"A {other.kind} is under way on {server_id} (run {other.id}). Wait until it has ended.")


def _drifted(
    workspace: Workspace, server: Server, gamebook: Gamebook | None, base: Mapping[str, str], touched: frozenset[str]
) -> list[str]:
    """Files of the change that differ on the server now. Those that the game rewrites itself are merged later."""
    with workspace.link_to(server) as link:
        present = {file.path for file in link.list()}
        drifted = []
        for path in sorted(touched):
            if gamebook is not None and gamebook.is_rewritten(path):
                continue
            now = digest_of(link.read(path)) if path in present else None
            if now != base.get(path):
                drifted.append(path)
    workspace.control_of(server).state()
    return drifted
