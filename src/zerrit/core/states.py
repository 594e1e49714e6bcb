"""The states of changes and runs, as the database, the API and the console know them."""

from __future__ import annotations

from enum import StrEnum
from typing import Final, assert_never


class ChangeState(StrEnum):
    """Where a change is on its way. An edit makes it a draft again."""

    DRAFT = "draft"
    CHECKED = "checked"  #: nothing blocks it
    QUEUED = "queued"  #: goes with the next scheduled restart
    DEPLOYING = "deploying"
    DEPLOYED = "deployed"
    CONFIRMED = "confirmed"  #: its checklist is done
    ROLLED_BACK = "rolled-back"
    WITHDRAWN = "withdrawn"


#: Of a change whose steps can still be edited.
EDITABLE: Final = (ChangeState.DRAFT, ChangeState.CHECKED, ChangeState.ROLLED_BACK)


class RunState(StrEnum):
    """How a run goes, or how it ended."""

    RUNNING = "running"
    DEPLOYED = "deployed"  #: a deploy that succeeded
    DONE = "done"  #: a rollback or restart that succeeded
    ROLLED_BACK = "rolled-back"  #: a deploy that failed; the old files are back and the game is up
    CANCELLED = "cancelled"
    FAILED = "failed"


class RunResult(StrEnum):
    """How a run goes or how it ended, in the words that people read."""

    RUNNING = "running"
    DEPLOYED = "deployed"
    RESTORED = "restored"  #: by a rollback that was asked for
    RESTARTED = "restarted"
    ROLLED_BACK = "failed: rolled back"
    NOT_WRITTEN = "failed: not written"
    FAILED = "failed"
    CANCELLED = "cancelled"


def result_of(kind: str, state: RunState, *, has_written: bool) -> RunResult:
    """The result of a run of a kind (deploy, rollback, restart)."""
    match state:
        case RunState.RUNNING:
            return RunResult.RUNNING
        case RunState.DEPLOYED:
            return RunResult.DEPLOYED
        case RunState.DONE:
            return RunResult.RESTORED if kind == "rollback" else RunResult.RESTARTED
        case RunState.ROLLED_BACK:
            return RunResult.ROLLED_BACK
        case RunState.CANCELLED:
            return RunResult.CANCELLED
        case RunState.FAILED:
            return RunResult.FAILED if has_written or kind == "restart" else RunResult.NOT_WRITTEN
        case _:
            assert_never(state)


class StageState(StrEnum):
    """How a stage of a run goes, or how it ended."""

    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    INTERRUPTED = "interrupted"
