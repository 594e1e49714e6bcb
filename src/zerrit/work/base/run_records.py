"""Runs as they are recorded: the one under way on a server, those of a change."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.states import RunState
from zerrit.records import Run, RunChange
from zerrit.work.base.errors import NotFound, WrongState


def require_no_run(session: Session, server_id: str) -> None:
    """Raises WrongState: a run is under way, so the server's files are neither the old nor the new ones."""
    other = session.scalar(select(Run).where(Run.server_id == server_id, Run.state == RunState.RUNNING))
    if other is not None:
        raise WrongState(f"A {other.kind} is under way on {server_id} (run {other.id}). Wait until it has ended.")


def get_run(session: Session, run_id: int) -> Run:
    """A run. Raises NotFound."""
    run = session.get(Run, run_id)
    if run is None:
        raise NotFound(f"There is no run {run_id}.")
    return run


def list_runs(session: Session, server_id: str) -> list[Run]:
    """The runs of a server, the newest first."""
    return list(session.scalars(select(Run).where(Run.server_id == server_id).order_by(Run.id.desc())))


def runs_of_change(session: Session, change_id: int) -> list[Run]:
    """The runs that wrote a change or tried to, the newest first."""
    query = select(Run).join(RunChange).where(RunChange.change_id == change_id).order_by(Run.id.desc())
    return list(session.scalars(query))


def latest_run(session: Session, server_id: str) -> Run | None:
    """The newest run of a server; it may be under way."""
    return session.scalar(select(Run).where(Run.server_id == server_id).order_by(Run.id.desc()).limit(1))
