"""
The journal of a run: each stage is written down before it begins and again after it ended.

What is written is committed at once, apart from all other work, so that it is true whenever the service dies. The end
of a stage and where the run goes from there are one transaction.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Sequence
from typing import Final

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from zerrit.core.states import StageState
from zerrit.records import Run, RunFacts, RunFile, RunStage, StartFacts
from zerrit.work.base.errors import NotFound
from zerrit.work.base.workspace import Workspace
from zerrit.work.deploy.stages import StageName

SAID_EVERY: Final = 0.2  # seconds between two writings of how far a stage is


class StageFailed(Exception):
    """A stage of a run could not be done; the message says why and is kept."""


class Stage:
    """An open stage; `say` replaces its detail, so that whoever watches sees how far it is."""

    def __init__(self, journal: Journal, stage_id: int, name: StageName, detail: str = "") -> None:
        self._journal = journal
        self.id = stage_id
        self.name = name
        self._said_at = 0.0
        self.detail = detail

    def say(self, detail: str) -> None:
        """Say something that holds until the next word; quick ones are not written down one by one."""
        if detail == self.detail:
            return
        self.detail = detail
        now = time.monotonic()
        if now - self._said_at >= SAID_EVERY:
            self._said_at = now
            self._journal.write_detail(self.id, detail)


class Journal:
    def __init__(self, workspace: Workspace, run_id: int) -> None:
        self._workspace = workspace
        self.run_id = run_id

    def run(self) -> Run:
        """The row of the run as it is now."""
        with self._workspace.session() as session:
            return self._found(session.get(Run, self.run_id))

    def last_done(self, name: StageName) -> RunStage | None:
        """The newest stage of that name that was done."""
        query = select(RunStage).where(
            RunStage.run_id == self.run_id, RunStage.name == name, RunStage.state == StageState.DONE
        )
        with self._workspace.session() as session:
            return session.scalar(query.order_by(RunStage.position.desc()).limit(1))

    def begin(self, name: StageName) -> Stage:
        """Write down that a stage begins; one that was put down while it waited goes on."""
        with self._workspace.writing() as session:
            run = self._found(session.get(Run, self.run_id))
            last = run.stages[-1] if run.stages else None
            if last is not None and last.name == name and last.state == "running":
                return Stage(self, last.id, name, last.detail)
            row = RunStage(
                position=len(run.stages) + 1, name=name, state="running", detail="", started_at=self._workspace.now()
            )
            run.stages.append(row)
            run.stage = name
            session.flush()
            stage_id = row.id
        self._tell()
        return Stage(self, stage_id, name)

    def write_detail(self, stage_id: int, detail: str) -> None:
        with self._workspace.writing() as session:
            row = session.get(RunStage, stage_id)
            if row is not None:
                row.detail = detail
        self._tell()

    def finish(self, stage: Stage, state: str, detail: str, following: StageName, facts: RunFacts) -> None:
        """End a stage, keep facts, and say where the run goes from here; all of it or nothing."""
        with self._workspace.writing() as session:
            run = self._found(session.get(Run, self.run_id))
            row = session.get(RunStage, stage.id)
            if row is not None:
                row.state, row.detail, row.ended_at = state, detail, self._workspace.now()
            run.stage = following
            run.asks = ""
            run.evidence = run.evidence.with_more(facts)
        self._tell()

    def interrupt(self, stage: Stage, reason: str) -> None:
        """A stage ends without having been done or failed; the run stays where it is."""
        with self._workspace.writing() as session:
            row = session.get(RunStage, stage.id)
            if row is not None:
                row.state, row.ended_at = StageState.INTERRUPTED, self._workspace.now()
                row.detail = f"{stage.detail} ({reason})".strip()
        self._tell()

    def close_open_stages(self, reason: str) -> None:
        """Stages that were begun and never ended were interrupted."""
        with self._workspace.writing() as session:
            for stage in self._found(session.get(Run, self.run_id)).stages:
                if stage.state == StageState.RUNNING:
                    stage.state, stage.ended_at = StageState.INTERRUPTED, self._workspace.now()
                    stage.detail = f"{stage.detail} ({reason})".strip()

    def note(self, facts: StartFacts) -> None:
        """Keep facts on the run."""
        with self._workspace.writing() as session:
            run = self._found(session.get(Run, self.run_id))
            run.evidence = run.evidence.with_more(facts)
            state = run.state
        self._tell(state)

    def ask(self, asks: str) -> None:
        """Say what a person is asked to do just now; nothing where it is empty."""
        with self._workspace.writing() as session:
            run = self._found(session.get(Run, self.run_id))
            run.asks, state = asks, run.state
        self._tell(state)

    def doubt(self, said: str) -> None:
        """Keep what one should know of the run anyway."""
        self.note(RunFacts(doubts=[*self.run().evidence.doubts, said]))

    def plan(self, files: Iterable[RunFile], keep: Callable[[Session], int]) -> int:
        """Keep the snapshot to go back to and what is to be written, in one transaction. Returns the snapshot's id."""
        with self._workspace.writing() as session:
            run = self._found(session.get(Run, self.run_id))
            run.before_id = before_id = keep(session)
            run.files = list(files)
            return before_id

    def written(self) -> tuple[frozenset[str], frozenset[str]]:
        """The files of the run that are written already, and those that it may go on without."""
        with self._workspace.session() as session:
            files = self._found(session.get(Run, self.run_id)).files
            return (
                frozenset(file.path for file in files if file.is_written),
                frozenset(file.path for file in files if file.may_be_left_out),
            )

    def note_written(self, paths: Sequence[str]) -> None:
        """Keep that these files are written: they are not written again where the run is taken up later."""
        with self._workspace.writing() as session:
            rows = [{"run_id": self.run_id, "path": path, "is_written": True} for path in paths]
            session.execute(update(RunFile), rows)

    def leave_out(self, paths: Iterable[str]) -> None:
        """These files are none of the run any more: the host refuses them."""
        with self._workspace.writing() as session:
            run = self._found(session.get(Run, self.run_id))
            left = set(paths)
            run.files = [file for file in run.files if file.path not in left]

    def end(self, state: str, outcome: str) -> None:
        with self._workspace.writing() as session:
            run = self._found(session.get(Run, self.run_id))
            run.state, run.stage, run.asks = state, StageName.END, ""
            run.outcome = outcome
            run.ended_at = self._workspace.now()
        self._tell(state)

    def _tell(self, state: str = "running") -> None:
        self._workspace.publish("run", {"run": self.run_id, "state": state})

    def _found(self, run: Run | None) -> Run:
        if run is None:
            raise NotFound(f"There is no run {self.run_id}.")
        return run
