"""
The journal of a run: each stage is written down before it begins and again after it ended.

What is written is committed at once, apart from all other work, so that it is true whenever the service dies.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from zerrit.records import Run, RunStage
from zerrit.work.errors import NotFound
from zerrit.work.workspace import Workspace


class StageFailed(Exception):
    """A stage of a run could not be done; the message says why and is kept."""


class Stage:
    """An open stage; `say` replaces its detail, so that whoever watches sees how far it is."""

    def __init__(self, journal: Journal, stage_id: int) -> None:
        self._journal = journal
        self._id = stage_id

    def say(self, detail: str) -> None:
        self._journal.update_stage(self._id, detail=detail)


class Journal:
    def __init__(self, workspace: Workspace, run_id: int) -> None:
        self._workspace = workspace
        self.run_id = run_id

    @contextmanager
    def stage(self, name: str) -> Iterator[Stage]:
        """Journal a stage before and after; an error in it is written down and goes on."""
        with self._workspace.session() as session:
            run = self._run(session.get(Run, self.run_id))
            row = RunStage(
                position=len(run.stages) + 1, name=name, state="running", detail="", started_at=self._workspace.now()
            )
            run.stages.append(row)
            session.flush()
            stage_id = row.id
        self._tell()
        try:
            yield Stage(self, stage_id)
        except BaseException as error:
            self.update_stage(stage_id, state="failed", detail=str(error) or type(error).__name__)
            raise
        self.update_stage(stage_id, state="done")

    def update_stage(self, stage_id: int, *, detail: str | None = None, state: str | None = None) -> None:
        with self._workspace.session() as session:
            row = session.get(RunStage, stage_id)
            if row is not None:
                row.detail = detail if detail is not None else row.detail
                if state is not None:
                    row.state = state
                    row.ended_at = self._workspace.now()
        self._tell()

    def has_stage(self, name: str) -> bool:
        """Whether a stage of that name was begun."""
        with self._workspace.session() as session:
            return any(stage.name == name for stage in self._run(session.get(Run, self.run_id)).stages)

    def close_open_stages(self, why: str) -> None:
        """Stages that were begun and never ended have failed."""
        with self._workspace.session() as session:
            for stage in self._run(session.get(Run, self.run_id)).stages:
                if stage.state == "running":
                    stage.state, stage.ended_at = "failed", self._workspace.now()
                    stage.detail = f"{stage.detail} ({why})".strip()

    def note(self, **facts: object) -> None:
        """Keep facts on the run: `before_id`, `after_id`, or evidence by name."""
        with self._workspace.session() as session:
            run = self._run(session.get(Run, self.run_id))
            evidence = dict(run.evidence)
            for name, value in facts.items():
                if name in ("before_id", "after_id"):
                    setattr(run, name, value)
                else:
                    evidence[name] = value
            run.evidence = evidence

    def end(self, state: str, outcome: str) -> None:
        with self._workspace.session() as session:
            run = self._run(session.get(Run, self.run_id))
            run.state = state
            run.outcome = outcome
            run.ended_at = self._workspace.now()
        self._tell(state)

    def _tell(self, state: str = "running") -> None:
        self._workspace.publish("run", {"run": self.run_id, "state": state})

    def _run(self, run: Run | None) -> Run:
        if run is None:
            raise NotFound(f"There is no run {self.run_id}.")
        return run
