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

from zerrit.control import Control, ControlError
from zerrit.core.checks import Files, check_files_of
from zerrit.core.documents import Document
from zerrit.core.errors import ZerritError
from zerrit.core.gamebooks import Gamebook
from zerrit.core.steps import Step, replay
from zerrit.core.wording import counted, sentence
from zerrit.databases import query
from zerrit.links import Link, LinkError
from zerrit.records import Change, Run, Server, digest_of
from zerrit.work.activity import note
from zerrit.work.changes import get_change, reader, said, step_of
from zerrit.work.journal import Journal, Stage, StageFailed
from zerrit.work.judging import judge
from zerrit.work.runs import RUNNING, get_run
from zerrit.work.servers import gamebook_of, get_server
from zerrit.work.snapshots import (
    FetchedFile,
    contents,
    get_snapshot,
    read_all,
    require_latest,
    store_snapshot,
)
from zerrit.work.watch import Before, Verdict, look_before, watch_start
from zerrit.work.workspace import Workspace

log = structlog.get_logger("zerrit.deploys")

Held = Mapping[str, bytes]  #: the bytes of all tracked files, by path
POLL: Final = 0.2  # seconds
RESTORE_TRIES: Final = 3
RESTORE_PAUSE: Final = 1.0  # seconds between two tries


@dataclass(frozen=True, slots=True)
class Plan:
    """What a run is to do. Given what the stopped server holds, `writes` are the files that shall differ; None takes
    a file away."""

    title: str
    writes: Callable[[Held], dict[str, bytes | None]]


def carry_out(workspace: Workspace, run_id: int) -> None:
    """Do a queued run from beginning to end; whatever happens ends in the journal."""
    runner = _runner_for(workspace, run_id, "Nothing was written")
    if runner is None:
        return
    change_id, target_id = runner.run.change_id, runner.run.target_id
    if change_id is not None:
        _set_change_state(workspace, change_id, "deploying")
        runner.go(lambda: runner.plan_of_change(change_id))
    elif target_id is not None:
        runner.go(lambda: runner.plan_of_rollback(target_id))


def recover(workspace: Workspace) -> list[int]:
    """Bring every run to an end that a killed service left open: back to the snapshot, or nothing was written yet."""
    with workspace.session() as session:
        open_runs = list(session.scalars(select(Run.id).where(Run.state == RUNNING)))
    for run_id in open_runs:
        log.warning("run.recovering", run=run_id)
        runner = _runner_for(workspace, run_id, "The service ended during this run, and it cannot be carried on")
        if runner is not None:
            runner.recover()
    return open_runs


def _runner_for(workspace: Workspace, run_id: int, else_say: str) -> _Runner | None:
    """What is needed to carry a run out; where that cannot be had (a damaged database, say), the run is ended."""
    journal = Journal(workspace, run_id)
    try:
        with workspace.session() as session:
            run = get_run(session, run_id)
            server = get_server(session, run.server_id)
            gamebook, _ = gamebook_of(session, server)
    except Exception as error:
        log.exception("run.broke", run=run_id)
        journal.end("failed", f"{else_say}: {sentence(str(error))}")
        return None
    return _Runner(workspace, journal, server, gamebook, run)


def _way_back(held: Held, wanted: Held) -> dict[str, bytes | None]:
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
    was_running: bool = False  #: the game ran before this run stopped it
    has_written: bool = False  #: files of the server may differ from the snapshot

    def go(self, planner: Callable[[], Plan]) -> None:
        """The whole path; see the module's docstring. `planner` says, before the game is stopped, what is to be done."""
        try:
            with self.workspace.link_to(self.server) as link:
                self._go(link, self.workspace.control_of(self.server), planner)
        except Exception as error:
            # The last resort: a run must never stay open, and the reason must be readable where it is looked for.
            log.exception("run.broke", run=self.journal.run_id)
            if self.has_written:
                outcome = f"The run broke off while files were written: {sentence(str(error))} Roll back by hand."
            else:
                outcome = f"Nothing was written: {sentence(str(error))}"
            self._end("failed", outcome)

    def _go(self, link: Link, control: Control, planner: Callable[[], Plan]) -> None:
        try:
            plan, files, writes, before_id = self._prepare(link, control, planner)
        except Exception as error:
            self._log_unexpected(error)
            if self.was_running:
                self._start_again(control)
            self._end("failed", f"Nothing was written: {sentence(str(error))}")
            return
        # From here on any failure whatever, ours too, leads back to the snapshot.
        self.has_written = True
        try:
            self._write(link, writes)
            self._verify(link, writes)
            self._start_and_watch(link, control)
            self.journal.note(after_id=self._keep(_after(files, writes), f"after {plan.title}"))
        except Exception as error:
            self._log_unexpected(error)
            held = {file.path: file.data for file in files if file.data is not None}
            self._restore(control, held, before_id, str(error))
            return
        what = counted(len(writes), "file")
        if self.run.kind == "deploy":
            self._end("deployed", f"{what} written and read back; the game is up.")
        else:
            self._end("done", f"{what} put back and compared; the game is up.")

    def _prepare(
        self, link: Link, control: Control, planner: Callable[[], Plan]
    ) -> tuple[Plan, list[FetchedFile], dict[str, bytes | None], int]:
        """Everything up to the first written byte: the plan, the files held, those to write, the snapshot of the held."""
        with self.journal.stage("preflight") as stage:
            plan = planner()
            swept = link.sweep()
            self.was_running = control.state().is_running
            self.journal.note(was_running=self.was_running)
            stage.say(
                f"link and control answer; the game {'runs' if self.was_running else 'does not run'}"
                + (f"; {counted(swept, 'left-over part file')} removed" if swept else "")
            )
        with self.journal.stage("stop") as stage:
            stage.say(self._stop(control))
        with self.journal.stage("read") as stage:
            files = read_all(link, self.gamebook)
            stage.say(f"{counted(len(files), 'file')} read")
            writes = plan.writes({file.path: file.data for file in files if file.data is not None})
        with self.journal.stage("snapshot") as stage:
            before_id = self._keep(files, f"before {plan.title}")
            self.journal.note(before_id=before_id)
            stage.say(f"snapshot {before_id}")
        return plan, files, writes, before_id

    def plan_of_change(self, change_id: int) -> Plan:
        """Make the steps of a change on what the stopped server holds."""
        with self.workspace.session() as session:
            change = get_change(session, change_id)
            steps = [step_of(row) for row in change.steps]
        return Plan(f"change {change.id}: {change.title}", lambda held: self._replayed(held, steps))

    def plan_of_rollback(self, snapshot_id: int) -> Plan:
        """Make the server hold exactly the files of a snapshot."""
        wanted = self._contents(snapshot_id)
        return Plan(f"rollback to snapshot {snapshot_id}", lambda held: _way_back(held, wanted))

    def _contents(self, snapshot_id: int) -> Held:
        with self.workspace.session() as session:
            return contents(session, get_snapshot(session, self.server.id, snapshot_id))

    def _log_unexpected(self, error: Exception) -> None:
        if not isinstance(error, ZerritError | LinkError | ControlError | StageFailed):
            log.error("run.unexpected", run=self.journal.run_id, exc_info=error)

    def recover(self) -> None:
        """End what a killed service left open."""
        self.journal.close_open_stages("the service ended here")
        before_id = self.run.before_id
        try:
            control = self.workspace.control_of(self.server)
            if before_id is not None and self.journal.has_stage("write"):
                reason = "the service ended while files were written"
                self._restore(control, self._contents(before_id), before_id, reason)
                return
            with self.workspace.link_to(self.server) as link:
                link.sweep()
            if self.run.evidence.get("was_running", False):
                self._start_again(control)
            self._end("failed", "The service ended before anything was written; the files are as they were.")
        except Exception as error:
            self._log_unexpected(error)
            self._end(
                "failed", f"The service ended during this run, and now: {sentence(str(error))} Roll back by hand."
            )

    def _replayed(self, held: Held, steps: list[Step]) -> dict[str, bytes | None]:
        """The files that the steps make different.

        Raises StageFailed: a step is impossible there, or a finding blocks.
        """
        read = reader(self.gamebook)
        everything: dict[str, Document] = {path: read(data, path) for path, data in held.items()}
        before = {path: document for path, document in everything.items() if not document.is_binary}
        replayed = replay(before, steps, read)
        if not replayed.is_whole:
            reason = next(outcome.message for outcome in replayed.outcomes if outcome.message)
            raise StageFailed(f"A step cannot be made on the files that the stopped server holds: {reason}")
        with self.workspace.session() as session:
            server = get_server(session, self.server.id)
            watched = {file.path for file in require_latest(session, server.id).files if file.digest is None}
            others = (held.keys() | watched) - before.keys()
            old = check_files_of(Files(before, others, held.get, query), self.gamebook)
            after = Files(replayed.documents, others, held.get, query)
            new = check_files_of(after, self.gamebook, before=before, earlier=old)
            judged = judge(self.workspace, session, server, old.findings, new.findings)
        blocking = next((j.finding for j in judged if j.blocks), None)
        if blocking is not None:
            raise StageFailed(said(blocking))
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
            _put(link, writes, stage)
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

    def _start_and_watch(self, link: Link, control: Control) -> None:
        before = look_before(link, self.gamebook)
        with self.journal.stage("start") as stage:
            control.start()
            stage.say("told to start")
        with self.journal.stage("watch") as stage:
            verdict = self._watch(link, control, before, stage)
            self.journal.note(log=verdict.log_excerpt, crash_files=verdict.crash_files)
            if verdict.trouble:
                raise StageFailed(verdict.trouble)
            stage.say("up, no crash file, nothing bad in the log")

    def _watch(self, link: Link, control: Control, before: Before, stage: Stage) -> Verdict:
        return watch_start(
            link,
            control,
            self.gamebook,
            before,
            settle=self.workspace.settle,
            patience=self.workspace.patience,
            say=stage.say,
        )

    def _restore(self, control: Control, before: Held, before_id: int, reason: str) -> None:
        """Back to the snapshot `before_id`, by the same careful path."""
        is_back = False
        try:
            with self.journal.stage("stop again") as stage:
                stage.say(self._stop(control))
            self._put_back(before)
            is_back = True
            with self.workspace.link_to(self.server) as link:
                seen = look_before(link, self.gamebook)
                with self.journal.stage("start again") as stage:
                    control.start()
                    stage.say("told to start")
                with self.journal.stage("watch again") as stage:
                    verdict = self._watch(link, control, seen, stage)
                    if verdict.trouble:
                        raise StageFailed(verdict.trouble)
                    stage.say("the game runs again")
        except Exception as error:
            self._log_unexpected(error)
            if is_back:
                outcome = f"The files are those of snapshot {before_id} again, but the game does not come up: {sentence(str(error))}"
            else:
                outcome = (
                    f"Going back to snapshot {before_id} failed: {sentence(str(error))} The snapshot is safe; when the "
                    f"server can be reached again: zerrit rollback {self.server.id} {before_id}."
                )
            self._end("failed", f"{outcome} It was needed because of this: {sentence(reason)}")
            return
        self._end(
            "rolled-back",
            f"The files are those of snapshot {before_id} again and the game runs. It failed: {sentence(reason)}",
        )

    def _put_back(self, before: Held) -> None:
        """Write what differs and compare everything. The old connection may be what broke, so each try makes its own."""
        with self.journal.stage("restore") as stage:
            for tries_left in reversed(range(RESTORE_TRIES)):
                try:
                    with self.workspace.link_to(self.server) as link:
                        link.sweep()
                        back = _way_back(self._held(link), before)
                        _put(link, back, stage)
                    break
                except LinkError as error:
                    if not tries_left:
                        raise
                    stage.say(f"{error} Trying again.")
                    time.sleep(RESTORE_PAUSE)
            stage.say(f"{counted(len(back), 'file')} put back")
        with self.journal.stage("verify again") as stage, self.workspace.link_to(self.server) as link:
            held = self._held(link)
            unlike = [path for path in sorted(held.keys() | before.keys()) if held.get(path) != before.get(path)]
            if unlike:
                raise StageFailed(f"these files are not as in the snapshot: {', '.join(unlike[:5])}")
            stage.say(f"all {counted(len(before), 'file')} equal the snapshot, byte for byte")

    def _held(self, link: Link) -> dict[str, bytes]:
        return {file.path: file.data for file in read_all(link, self.gamebook) if file.data is not None}

    def _start_again(self, control: Control) -> None:
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


def _put(link: Link, writes: Mapping[str, bytes | None], stage: Stage) -> None:
    """Write and take away, saying how far it is."""
    for number, (path, data) in enumerate(writes.items(), 1):
        stage.say(f"{path} ({number} of {len(writes)})")
        if data is None:
            link.remove(path)
        else:
            link.write(path, data)


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
