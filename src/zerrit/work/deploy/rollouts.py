"""The same change on several servers, wave by wave, until one start goes wrong; and one grid of settings over servers."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from typing import Final

import structlog
from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.connections import ConnectionFailed
from zerrit.control import ControlError
from zerrit.core.errors import ZerritError
from zerrit.core.states import RunState
from zerrit.core.wording import sentence
from zerrit.records import Rollout, RolloutFacts, RolloutPart, Run, RunOptions
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused
from zerrit.work.base.run_records import get_run
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import get_change, replay_on
from zerrit.work.deploy.run_requests import begin_deploy
from zerrit.work.servers.servers import get_server

log = structlog.get_logger("zerrit.rollouts")

POLL: Final = 0.3  # seconds
HALTED: Final = "halted"
DONE: Final = "done"


def begin_rollout(
    workspace: Workspace, person: str, change_id: int, waves: Sequence[Sequence[str]], options: RunOptions
) -> Rollout:
    """Begin to bring a change to several servers. It is replayed on each first; where that is impossible, nothing begins.

    Raises NotFound, WrongState. Refused: a server is named twice, or a step is impossible on one.
    """
    named = _named_once(waves)
    with workspace.session() as session:
        change = get_change(session, change_id)
        home, title = change.server_id, change.title
        for server_id in named:
            get_server(session, server_id)
    for server_id in named:
        if server_id != home:
            _require_possible(workspace, person, change_id, server_id)
    parts = {home: RolloutPart(change=change_id)} if home in named else {}
    for server_id in named:
        if server_id != home:
            opened = replay_on(workspace, person, change_id, server_id, title=title, create=True).change
            assert opened is not None  # noqa: S101 (`create` opens one, or raises)
            parts[server_id] = RolloutPart(change=opened.id)
    with workspace.session() as session:
        rollout = Rollout(
            change_id=change_id,
            waves=[list(wave) for wave in waves if wave],
            state=RunState.RUNNING,
            results=RolloutFacts(parts=parts, options=options),
            person=person,
            started_at=workspace.now(),
        )
        session.add(rollout)
        session.flush()
        said = f"{change_id} to {', '.join(named)}"
        note(workspace, session, person, "rollout.begun", None, said)
    return rollout


def _named_once(waves: Sequence[Sequence[str]]) -> list[str]:
    """All servers of the waves. Raises Refused: there is none, or one is named twice."""
    named = [server_id for wave in waves for server_id in wave]
    if not named:
        raise Refused("Name at least one server for the first wave.")
    twice = next((one for one, times in Counter(named).items() if times > 1), "")
    if twice:
        raise Refused(f"{twice} is named twice; each server takes part in one wave.")
    return named


def _require_possible(workspace: Workspace, person: str, change_id: int, server_id: str) -> None:
    found = replay_on(workspace, person, change_id, server_id)
    bad = next((outcome.message for outcome in found.outcomes if outcome.kind == "impossible"), "")
    if bad:
        raise Refused(f"On {server_id} a step is impossible: {sentence(bad)} Nothing was begun anywhere.")
    blocking = next((one.finding for one in found.findings if one.blocks), None)
    if blocking is not None:
        raise Refused(f"On {server_id} it would be blocked: {sentence(blocking.message)} Nothing was begun anywhere.")


def open_rollouts(workspace: Workspace) -> list[int]:
    """Rollouts that a service left open."""
    with workspace.session() as session:
        return list(session.scalars(select(Rollout.id).where(Rollout.state == RunState.RUNNING)))


def carry_out_rollout(workspace: Workspace, rollout_id: int, begin: Callable[[Run], None]) -> None:
    """Do the waves one after the other. It can be begun again at any point; `begin` carries a run out."""
    with workspace.session() as session:
        waves = _rollout(session, rollout_id).waves
    for number, wave in enumerate(waves, 1):
        for server_id in wave:
            _begin_one(workspace, rollout_id, server_id, begin)
        if not _await_wave(workspace, rollout_id, wave):
            return  # the service stops; it goes on at its next start
        bad = [server_id for server_id in wave if _part(workspace, rollout_id, server_id).state != RunState.DEPLOYED]
        if bad:
            rest = [one for later in waves[number:] for one in later]
            said = f"Wave {number} went wrong on {', '.join(bad)}."
            said += f" {', '.join(rest)} {'was' if len(rest) == 1 else 'were'} not touched." if rest else ""
            _end(workspace, rollout_id, HALTED, said)
            return
    _end(workspace, rollout_id, DONE, "All servers of it have the change.")


def _begin_one(workspace: Workspace, rollout_id: int, server_id: str, begin: Callable[[Run], None]) -> None:
    part = _part(workspace, rollout_id, server_id)
    if part.run is not None or part.state != "waits":
        return
    with workspace.session() as session:
        rollout = _rollout(session, rollout_id)
        options, person = rollout.results.options, rollout.person
    try:
        run = begin_deploy(workspace, person, [part.change], options)
    except (ZerritError, ConnectionFailed, ControlError) as error:
        _note(workspace, rollout_id, server_id, state="refused", said=str(error))
        return
    _note(workspace, rollout_id, server_id, run=run.id, state=RunState.RUNNING)
    begin(run)


def _await_wave(workspace: Workspace, rollout_id: int, wave: Sequence[str]) -> bool:
    for server_id in wave:
        run_id = _part(workspace, rollout_id, server_id).run
        while run_id is not None:
            with workspace.session() as session:
                run = get_run(session, run_id)
                state, outcome = run.state, run.outcome
            if state != RunState.RUNNING:
                _note(workspace, rollout_id, server_id, state=state, said=outcome)
                break
            if workspace.stopping.wait(POLL):
                return False
    return True


def _part(workspace: Workspace, rollout_id: int, server_id: str) -> RolloutPart:
    with workspace.session() as session:
        return _rollout(session, rollout_id).results.parts[server_id]


def _note(workspace: Workspace, rollout_id: int, server_id: str, **facts: object) -> None:
    with workspace.session() as session:
        rollout = _rollout(session, rollout_id)
        rollout.results = rollout.results.with_part(server_id, **facts)
    workspace.publish("rollout", {"rollout": rollout_id})


def _end(workspace: Workspace, rollout_id: int, state: str, outcome: str) -> None:
    with workspace.session() as session:
        rollout = _rollout(session, rollout_id)
        rollout.state, rollout.outcome, rollout.ended_at = state, outcome, workspace.now()
        note(workspace, session, rollout.person, f"rollout.{state}", None, f"{rollout.change_id}: {outcome}")
    workspace.publish("rollout", {"rollout": rollout_id})


def _rollout(session: Session, rollout_id: int) -> Rollout:
    rollout = session.get(Rollout, rollout_id)
    if rollout is None:
        raise NotFound(f"There is no rollout {rollout_id}.")
    return rollout


def get_rollout(session: Session, rollout_id: int) -> Rollout:
    """Raises NotFound."""
    return _rollout(session, rollout_id)


def list_rollouts(session: Session) -> list[Rollout]:
    """All rollouts, the newest first."""
    return list(session.scalars(select(Rollout).order_by(Rollout.id.desc()).limit(100)))


# --- the grid ---------------------------------------------------------------------------------------------------------
