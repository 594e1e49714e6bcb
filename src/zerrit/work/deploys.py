"""
Deploys and rollbacks: the same careful path for both.

    preflight -> stop -> read -> snapshot -> write -> verify -> start -> watch

Nothing is written before the game has stopped and everything it holds is kept as a snapshot. From the first
written byte on, any failure leads back to that snapshot, which is verified in its turn. Each stage is journalled
before and after (`zerrit.work.journal`), so a service that was killed knows at its next start what to undo.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Final

import structlog
from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.control import Control, ControlError
from zerrit.core.checks import check
from zerrit.core.documents import Document
from zerrit.core.errors import ZerritError
from zerrit.core.gamebooks import Gamebook
from zerrit.core.steps import Step, replay
from zerrit.core.wording import counted
from zerrit.links import Link, LinkError
from zerrit.records import Change, Run, Server, digest_of
from zerrit.work.activity import note
from zerrit.work.changes import get_change, judge, preview, reader, step_of
from zerrit.work.errors import Blocked, Conflict, Drifted, NotFound, Refused
from zerrit.work.journal import Journal, StageFailed
from zerrit.work.servers import gamebook_of, get_server
from zerrit.work.snapshots import (
    FetchedFile,
    contents,
    digests,
    get_snapshot,
    has_binary_text,
    read_all,
    store_snapshot,
)
from zerrit.work.watch import Verdict, look_before, watch_start
from zerrit.work.workspace import Workspace

log = structlog.get_logger("zerrit.deploys")

Files = Mapping[str, bytes]
#: Given what the stopped server holds, the files that shall differ; None takes a file away.
Plan = Callable[[Files], dict[str, bytes | None]]
POLL: Final = 0.2  # seconds
RUNNING: Final = "running"


# --- asking for a run -------------------------------------------------------------------------------------------------


def begin_deploy(workspace: Workspace, person: str, change_id: int) -> Run:
    """Check once more, then queue a run; `carry_out` does it.

    Raises Blocked: findings or impossible steps. Drifted: the files are no longer those that the change was built
    on. Conflict: a run is under way, or the change is not open. LinkError, ControlError.
    """
    with workspace.session() as session:
        change = get_change(session, change_id)
        if change.state not in ("draft", "checked", "approved", "rolled-back"):
            raise Conflict(f"Change {change_id} is {change.state} already.")
        if not change.steps:
            raise Refused(f"Change {change_id} has no steps yet; there is nothing to deploy.")
        server = get_server(session, change.server_id)
        _no_other_run(session, server.id)
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
            f"change on the new files (`zerrit change rebase {change_id}`) and look at its difference again.",
            paths=drifted,
        )
    with workspace.session() as session:
        _no_other_run(session, server.id)
        change = get_change(session, change_id)
        change.state = "queued"
        run = Run(
            server_id=server.id,
            change_id=change_id,
            kind="deploy",
            state=RUNNING,
            person=person,
            started_at=workspace.now(),
            evidence={},
        )
        session.add(run)
        note(workspace, session, person, "deploy.begun", server.id, f"{change_id}: {change.title}")
        run.stages = []
    return run


def begin_rollback(workspace: Workspace, person: str, server_id: str, snapshot_id: int) -> Run:
    """Queue a run that puts the server back to a snapshot. Raises NotFound, Conflict."""
    with workspace.session() as session:
        server = get_server(session, server_id)
        _no_other_run(session, server_id)
        snapshot = get_snapshot(session, server_id, snapshot_id)
        run = Run(
            server_id=server.id,
            target_id=snapshot.id,
            kind="rollback",
            state=RUNNING,
            person=person,
            started_at=workspace.now(),
            evidence={},
        )
        session.add(run)
        note(workspace, session, person, "rollback.begun", server.id, f"to snapshot {snapshot_id}")
        run.stages = []
    return run


def get_run(session: Session, run_id: int) -> Run:
    run = session.get(Run, run_id)
    if run is None:
        raise NotFound(f"There is no run {run_id}.")
    return run


def list_runs(session: Session, server_id: str) -> list[Run]:
    return list(session.scalars(select(Run).where(Run.server_id == server_id).order_by(Run.id.desc())))


def _no_other_run(session: Session, server_id: str) -> None:
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


# --- carrying it out --------------------------------------------------------------------------------------------------


def carry_out(workspace: Workspace, run_id: int) -> None:
    """Do a queued run from beginning to end; whatever happens ends in the journal."""
    with workspace.session() as session:
        run = get_run(session, run_id)
        server = get_server(session, run.server_id)
        gamebook, _ = gamebook_of(session, server)
        change = get_change(session, run.change_id) if run.change_id is not None else None
        steps = [step_of(row) for row in change.steps] if change is not None else []
        target = contents(session, get_snapshot(session, server.id, run.target_id)) if run.target_id else None
    runner = _Runner(workspace, Journal(workspace, run_id), server, gamebook, run)
    if change is not None:
        _set_change_state(workspace, change.id, "deploying")
        runner.go(lambda held: runner.planned(held, steps), f"change {change.id}: {change.title}")
    elif target is not None:
        wanted = target
        runner.go(lambda held: _way_back(held, wanted), f"rollback to snapshot {run.target_id}")


def recover(workspace: Workspace) -> list[int]:
    """Bring every run to an end that a killed service left open: back to the snapshot, or nothing was written yet."""
    with workspace.session() as session:
        open_runs = list(session.scalars(select(Run).where(Run.state == RUNNING)))
        prepared = []
        for run in open_runs:
            server = get_server(session, run.server_id)
            gamebook, _ = gamebook_of(session, server)
            before = contents(session, get_snapshot(session, server.id, run.before_id)) if run.before_id else None
            has_written = any(stage.name == "write" for stage in run.stages)
            for stage in run.stages:
                if stage.state == RUNNING:
                    stage.state, stage.ended_at = "failed", workspace.now()
                    stage.detail = f"{stage.detail} (the service ended here)".strip()
            prepared.append((run, server, gamebook, before if has_written else None))
    for run, server, gamebook, before in prepared:
        runner = _Runner(workspace, Journal(workspace, run.id), server, gamebook, run)
        log.warning("run.recovering", run=run.id, server=server.id, writes=before is not None)
        runner.recover(before)
    return [run.id for run in open_runs]


def _way_back(held: Files, wanted: Files) -> dict[str, bytes | None]:
    """What has to be written and taken away so that the server holds exactly `wanted`."""
    plan: dict[str, bytes | None] = {path: data for path, data in wanted.items() if held.get(path) != data}
    plan.update({path: None for path in held if path not in wanted})
    return plan


@dataclass
class _Runner:
    workspace: Workspace
    journal: Journal
    server: Server
    gamebook: Gamebook | None
    run: Run

    def go(self, plan: Plan, title: str) -> None:
        """The whole path; see the module's docstring."""
        try:
            with self.workspace.link_to(self.server) as link:
                control = self.workspace.control_of(self.server)
                self._go(link, control, plan, title)
        except Exception as error:
            # The last resort: a run must never stay open, and the reason must be readable where it is looked for.
            log.exception("run.broke", run=self.journal.run_id)
            self._end("failed", f"{self.run.kind} ended before anything was written: {error}")

    def _go(self, link: Link, control: Control, plan: Plan, title: str) -> None:
        was_running = False
        try:
            with self.journal.stage("preflight") as stage:
                swept = link.sweep()
                was_running = control.state().is_running
                stage.say(
                    f"link and control answer; the game {'runs' if was_running else 'does not run'}"
                    + (f"; {swept} left-over part files removed" if swept else "")
                )
            with self.journal.stage("stop") as stage:
                stage.say(self._stop(control))
            with self.journal.stage("read") as stage:
                files = read_all(link, self.gamebook)
                held = {file.path: file.data for file in files if file.data is not None}
                stage.say(f"{counted(len(files), 'file')} read")
                writes = plan(held)
            with self.journal.stage("snapshot") as stage:
                before_id = self._keep(files, f"before {title}")
                self.journal.note(before_id=before_id)
                stage.say(f"snapshot {before_id}")
        except (ZerritError, LinkError, ControlError, StageFailed) as error:
            self._back_up_again(control)
            self._end("failed", f"Nothing was written: {error}")
            return
        try:
            self._write(link, writes)
            self._verify(link, writes)
            verdict = self._start_and_watch(link, control)
            self.journal.note(log=verdict.log_excerpt, crash_files=verdict.crash_files)
            if verdict.trouble:
                raise StageFailed(verdict.trouble)
        except (LinkError, ControlError, StageFailed) as error:
            self._restore(link, control, held, str(error))
            return
        after_id = self._keep(_after(files, writes), f"after {title}")
        self.journal.note(after_id=after_id)
        self._end(
            "deployed" if self.run.kind == "deploy" else "done",
            f"{counted(len(writes), 'file')} written, the game is up.",
        )

    def recover(self, before: Files | None) -> None:
        try:
            with self.workspace.link_to(self.server) as link:
                control = self.workspace.control_of(self.server)
                if before is None:
                    link.sweep()
                    self._back_up_again(control)
                    self._end("failed", "The service ended before anything was written; the files are as they were.")
                else:
                    self._restore(link, control, before, "the service ended while files were written")
        except (LinkError, ControlError) as error:
            log.error("run.recovery-failed", run=self.journal.run_id, error=str(error))
            self._end(
                "failed",
                f"The service ended during this run and the server cannot be reached: {error} Roll back by hand.",
            )

    def planned(self, held: Files, steps: list[Step]) -> dict[str, bytes | None]:
        """Replay the steps on what the stopped server holds.

        Raises StageFailed: a step is impossible there, or a finding blocks.
        """
        read = reader(self.gamebook)
        everything: dict[str, Document] = {path: read(data, path) for path, data in held.items()}
        before = {path: document for path, document in everything.items() if not has_binary_text(document)}
        replayed = replay(before, steps, read)
        if not replayed.is_whole:
            reason = next(outcome.message for outcome in replayed.outcomes if outcome.message)
            raise StageFailed(f"A step cannot be made on the files that the stopped server holds: {reason}")
        with self.workspace.session() as session:
            old, new = check(before, self.gamebook), check(replayed.documents, self.gamebook)
            judged = judge(session, self.server.id, old, new)
        blocking = next((j.finding for j in judged if j.blocks), None)
        if blocking is not None:
            raise StageFailed(f"{blocking.path}, line {blocking.line}: {blocking.message}")
        return {path: replayed.documents[path].to_bytes() for path in sorted(replayed.touched)}

    # --- stages -------------------------------------------------------------------------------------------------------

    def _stop(self, control: Control) -> str:
        if not control.state().is_running:
            return "the game was not running"
        control.stop()
        self._wait(lambda: not control.state().is_running, "the game did not stop")
        return "the game has stopped"

    def _wait(self, is_so: Callable[[], bool], else_say: str) -> None:
        deadline = time.monotonic() + self.workspace.patience
        while not is_so():
            if time.monotonic() > deadline:
                raise StageFailed(f"{else_say} within {self.workspace.patience:g} s")
            time.sleep(POLL)

    def _write(self, link: Link, writes: Mapping[str, bytes | None]) -> None:
        with self.journal.stage("write") as stage:
            for number, (path, data) in enumerate(writes.items(), 1):
                stage.say(f"{path} ({number} of {len(writes)})")
                if data is None:
                    link.remove(path)
                else:
                    link.write(path, data)
            stage.say(counted(len(writes), "file"))

    def _verify(self, link: Link, writes: Mapping[str, bytes | None]) -> None:
        with self.journal.stage("verify") as stage:
            present = {file.path for file in link.list()}
            for path, data in writes.items():
                if data is None and path in present:
                    raise StageFailed(f"{path} should be gone, but is still there")
                if data is not None and (path not in present or digest_of(link.read(path)) != digest_of(data)):
                    raise StageFailed(f"{path} was read back and is not what was written")
            stage.say(f"{counted(len(writes), 'file')} read back, all as written")

    def _start_and_watch(self, link: Link, control: Control) -> Verdict:
        before = look_before(link, self.gamebook)
        with self.journal.stage("start") as stage:
            control.start()
            stage.say("told to start")
        with self.journal.stage("watch") as stage:
            verdict = watch_start(
                link,
                control,
                self.gamebook,
                before,
                settle=self.workspace.settle,
                patience=self.workspace.patience,
                say=stage.say,
            )
            if verdict.trouble:
                self.journal.note(log=verdict.log_excerpt, crash_files=verdict.crash_files)
                raise StageFailed(verdict.trouble)
            stage.say("up, no crash file, nothing bad in the log")
        return verdict

    def _restore(self, link: Link, control: Control, before: Files, reason: str) -> None:
        """Back to the snapshot, by the same careful path."""
        try:
            with self.journal.stage("stop again") as stage:
                stage.say(self._stop(control))
            with self.journal.stage("restore") as stage:
                link.sweep()
                held = {f.path: f.data for f in read_all(link, self.gamebook) if f.data is not None}
                back = _way_back(held, before)
                for path, data in back.items():
                    if data is None:
                        link.remove(path)
                    else:
                        link.write(path, data)
                stage.say(f"{counted(len(back), 'file')} put back")
            with self.journal.stage("verify again") as stage:
                held = {f.path: f.data for f in read_all(link, self.gamebook) if f.data is not None}
                unlike = [path for path in sorted(held.keys() | before.keys()) if held.get(path) != before.get(path)]
                if unlike:
                    raise StageFailed(f"these files are not as in the snapshot: {', '.join(unlike[:5])}")
                stage.say(f"all {counted(len(before), 'file')} equal the snapshot, byte for byte")
            seen = look_before(link, self.gamebook)
            with self.journal.stage("start again") as stage:
                control.start()
                stage.say("told to start")
            with self.journal.stage("watch again") as stage:
                verdict = watch_start(
                    link,
                    control,
                    self.gamebook,
                    seen,
                    settle=self.workspace.settle,
                    patience=self.workspace.patience,
                    say=stage.say,
                )
                if verdict.trouble:
                    raise StageFailed(verdict.trouble)
                stage.say("the game runs again")
        except (LinkError, ControlError, StageFailed) as error:
            self._end(
                "failed",
                f"It failed ({reason}), and going back failed too: {error} The snapshot is safe; roll back by hand.",
            )
            return
        self._end("rolled-back", f"Rolled back: {reason}. The files are those of the snapshot and the game runs.")

    def _back_up_again(self, control: Control) -> None:
        """Nothing was written: let the game run again, if it does not."""
        try:
            if not control.state().is_running:
                with self.journal.stage("start again"):
                    control.start()
                    self._wait(lambda: control.state().is_running, "the game did not start")
        except (ControlError, StageFailed) as error:
            log.warning("run.start-again-failed", run=self.journal.run_id, error=str(error))

    def _keep(self, files: list[FetchedFile], reason: str) -> int:
        with self.workspace.session() as session:
            return store_snapshot(self.workspace, session, self.server.id, files, reason).id

    def _end(self, state: str, outcome: str) -> None:
        change_state = {"deployed": "deployed", "rolled-back": "rolled-back", "failed": "checked"}.get(state)
        if self.run.change_id is not None and change_state:
            _set_change_state(self.workspace, self.run.change_id, change_state)
        with self.workspace.session() as session:
            note(self.workspace, session, self.run.person, f"{self.run.kind}.{state}", self.server.id, outcome)
        self.journal.end(state, outcome)


def _after(files: list[FetchedFile], writes: Mapping[str, bytes | None]) -> list[FetchedFile]:
    """The files as they are now: those read, with what was written and read back in their place."""
    kept = [file for file in files if file.path not in writes]
    kept += [FetchedFile(path, len(data), 0, data) for path, data in writes.items() if data is not None]
    return sorted(kept, key=lambda file: file.path)


def _set_change_state(workspace: Workspace, change_id: int, state: str) -> None:
    with workspace.session() as session:
        change = session.get(Change, change_id)
        if change is not None:
            change.state = state
            change.updated_at = workspace.now()
    workspace.publish("change", {"change": change_id})
