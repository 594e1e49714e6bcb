"""How a run ended, in words that say what was the matter, at which stage, and what to do next."""

from __future__ import annotations

from zerrit.core.states import RunState, StageState
from zerrit.core.wording import counted, sentence
from zerrit.records import Run
from zerrit.work.deploy.stages import BEFORE_WRITING, StageName


def outcome_of(run: Run) -> tuple[RunState, str]:
    """How a run ended, and in words; all from what the journal says."""
    evidence = run.evidence
    count = counted(len(run.files), "file")
    if "reason" not in evidence:
        state = RunState.DEPLOYED if run.change_ids else RunState.DONE
        what = f"{count} written and read back" if run.change_ids else f"{count} restored and verified"
        said = f"{what if run.kind != 'restart' else f'Stopped, kept as snapshot {run.before_id}, started'}; the game is up."
        return state, " ".join(
            [said, *(sentence(doubt[:1].upper() + doubt[1:]) for doubt in evidence.get("doubts", ()))]
        )
    at, why = evidence["failed_at"], sentence(evidence["reason"])
    ended_in = {stage.name: stage.state for stage in run.stages}
    if StageName(at) in BEFORE_WRITING:
        state = RunState.CANCELLED if run.cancelled_by else RunState.FAILED
        more = ""
        if ended_in.get(StageName.RELEASE) == StageState.FAILED:
            more = f" {_state_in_words(evidence.get('runs_now'))}: {sentence(evidence.get('failed_back', ''))}"
            more += "" if evidence.get("runs_now") else " Check the host's panel, and start it yourself."
        elif not evidence.get("was_running"):
            more = " The game is stopped, as it was."
        return state, f"Nothing was written. It ended at {at}: {why}{more}"
    again = " Fix the change, then deploy it again." if run.change_ids and not run.cancelled_by else ""
    if "failed_back" not in evidence:
        lacks = f" But {sentence(evidence['lacks'])}" if evidence.get("lacks") else ""
        runs = "and the game runs" if evidence.get("was_running") else "and the game is stopped, as it was"
        return (
            RunState.ROLLED_BACK,
            f"The files are those of snapshot {run.before_id} again {runs}.{lacks} It ended at {at}: {why}{again}",
        )
    failed_back = sentence(evidence["failed_back"])
    if evidence.get("is_back"):
        runs_now = evidence.get("runs_now")
        what = "it is not certain that the game came up" if runs_now else "the game does not come up"
        said = f"The files are those of snapshot {run.before_id} again, but {what}: {failed_back} "
        said += (
            f"The files are right. Check its log; to start it once more: zerrit restart {run.server_id}."
            if runs_now
            else "Check its log, and start it yourself; the files are right."
        )
    elif run.options.get("given_up"):
        said = (
            f"{failed_back} The server is as it was left then, perhaps with new files and old ones together. Snapshot "
            f"{run.before_id} is safe; to go back after all: zerrit rollback {run.server_id} {run.before_id}."
        )
    else:
        said = (
            f"RunContext back to snapshot {run.before_id} failed at {run.stages[-1].name}: {failed_back} The snapshot is safe; "
            f"when the server can be reached again: zerrit rollback {run.server_id} {run.before_id}."
        )
    return RunState.FAILED, f"{said} What led to it, at {at}: {why}"


def _state_in_words(runs: bool | None) -> str:
    if runs is None:
        return "It is not known whether the game runs"
    return "The game runs" if runs else "The game does not run"
