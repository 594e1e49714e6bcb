"""Snapshots taken by request, pinned and pruned; retention says which of them stay."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import UTC
from typing import Final

from sqlalchemy import and_, delete, event, exists, or_, select, text
from sqlalchemy.orm import Session

from zerrit.core.retention import Retention, kept_by
from zerrit.core.states import ChangeState, RunState
from zerrit.core.steps import StepKind
from zerrit.core.wording import counted
from zerrit.records import (
    IN_FILE,
    BundleFile,
    Change,
    Content,
    Gamebook,
    Run,
    RunEvidence,
    RunFile,
    Server,
    Snapshot,
    SnapshotFile,
    Step,
    large_contents,
)
from zerrit.work.base.activity_log import note
from zerrit.work.base.workspace import Workspace
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.fetch import fetch
from zerrit.work.snapshots.snapshots import get_snapshot
from zerrit.work.snapshots.watched_contents import WatchedPruning, plan_watched, prune_watched, put_contents

# --- taking and keeping -----------------------------------------------------------------------------------------------


MOST_NOTE: Final = 300


def take_snapshot(workspace: Workspace, person: str, server_id: str, reason: str, *, pin: bool = False) -> Snapshot:
    """Fetch the server, and mark what it holds now with a reason; with `keep` it is never pruned.

    Raises NotFound, WrongState, ConnectionFailed.
    """
    said = reason.strip()[:MOST_NOTE] or "manually"
    found = fetch(workspace, person, server_id)
    with workspace.session() as session:
        snapshot = session.get_one(Snapshot, found.snapshot.id)
        if found.is_new:
            snapshot.reason = said
        if pin or not found.is_new:
            snapshot.pinned = said
        note(workspace, session, person, "snapshot.taken", server_id, f"{snapshot.id}: {said}")
    workspace.publish("server", {"server": server_id})
    return snapshot


def pin_snapshot(workspace: Workspace, person: str, server_id: str, snapshot_id: int, reason: str) -> Snapshot:
    """Keep a snapshot for good, with the reason; an empty reason lets it go again. Raises NotFound."""
    with workspace.session() as session:
        snapshot = get_snapshot(session, server_id, snapshot_id)
        snapshot.pinned = reason.strip()[:MOST_NOTE]
        action = "snapshot.pinned" if snapshot.pinned else "snapshot.unpinned"
        note(workspace, session, person, action, server_id, f"{snapshot_id}: {snapshot.pinned}".rstrip(": "))
    workspace.publish("server", {"server": server_id})
    return snapshot


# --- retention --------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Pruning:
    """Which snapshots go, and which stay with the reason; how many contents of watched files go from those that stay."""

    pruned: tuple[int, ...]
    kept: dict[int, str] = field(default_factory=dict)
    watched: int = 0


def plan_pruning(session: Session, server: Server) -> Pruning:
    """What the retention rules of a server take away.

    Never a kept one, the last good one, one that an open change is built on, or one that a deployed change needs so that
    it can be undone.
    """
    rows = session.scalars(
        select(Snapshot).where(Snapshot.server_id == server.id, Snapshot.kind == "server").order_by(Snapshot.id)
    )
    snapshots = list(rows)
    rules = Retention(**server.maintenance.retention.model_dump(exclude={"watched"}))
    staying = kept_by(rules, [(one.id, one.taken_at) for one in snapshots], UTC)
    good = max((one.id for one in snapshots if one.is_good), default=None)
    if good is not None:
        staying.setdefault(good, "the last good one")
    for change in session.scalars(select(Change).where(Change.server_id == server.id)):
        if change.state != ChangeState.WITHDRAWN:
            staying.setdefault(change.base_id, f"change {change.id} is built on it")
        if change.adopted_id is not None:
            staying.setdefault(change.adopted_id, f"change {change.id} was found with it")
    for run in session.scalars(select(Run).where(Run.server_id == server.id)):
        is_needed = run.state in (RunState.RUNNING, RunState.DEPLOYED)
        for used in (run.before_id, run.after_id, run.target_id) if is_needed else ():
            if used is not None:
                staying.setdefault(used, f"run {run.id} went from or to it")
    for one in snapshots:
        if one.pinned:
            staying[one.id] = f"pinned: {one.pinned}"
    pruned = tuple(one.id for one in snapshots if one.id not in staying)
    watched = plan_watched(session, server, gamebook_of(session, server)[0])
    return Pruning(pruned, staying, sum(len(watched.contents.get(one, ())) for one in staying))


def prune(workspace: Workspace, person: str, server_id: str) -> Pruning:
    """Prune what the retention rules do not keep, and the contents that nothing names any more. Raises NotFound."""
    with workspace.storing.exclusive(), workspace.session() as session:
        server = get_server(session, server_id)
        planned = plan_pruning(session, server)
        watched = plan_watched(session, server, gamebook_of(session, server)[0])
        prune_watched(session, watched)
        for snapshot_id in planned.pruned:
            _forget(session, snapshot_id)
        _drop_unused(session, watched)  # also what was uploaded for a step that never came
        if planned.pruned or planned.watched:
            said = counted(len(planned.pruned), "snapshot")
            said += f", {counted(planned.watched, 'content')} of watched files" if planned.watched else ""
            note(workspace, session, person, "snapshots.pruned", server_id, said)
    if planned.pruned or planned.watched:
        workspace.publish("server", {"server": server_id})
    return planned


def _forget(session: Session, snapshot_id: int) -> None:
    for run in session.scalars(
        select(Run).where(or_(Run.before_id == snapshot_id, Run.after_id == snapshot_id, Run.target_id == snapshot_id))
    ):
        run.before_id = None if run.before_id == snapshot_id else run.before_id
        run.after_id = None if run.after_id == snapshot_id else run.after_id
        run.target_id = None if run.target_id == snapshot_id else run.target_id
    stay = session.scalar(
        select(Snapshot.id).where(Snapshot.kind == "server", Snapshot.id > snapshot_id).order_by(Snapshot.id).limit(1)
    )
    for change in session.scalars(
        select(Change).where(Change.base_id == snapshot_id, Change.state == ChangeState.WITHDRAWN)
    ):
        # A change that was given up is only read any more; it then is on the next files that are left.
        change.base_id = stay if stay is not None else change.base_id
    session.flush()
    session.execute(delete(Snapshot).where(Snapshot.id == snapshot_id))


def _drop_unused(session: Session, watched: WatchedPruning) -> None:
    """Contents that no snapshot, run, bundle, gamebook or step names. Those of watched files that are pruned are not held by
    runs, nor by the steps of their changes.
    """
    named: set[str] = set()
    for row in session.scalars(select(Step).where(Step.kind.in_([StepKind.PUT_FILE, StepKind.PUT_FOLDER]))):
        named |= {digest for _, digest in put_contents(row)} - watched.of_steps.get(row.change_id, frozenset())
    session.execute(text("CREATE TEMP TABLE IF NOT EXISTS named_contents (digest TEXT PRIMARY KEY)"))
    session.execute(text("CREATE TEMP TABLE IF NOT EXISTS pruned_contents (digest TEXT PRIMARY KEY)"))
    for table, digests in (("named_contents", named), ("pruned_contents", watched.digests)):
        session.execute(text(f"DELETE FROM {table}"))  # noqa: S608 (one of two names above)
        if digests:
            session.execute(text(f"INSERT INTO {table} VALUES (:digest)"), [{"digest": one} for one in digests])  # noqa: S608
    names = text("SELECT digest FROM named_contents").columns(Content.digest)
    gone = text("SELECT digest FROM pruned_contents").columns(Content.digest)
    of_runs = or_(exists().where(RunFile.old == Content.digest), exists().where(RunFile.new == Content.digest))
    used = or_(
        exists().where(SnapshotFile.digest == Content.digest),
        exists().where(SnapshotFile.content == Content.digest),
        exists().where(BundleFile.digest == Content.digest),
        and_(of_runs, Content.digest.not_in(gone)),
        exists().where(RunEvidence.digest == Content.digest),
        exists().where(Gamebook.digest == Content.digest),
        Content.digest.in_(names),
    )
    session.execute(delete(Content).where(~used))
    kept = set(session.scalars(select(Content.digest).where(Content.packed == IN_FILE)))
    large = large_contents(session)
    # Not before it is certain that their rows are gone.
    event.listen(session, "after_commit", lambda _: large.keep_only(kept), once=True)


# --- proving that all is there ----------------------------------------------------------------------------------------


# --- ZIPs -------------------------------------------------------------------------------------------------------------
