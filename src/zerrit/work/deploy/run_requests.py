"""Runs: asking for a deploy or a rollback, and looking at those that were. `zerrit.work.deploy.run_engine` carries them out."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum
from typing import Final

from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from zerrit.connections import ConnectionFailed, RemoteFile
from zerrit.core.documents.database import holds_rows
from zerrit.core.gamebooks import Gamebook
from zerrit.core.paths import pack_of
from zerrit.core.states import EDITABLE, ChangeState, RunState
from zerrit.records import Change, Person, Run, RunChange, RunFacts, RunOptions, Server, digest_of
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import Blocked, Drifted, Refused, WrongState
from zerrit.work.base.run_records import get_run, require_no_run
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import Preview, get_change, preview
from zerrit.work.changes.rights import require_rights
from zerrit.work.deploy.stages import GOING_BACK, StageName
from zerrit.work.servers.controls import control_of
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.live_files import Known, known_files
from zerrit.work.snapshots.snapshots import get_snapshot

MOST_ANNOUNCED: Final = 120  # minutes


NO_OPTIONS: Final = RunOptions()


def begin_deploy(
    workspace: Workspace,
    person: str,
    change_ids: Sequence[int],
    options: RunOptions = NO_OPTIONS,
    *,
    by: Person | None = None,
) -> Run:
    """Check once more, then begin a run of one change, or of several in order; `deploys.carry_out` does it.

    `by` is the one who asks, who may not be allowed everything; None where the service itself goes on with something.

    Raises Blocked: findings or impossible steps. Drifted: the files are no longer those that a change was built on.
    WrongState: a run is under way, or a change is not open. NotAllowed: a change does more than this person may.
    Refused, ConnectionFailed, ControlError.
    """
    if not 0 <= options.announce <= MOST_ANNOUNCED:
        raise Refused(f"An announcement begins at most {MOST_ANNOUNCED} minutes ahead.")
    with workspace.session() as session:
        changes = [get_change(session, change_id) for change_id in change_ids]
        server = get_server(session, _one_server(changes))
        require_no_run(session, server.id)
        gamebook, _ = gamebook_of(session, server)
        for change in changes:
            if change.state not in (*EDITABLE, ChangeState.QUEUED):
                raise WrongState(f"Change {change.id} is {change.state} already.")
            require_rights(workspace, session, by, change)
        seen = [(change, require_deployable(workspace, session, change)) for change in changes]
        bases = {change.id: known_files(session, change.base_id) for change in changes}
    for change, found in seen:
        drifted = _drifted(workspace, server, gamebook, bases[change.id], found.replayed.touched)
        if drifted:
            raise Drifted(
                f"{', '.join(drifted)} on {server.id} changed since change {change.id} was built on it. Fetch the server, "
                f"put the change on the new files (`zerrit change update {change.id}`) and look at its difference again.",
                paths=drifted,
            )
    control_of(workspace, server).state()
    return _begin_changes(workspace, person, changes, options)


def _begin_changes(workspace: Workspace, person: str, changes: Sequence[Change], options: RunOptions) -> Run:
    """The run of changes that were found to be deployable. Raises WrongState: one was edited in the meantime."""
    server_id = changes[0].server_id
    with workspace.writing() as session:
        for change in changes:
            now = get_change(session, change.id)
            if now.version != change.version or now.state not in (*EDITABLE, ChangeState.QUEUED):
                raise WrongState(
                    f"Change {change.id} was edited in the meantime (it is {now.state}). Read it again first."
                )
        run = Run(server_id=server_id, kind="deploy", person=person, options=options)
        run.parts = [RunChange(change_id=change.id, position=number) for number, change in enumerate(changes, 1)]
        _begin(workspace, session, run)
        for one in changes:
            get_change(session, one.id).state = ChangeState.DEPLOYING
            note(workspace, session, person, "deploy.begun", server_id, f"{one.id}: {one.title}")
    return run


def _one_server(changes: Sequence[Change]) -> str:
    servers = {change.server_id for change in changes}
    if len(servers) != 1:
        raise Refused(
            "Name at least one change, and only changes of one server; to bring a change to others, roll it out."
        )
    return servers.pop()


def require_deployable(workspace: Workspace, session: Session, change: Change) -> Preview:
    """The change worked out, if it may go on its server. Raises Blocked, Refused."""
    if not change.steps:
        raise Refused(f"Change {change.id} has no steps yet; there is nothing to deploy.")
    seen = preview(workspace, session, change)
    if seen.blocking:
        raise Blocked(
            f"Change {change.id} is blocked: {seen.blocking[0]}"
            + (f" ({len(seen.blocking) - 1} more)" if len(seen.blocking) > 1 else ""),
            reasons=seen.blocking,
        )
    return seen


def begin_rollback(
    workspace: Workspace, person: str, server_id: str, snapshot_id: int, options: RunOptions = NO_OPTIONS
) -> Run:
    """Begin a run that puts the server back to a snapshot. Raises NotFound, WrongState."""
    with workspace.writing() as session:
        server = get_server(session, server_id)
        snapshot = get_snapshot(session, server_id, snapshot_id)
        run = Run(server_id=server.id, target_id=snapshot.id, kind="rollback", person=person, options=options)
        _begin(workspace, session, run)
        note(workspace, session, person, "rollback.begun", server.id, f"to snapshot {snapshot_id}")
    return run


def begin_restart(workspace: Workspace, person: str, server_id: str, options: RunOptions = NO_OPTIONS) -> Run:
    """Begin a run that takes a snapshot while the game is stopped, and starts it again. Raises NotFound, WrongState."""
    with workspace.writing() as session:
        server = get_server(session, server_id)
        run = Run(server_id=server.id, kind="restart", person=person, options=options)
        _begin(workspace, session, run)
        note(workspace, session, person, "restart.begun", server.id, "")
    return run


def _begin(workspace: Workspace, session: Session, run: Run) -> None:
    """Note a run as under way. Two people may ask at once; the database lets one of them through."""
    require_no_run(session, run.server_id)
    run.state, run.stage, run.started_at = RunState.RUNNING, StageName.PREFLIGHT, workspace.now()
    run.asks, run.cancelled_by, run.evidence, run.stages, run.files = "", "", RunFacts(), [], []
    run.outcome, run.parts, run.written_by_start = "", list(run.parts), []
    try:
        session.add(run)
        session.flush()
    except IntegrityError as error:
        raise WrongState(
            f"Another run on {run.server_id} began at the same moment. Wait until it has ended."
        ) from error


class OnCancel(StrEnum):
    """What cancelling a run does just now."""

    REVERT = "revert"
    ABANDON = "abandon"
    NOTHING = "nothing"


def on_cancel(run: Run) -> OnCancel:
    """What cancelling a run does now."""
    if run.state != RunState.RUNNING:
        return OnCancel.NOTHING
    if StageName(run.stage) in (*GOING_BACK, StageName.RELEASE):
        return OnCancel.ABANDON if run.asks and not run.options.given_up else OnCancel.NOTHING
    return OnCancel.NOTHING if run.cancelled_by else OnCancel.REVERT


def cancel_run(workspace: Workspace, person: str, run_id: int) -> None:
    """Ask a run to end at the next point at which that is safe; what was written by then is taken back.

    One that goes back already is given up where it waits for a person, and leaves its server as it is: that person may
    never come.

    Raises NotFound, WrongState: it has ended, or it goes back automatically.
    """
    with workspace.writing() as session:
        run = get_run(session, run_id)
        if run.state != RunState.RUNNING:
            raise WrongState(f"Run {run_id} has ended: {run.state}. A rollback puts its server back.")
        match on_cancel(run):
            case OnCancel.REVERT:
                run.cancelled_by = person
                did = "cancelled"
            case OnCancel.ABANDON:
                run.options = run.options.model_copy(update={"given_up": person})
                did = "abandoned"
            case OnCancel.NOTHING:
                raise WrongState(f"Run {run_id} is ending already; it reverts what it wrote.")
        note(workspace, session, person, f"{run.kind}.{did}", run.server_id, f"run {run_id}, at {run.stage}")
    workspace.publish("run", {"run": run_id, "state": RunState.RUNNING})


def _drifted(
    workspace: Workspace, server: Server, gamebook: Gamebook | None, base: Known, touched: frozenset[str]
) -> list[str]:
    """Files of a change that differ on the server now; of watched ones, size and time tell.

    Those that the game rewrites itself are merged later, and in its database the steps are made on the rows as they are then.
    """
    # What is in a packed file is as it was where that one is.
    own = {pack_of(path) or path for path in touched}
    paths = [path for path in sorted(own) if gamebook is None or not gamebook.is_rewritten(path)]
    drifted: list[str] = []
    wanted: list[RemoteFile] = []
    with workspace.connection_to(server) as connection:
        present = {file.path: file for file in connection.files()}
        for path in paths:
            now, was = present.get(path), base.get(path)
            if now is None or was is None:
                drifted += [path] if (now is None) != (was is None) else []
            elif was.digest is not None or (was.content and now.size == was.size):
                wanted.append(now)
            else:
                drifted += [path] if (now.size, now.modified) != (was.size, was.modified) else []
        for file, data in connection.read_many(wanted):
            if isinstance(data, ConnectionFailed):
                raise data
            is_same = digest_of(data) == (base[file.path].digest or base[file.path].content)
            if not is_same and not holds_rows(data):
                drifted.append(file.path)
    return sorted(drifted)
