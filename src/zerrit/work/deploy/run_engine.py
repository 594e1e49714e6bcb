"""
Deploys and rollbacks: the same careful path for both, stage by stage as `zerrit.work.deploy.stages` orders them.

Nothing is written before the game has stopped, everything that it holds is kept as a snapshot, and the plan of what is
to be written is kept too. From the first written byte on, any failure leads back to that snapshot, which is verified in
its turn. No stage relies on what an earlier one had in memory: a service that was killed takes up every run where it was.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Final

import structlog
from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from zerrit.connections import ConnectionFailed
from zerrit.control import ControlError
from zerrit.core.errors import ZerritError
from zerrit.core.states import ChangeState, RunState, StageState
from zerrit.core.wording import sentence
from zerrit.records import BroughtFacts, Change, ChecklistItem, PendingEffect, Run, RunFacts, is_full
from zerrit.work.base.activity_log import note
from zerrit.work.base.run_records import get_run
from zerrit.work.base.workspace import Workspace
from zerrit.work.deploy import deploy_stages, rollback_stages
from zerrit.work.deploy.bisection import find_culprit
from zerrit.work.deploy.journal import Journal, Stage, StageFailed
from zerrit.work.deploy.outcome import outcome_of
from zerrit.work.deploy.run_context import Parked, RunContext, Suspended
from zerrit.work.deploy.stages import BEFORE_WRITING, GOING_BACK, RESUMED_AT, StageName, after, after_failure

log = structlog.get_logger("zerrit.deploys")

MOST_RESUMES: Final = 3  #: a run that ended the service so often is led back
EXPECTED_ERRORS: Final = (ZerritError, ConnectionFailed, ControlError, StageFailed)


def carry_out(workspace: Workspace, run_id: int) -> float | None:
    """Do a run from where it is to its end; whatever happens ends in the journal.

    Returns the seconds after which it has to be taken up again where it waits, or None when it has ended.

    Raises SQLAlchemyError: the journal cannot be written just now; the run stays open, and is taken up again.
    """
    try:
        with workspace.storing.shared():
            context = RunContext(workspace, run_id)
            _go(context)
            _search_culprit(context)
    except Suspended:
        log.info("run.suspended", run=run_id)
    except Parked as parked:
        return parked.seconds
    except SQLAlchemyError as error:
        if is_full(error) and workspace.data is not None:
            workspace.data.give_up_reserve()
        raise
    except Exception as error:
        # Not even the beginning could be made, for instance since the database is damaged; a run must not stay open.
        log.exception("run.broke", run=run_id)
        journal = Journal(workspace, run_id)
        at = StageName(journal.run().stage)
        said = "Nothing was written" if at in BEFORE_WRITING else "The run broke off"
        journal.end(RunState.FAILED, f"{said}. It ended at {at}: {sentence(str(error))}")
    return None


def open_runs(workspace: Workspace) -> list[int]:
    """The runs that a service left open; called once at its start, before new ones can begin."""
    with workspace.session() as session:
        found = list(session.scalars(select(Run.id).where(Run.state == RunState.RUNNING)))
    for run_id in found:
        log.warning("run.resuming", run=run_id)
        journal = Journal(workspace, run_id)
        journal.close_open_stages("the service ended here")
        journal.note(RunFacts(resumed=journal.run().evidence.resumed + 1))
    return found


def _go(context: RunContext) -> None:
    run = context.journal.run()
    stage = StageName(run.stage)
    stage = RESUMED_AT.get(stage, stage)
    if run.evidence.resumed > MOST_RESUMES and stage not in GOING_BACK:
        said = "the service ended again and again during this run"
        context.journal.note(RunFacts(reason=said, failed_at=stage))
        stage = after_failure(stage)
    try:
        while stage is not StageName.END:
            stage = _do(context, stage) if _is_asked_for(context, stage) else after(stage, in_place=context.in_place)
    finally:
        context.close()
    _end(context)


def _is_asked_for(context: RunContext, name: StageName) -> bool:
    if name is StageName.REHEARSE:
        return (context.options.rehearse or context.server.maintenance.must_rehearse) and bool(context.change_ids)
    if name is StageName.ANNOUNCE:
        return bool(context.options.announce or context.options.wait)
    return True


def _do(context: RunContext, name: StageName) -> StageName:
    """One stage, with its journal; returns the one that follows."""
    stage = context.journal.begin(name)
    facts = RunFacts()
    try:
        context.require_wanted(name)
        _STAGES[name](context, stage, facts)
    except Suspended:
        context.journal.interrupt(stage, "the service stops; it goes on at its next start")
        raise
    except Parked:
        raise
    except Exception as error:
        if is_full(error) and context.workspace.data is not None:
            # The room that was kept back lets the run be written down to its end, and the game be started again.
            context.workspace.data.give_up_reserve()
            error = StageFailed(
                f"the disk with Zerrit's own data ({context.workspace.folder}) is full; make room there"
            )
        if not isinstance(error, EXPECTED_ERRORS):
            log.error("run.unexpected", run=context.journal.run_id, stage=name, exc_info=error)
        following = after_failure(name)
        if context.evidence.reason is None:
            facts.reason, facts.failed_at = str(error), name
        elif following is StageName.END:
            facts.failed_back, facts.runs_now = str(error), _runs_now(context)
        context.journal.finish(stage, StageState.FAILED, str(error) or type(error).__name__, following, facts)
        return following
    following = after(name, in_place=facts.in_place if "in_place" in facts.model_fields_set else context.in_place)
    context.journal.finish(stage, StageState.DONE, stage.detail, following, facts)
    return following


def _runs_now(context: RunContext) -> bool | None:
    """Whether the game runs, for the last word on a run; None where the control does not say."""
    try:
        return context.is_running()
    except EXPECTED_ERRORS:
        return None


def _search_culprit(context: RunContext) -> None:
    """After a start that failed, name the step that did it, where a copy of the server can be started."""
    run = context.journal.run()
    may = context.server.maintenance.may_rehearse and context.gamebook is not None and context.gamebook.rules.rehearse
    if run.state != RunState.ROLLED_BACK or run.evidence.failed_at != StageName.WATCH or not may or run.cancelled_by:
        return

    def say(text: str) -> None:
        context.journal.note(RunFacts(culprit=f"searching: {text}"))

    def pause(seconds: float) -> None:
        if context.workspace.stopping.wait(seconds):
            raise Suspended

    try:
        found = find_culprit(context.workspace, context.journal.run_id, say, pause)
    except Suspended:
        context.journal.note(RunFacts(culprit=""))
        raise
    except EXPECTED_ERRORS as error:
        found = f"The culprit could not be searched for: {error}"
    context.journal.note(RunFacts(culprit=found))
    with context.workspace.session() as session:
        note(context.workspace, session, context.person, f"{context.kind}.culprit", context.server.id, found)


def _end(context: RunContext) -> None:
    """Close the run and its changes; all of it or nothing, since a service may be killed here too."""
    with context.workspace.writing() as session:
        run = get_run(session, context.journal.run_id)
        state, outcome = outcome_of(run)
        note(context.workspace, session, context.person, f"{context.kind}.{state}", context.server.id, outcome)
        _set_changes(context, session, state, run.evidence)
        run.state, run.outcome, run.ended_at = state, outcome, context.workspace.now()
    context.workspace.publish("run", {"run": context.journal.run_id, "state": state})
    for change_id in context.change_ids:
        context.workspace.publish("change", {"change": change_id})
    context.workspace.publish("server", {"server": context.server.id})


def _set_changes(context: RunContext, session: Session, state: RunState, evidence: RunFacts) -> None:
    became = {
        RunState.DEPLOYED: ChangeState.DEPLOYED,
        RunState.ROLLED_BACK: ChangeState.ROLLED_BACK,
    }.get(state, ChangeState.CHECKED)
    brings = {one.change: one for one in evidence.brings}
    now = context.workspace.now()
    for change_id in context.change_ids:
        change = session.get(Change, change_id)
        if change is None:
            continue
        change.state, change.queue_place, change.updated_at = became, None, now
        if became != ChangeState.DEPLOYED:
            continue
        brought = brings.get(change_id, BroughtFacts(change=change_id))
        change.checklist = [ChecklistItem(text=text, note="", person="") for text in brought.looks]
        holds = ("reload",) if evidence.in_place else ("reload", "restart")
        change.pending = [
            PendingEffect(
                takes_effect=when, addresses=addresses, in_effect_at=now if when in holds else None, person=""
            )
            for when, addresses in brought.effects
        ]


_STAGES: Final[Mapping[StageName, Callable[[RunContext, Stage, RunFacts], None]]] = {
    StageName.PREFLIGHT: deploy_stages.preflight,
    StageName.REHEARSE: deploy_stages.rehearse,
    StageName.ANNOUNCE: deploy_stages.announce,
    StageName.STOP: deploy_stages.stop,
    StageName.READ: deploy_stages.read,
    StageName.SNAPSHOT: deploy_stages.snapshot,
    StageName.WRITE: deploy_stages.write,
    StageName.VERIFY: deploy_stages.verify,
    StageName.START: deploy_stages.start,
    StageName.RELOAD: deploy_stages.reload,
    StageName.WATCH: deploy_stages.watch,
    StageName.RELEASE: rollback_stages.release,
    StageName.STOP_AGAIN: rollback_stages.stop_again,
    StageName.RESTORE: rollback_stages.restore,
    StageName.VERIFY_AGAIN: rollback_stages.verify_again,
    StageName.START_AGAIN: rollback_stages.start_again,
    StageName.WATCH_AGAIN: rollback_stages.watch_again,
}
