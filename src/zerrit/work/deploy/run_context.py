"""A run that is going on: what all its stages share, its connection and control, its waits, writing and watching."""

from __future__ import annotations

import time
from collections.abc import Callable
from contextlib import ExitStack
from functools import cached_property
from typing import Final, NoReturn

from sqlalchemy.orm import Session

from zerrit.connections import Connection
from zerrit.control import Act, Control, ControlError
from zerrit.core.gamebooks import Gamebook
from zerrit.core.states import RunState
from zerrit.core.wording import counted
from zerrit.records import Change, RunFacts, Server, StartFacts
from zerrit.work.base.run_records import get_run
from zerrit.work.base.workspace import Workspace
from zerrit.work.deploy.evidence import outside_of
from zerrit.work.deploy.instructions import lacking
from zerrit.work.deploy.journal import Journal, Stage, StageFailed
from zerrit.work.deploy.packing import Writes
from zerrit.work.deploy.run_moves import as_moved
from zerrit.work.deploy.stages import GOING_BACK, StageName
from zerrit.work.deploy.start_watch import Verdict, Watched
from zerrit.work.deploy.write_plan import Plan
from zerrit.work.servers.controls import control_of
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.live_files import FetchedFile, Taken, known_files

POLL: Final = 0.2  # seconds
MANUAL_POLL: Final = 1.0  # seconds between two looks at what a person was asked to do


class Suspended(Exception):
    """The service stops while a run waits; the run is taken up at the next start."""


class Parked(Exception):
    """A run waits for a person or a time; it is put down, and taken up again after `seconds`."""

    def __init__(self, seconds: float) -> None:
        super().__init__(f"for {seconds:g} s")
        self.seconds = seconds


class Cancelled(StageFailed):
    """Someone wants the run to end."""


class RunContext:
    """The state of a run, its connection and its control. Use `close` at the end.

    `taken` and `plan` are what `read` worked out and the next stage writes down; no later one relies on them.
    """

    def __init__(self, workspace: Workspace, run_id: int) -> None:
        self.workspace = workspace
        self.journal = Journal(workspace, run_id)
        with workspace.session() as session:
            run = get_run(session, run_id)
            self.server: Server = get_server(session, run.server_id)
            self.gamebook: Gamebook | None = gamebook_of(session, self.server)[0]
            self.kind = run.kind
            self.person = run.person
            self.options = run.options
            self.change_ids = tuple(run.change_ids)
            self.target_id = run.target_id
        self.taken: Taken | None = None
        self.plan: Plan | None = None
        self._open = ExitStack()
        self._connection: Connection | None = None
        self._elsewhere: dict[str, Connection] | None = None

    def close(self) -> None:
        self._open.close()

    @property
    def evidence(self) -> RunFacts:
        """What the run has kept until now."""
        return self.journal.run().evidence

    @property
    def in_place(self) -> bool:
        """The game runs on; it reads the new files at a reload."""
        return self.evidence.in_place

    def require_wanted(self, name: StageName) -> None:
        """No one has cancelled the run, or given it up on its way back."""
        run = self.journal.run()
        if name in GOING_BACK or name is StageName.RELEASE:
            if run.options.given_up:
                raise StageFailed(f"{run.options.given_up} gave up waiting")
        elif run.cancelled_by:
            raise Cancelled(f"cancelled by {run.cancelled_by}")

    def pause(self, stage: Stage, seconds: float) -> None:
        """Wait a little, unless the service stops or someone cancels."""
        if self.workspace.stopping.wait(seconds):
            raise Suspended
        self.require_wanted(stage.name)

    def park(self, stage: Stage, seconds: float) -> NoReturn:
        """Wait without a thread: the stage begins again after that time. What it did by then it must not do twice."""
        self.pause(stage, 0)
        raise Parked(seconds)

    @property
    def connection(self) -> Connection:
        """The open connection. It makes new connections automatically; a connection that could not be opened is tried anew each time."""
        if self._connection is None:
            self._connection = self._open.enter_context(self.workspace.connection_to(self.server))
        return self._connection

    @cached_property
    def control(self) -> Control:
        return control_of(self.workspace, self.server)

    @property
    def watched(self) -> Watched:
        if self._elsewhere is None:
            places = self.server.maintenance.crash_places
            self._elsewhere = {
                f"{place.rstrip('/')}/": self._open.enter_context(
                    self.workspace.connection_to(self.server, folder=place)
                )
                for place in places
            }
        return Watched(self.connection, self.control, self.gamebook, self._elsewhere)

    def is_running(self) -> bool:
        return self.control.state().is_running

    @property
    def patience(self) -> float:
        """Seconds to wait for this server's game to stop, start, or say that it is ready."""
        return self.server.maintenance.patience or self.workspace.patience

    @property
    def settle(self) -> float:
        """Seconds that a game must stay up."""
        return self.server.maintenance.settle or self.workspace.settle

    def wait(self, stage: Stage, is_so: Callable[[], bool], else_say: str, asks: str = "") -> None:
        """Wait until it is so: for the server's patience, or for as long as a person needs."""
        if asks and self.journal.run().asks != asks:
            self.journal.ask(asks)
        deadline = time.monotonic() + self.patience
        while True:
            try:
                if is_so():
                    break
            except ControlError as error:
                if not error.is_passing or time.monotonic() > deadline:
                    raise
            if not asks and time.monotonic() > deadline:
                raise StageFailed(
                    f"{else_say} within {self.patience:g} s. Check its log and the host's panel, then try again."
                )
            if asks:
                self.park(stage, MANUAL_POLL)
            self.pause(stage, POLL)
        if asks:
            self.journal.ask("")

    def stop_game(self, stage: Stage) -> None:
        state = self.control.state()
        if not state.is_running:
            stage.say(f"the game was not running ({state.word})")
            return
        asks = ""
        if Act.STOP in self.control.is_manual:
            asks = f"Stop {self.server.title} now. Zerrit looks whether its log says so; or say that it is stopped."
        else:
            self.control.stop()
        stage.say("told to stop" if not asks else "waiting for a person to stop it")
        self.wait(stage, lambda: not self.is_running(), "the game did not stop", asks)
        stage.say(f"the game has stopped ({self.control.state().word})")

    def start_game(self, stage: Stage) -> None:
        if self.is_running():
            stage.say("it runs already")
            return
        if Act.START in self.control.is_manual:
            stage.say("waiting for a person to start it")
            asks = f"Start {self.server.title} now, then say that it is started."
            self.wait(stage, self.is_running, "the game did not start", asks)
            stage.say("started manually")
            return
        self.control.start()
        stage.say("told to start")

    def writes(self) -> Writes:
        """What is to be written, as it was planned before the first byte."""
        with self.workspace.session() as session:
            return {file.path: file.new for file in get_run(session, self.journal.run_id).files}

    def executable(self) -> dict[str, bool]:
        """Which of the files that are to be written may be run as programs, or may not any more."""
        with self.workspace.session() as session:
            files = get_run(session, self.journal.run_id).files
            return {file.path: file.is_executable for file in files if file.is_executable is not None}

    def title(self, session: Session) -> str:
        """What the run is about, for the reasons of snapshots."""
        titles = [(one.id, one.title) for one in (session.get(Change, c) for c in self.change_ids) if one]
        if titles:
            return ", ".join(f"change {id_}: {title}" for id_, title in titles)
        return f"rollback to snapshot {self.target_id}" if self.target_id else "restart"

    def files_before(self) -> dict[str, FetchedFile]:
        """The files of the snapshot that was taken on the way, those in packed files included."""
        before_id = self.journal.run().before_id
        assert before_id is not None  # noqa: S101 (nothing is written before there is one)
        with self.workspace.session() as session:
            return known_files(session, before_id)

    def saying(self, stage: Stage) -> Callable[[str], None]:
        """Says how far a stage is, as long as no one has cancelled it."""

        def say(said: str) -> None:
            self.require_wanted(stage.name)
            stage.say(said)

        return say

    def instructions(self, writes: Writes, stage: Stage) -> None:
        """Ask a person to carry the files, until what is uploaded again is what should be there."""

        def is_there() -> bool:
            wanted = lacking(self.connection, writes)
            stage.say(f"{len(writes) - len(wanted)} of {counted(len(writes), 'file')} are there")
            return not wanted

        asks = (
            f"Put {counted(len(writes), 'file')} on {self.server.title}: zerrit run instructions {self.journal.run_id} "
            "--save-to FOLDER makes a folder of them with a step sheet. Then take them in again, so that Zerrit sees them."
        )
        self.wait(stage, is_there, "", asks if writes else "")

    def look_before_start(self) -> None:
        """What is there before the game is started; after a kill, what was there the first time."""
        if self.evidence.before_start is not None:
            return
        self.journal.note(RunFacts(before_start=self.watched.look_before()))
        if not self.connection.is_manual:
            self.journal.note(RunFacts(outside_before=outside_of(self.connection.files(), self.files_at_start())))

    def look_before_start_again(self) -> None:
        """The same on the way back."""
        if self.evidence.before_start_again is None:
            self.journal.note(RunFacts(before_start_again=self.watched.look_before()))

    def files_at_start(self) -> dict[str, FetchedFile]:
        """The files as they were when the game was started: those of the snapshot before, with what the run wrote."""
        run = self.journal.run()
        with self.workspace.session() as session:
            found = as_moved(known_files(session, run.before_id) if run.before_id is not None else {}, run.evidence)
        for path, digest in self.writes().items():
            if digest is None:
                found.pop(path, None)
            elif self.gamebook is not None and self.gamebook.is_watched(path):
                found[path] = FetchedFile(path, 0, 0, None, content=digest)
            else:
                found[path] = FetchedFile(path, 0, 0, digest)
        return found

    def watch_start(self, stage: Stage) -> tuple[Verdict, StartFacts]:
        """Watch the game since its start, or since that on the way back. Verdict, and what the run keeps of it."""
        evidence = self.evidence
        is_first = stage.name is StageName.WATCH
        seen = evidence.before_start if is_first else evidence.before_start_again
        assert seen is not None  # noqa: S101 (the stage before has looked)
        watched = self.watched
        # What the old files load is another list than that of the new ones.
        expected = evidence.expected if is_first else evidence.expected_back
        if evidence.in_place:
            expected = {}
        if evidence.in_place and is_first:  # it was ready all the time, and does not say so again
            watched = Watched(watched.connection, watched.control, _without_ready(self.gamebook), watched.elsewhere)
        self._have_log_shown(watched.gamebook)
        if self.connection.is_manual and not watched.says_something(seen):
            self.park(stage, MANUAL_POLL)
        verdict = watched.start(
            seen,
            settle=self.settle,
            patience=self.patience,
            say=stage.say,
            pause=lambda seconds: self.pause(stage, seconds),
            expected=expected,
            hear=self._hear,
        )
        return verdict, verdict.facts(seen)

    def _hear(self, log: str) -> None:
        """Hold ready what the log of the game says just now, for whoever watches the run."""
        run_id = self.journal.run_id
        if self.workspace.live_logs.get(run_id) != log:
            self.workspace.live_logs.keep(run_id, log)
            self.workspace.publish("run", {"run": run_id, "state": RunState.RUNNING.value})

    def _have_log_shown(self, gamebook: Gamebook | None) -> None:
        """A manual connection shows no log."""
        if self.connection.is_manual and gamebook is not None and gamebook.rules.trouble.ready_pattern:
            asks = (
                f"Show Zerrit {gamebook.rules.trouble.log} of {self.server.title} as it is now, and crash files if there "
                f"are new ones: zerrit server upload {self.server.id} FOLDER. If the game does not come up, end this run: "
                f"zerrit run cancel {self.journal.run_id}."
            )
            if self.journal.run().asks != asks:
                self.journal.ask(asks)


def _without_ready(gamebook: Gamebook | None) -> Gamebook | None:
    if gamebook is None:
        return None
    trouble = gamebook.rules.trouble.model_copy(update={"ready_pattern": ""})
    return Gamebook(gamebook.rules.model_copy(update={"trouble": trouble}), gamebook.source)
