"""How a run ended, in words that say what was the matter, at which stage, and what to do next."""

from __future__ import annotations

from typing import Final

from zerrit.core.states import RunState, StageState
from zerrit.core.wording import counted, sentence
from zerrit.records import Run
from zerrit.work.deploy.stages import BEFORE_WRITING, StageName

MOST_NAMED: Final = 5


def outcome_of(run: Run) -> tuple[RunState, str]:
    """How a run ended, and in words; all from what the journal says."""
    evidence = run.evidence
    if evidence.reason is None:
        return RunState.DEPLOYED if run.change_ids else RunState.DONE, _well(run)
    cause = f"{evidence.failed_at}: {sentence(evidence.reason)}"
    if StageName(evidence.failed_at) in BEFORE_WRITING:
        state = RunState.CANCELLED if run.cancelled_by else RunState.FAILED
        return state, f"Nothing was written. It ended at {cause}{_left_alone(run)}"
    if evidence.failed_back is None:
        again = " Fix the change, then deploy it again." if run.change_ids and not run.cancelled_by else ""
        lacks = f" But {sentence(evidence.lacks)}" if evidence.lacks else ""
        runs = "and the game runs" if evidence.was_running else "and the game is stopped, as it was"
        said = f"The files are those of snapshot {run.before_id} again {runs}.{lacks} It ended at {cause}{again}"
        return RunState.ROLLED_BACK, said
    return RunState.FAILED, f"{_not_back(run, sentence(evidence.failed_back))} What led to it, at {cause}"


def _well(run: Run) -> str:
    count = counted(len(run.files), "file")
    what = f"{count} written and read back" if run.change_ids else f"{count} restored and verified"
    if run.kind == "restart":
        what = f"Stopped, kept as snapshot {run.before_id}, started"
    doubts = (sentence(doubt[:1].upper() + doubt[1:]) for doubt in run.evidence.doubts)
    refused = sorted(run.evidence.refused)
    named = ", ".join(refused[:MOST_NAMED]) + (", …" if len(refused) > MOST_NAMED else "")
    left_out = [f"Left out, since the host refuses them: {named} ({counted(len(refused), 'file')})."] if refused else []
    return " ".join([f"{what}; the game is up.", *left_out, *doubts])


def _left_alone(run: Run) -> str:
    """How the game is after a run that wrote nothing."""
    evidence = run.evidence
    ended_in = {stage.name: stage.state for stage in run.stages}
    if ended_in.get(StageName.RELEASE) == StageState.FAILED:
        advice = "" if evidence.runs_now else " Check the host's panel, and start it yourself."
        return f" {_state_in_words(evidence.runs_now)}: {sentence(evidence.failed_back or '')}{advice}"
    return "" if evidence.was_running else " The game is stopped, as it was."


def _not_back(run: Run, failed_back: str) -> str:
    """What is on the server after a way back that did not come to its end."""
    restored = f"The files are those of snapshot {run.before_id} again, but"
    if run.evidence.is_back and run.evidence.runs_now:
        return (
            f"{restored} it is not certain that the game came up: {failed_back} The files are right. Check its log; to "
            f"start it once more: zerrit restart {run.server_id}."
        )
    if run.evidence.is_back:
        return f"{restored} the game does not come up: {failed_back} Check its log, and start it yourself; the files are right."
    rollback = f"zerrit rollback {run.server_id} {run.before_id}."
    if run.options.given_up:
        return (
            f"{failed_back} The server is as it was left then, perhaps with new files and old ones together. Snapshot "
            f"{run.before_id} is safe; to go back after all: {rollback}"
        )
    return (
        f"Going back to snapshot {run.before_id} failed at {run.stages[-1].name}: {failed_back} The snapshot is safe; "
        f"when the server can be reached again: {rollback}"
    )


def _state_in_words(runs: bool | None) -> str:
    if runs is None:
        return "It is not known whether the game runs"
    return "The game runs" if runs else "The game does not run"
