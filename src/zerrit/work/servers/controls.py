"""The control of a server, and what a person says of a game that is stopped and started manually."""

from __future__ import annotations

import contextlib
from typing import Any, assert_never

from zerrit import settings as kinds
from zerrit.control import (
    Act,
    CommandControl,
    ConsoleControl,
    Control,
    ControlError,
    GameState,
    HttpHook,
    ManualControl,
)
from zerrit.records import Server
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused, WrongState
from zerrit.work.base.workspace import Workspace
from zerrit.work.servers.game_log import look_at_log
from zerrit.work.servers.stored_gamebooks import gamebook_of


def control_of(workspace: Workspace, server: Server) -> Control:
    """The control of a server. Raises Refused."""
    settings, secret = server.control, workspace.secret(server.control_secret)
    match settings:
        case kinds.HttpControl(url=url):
            return HttpHook(url, secret)
        case kinds.CommandControl(commands=commands, use_shell=use_shell):
            workspace.bounds.require_commands()
            patience = server.maintenance.patience or workspace.patience
            return CommandControl(commands.model_dump(), use_shell=use_shell, timeout=patience)
        case kinds.ConsoleControl(host=host, port=port, commands=typed, start=start):
            if start:
                workspace.bounds.require_commands()
            return ConsoleControl(host, port, secret, typed.model_dump(), start=start)
        case kinds.ManualControl():
            return ManualControl(lambda: _looked_at(workspace, server.id))
        case _:
            assert_never(settings)


def game_state(workspace: Workspace, server_id: str) -> tuple[GameState, int | None]:
    """What a control says of its game, and how many play; None where the game is stopped or they are not counted.

    Raises NotFound, Refused, ControlError.
    """
    with workspace.session() as session:
        server = session.get(Server, server_id)
        if server is None:
            raise NotFound(f"There is no server {server_id}.")
    control = control_of(workspace, server)
    state = control.state()
    players = None
    if state.is_running and Act.PLAYERS in control.can - control.is_manual:
        with contextlib.suppress(ControlError):  # that it runs is known; a count that fails says nothing against it
            players = control.players()
    return state, players


def _looked_at(workspace: Workspace, server_id: str) -> GameState:
    """What speaks for it that a game runs or not: its log; or what a person said since the log was written last."""
    server, said = _said(workspace, server_id)
    seen = _seen(workspace, server)
    if said and (seen is None or said.get("against") == seen.word):
        word = f"{'runs' if said['is_running'] else 'is stopped'}, says {said['person']}"
        return GameState(bool(said["is_running"]), word)
    return seen or GameState(False, "no one has said yet whether it runs, and its log does not say")


def _said(workspace: Workspace, server_id: str) -> tuple[Server, dict[str, Any]]:
    with workspace.session() as session:
        server = session.get(Server, server_id)
        if server is None:
            raise NotFound(f"There is no server {server_id}.")
        return server, dict(server.reported)


def _seen(workspace: Workspace, server: Server) -> GameState | None:
    with workspace.session() as session:
        gamebook, _ = gamebook_of(session, server)
    with workspace.connection_to(server) as connection:
        return look_at_log(connection, gamebook)


def report_state(
    workspace: Workspace, person: str, server_id: str, *, is_running: bool, is_sure: bool = False
) -> GameState:
    """A person says that a game runs, or that it is stopped. What its log says against it is held up to them once.

    Raises NotFound, Refused: the server has a control that knows. WrongState: its log says otherwise, and they are not sure.
    """
    server, _ = _said(workspace, server_id)
    if not isinstance(server.control, kinds.ManualControl):
        raise Refused(f"The control of {server_id} reports the state of its game already.")
    seen = _seen(workspace, server)
    if seen is not None and seen.is_running != is_running and not is_sure:
        raise WrongState(
            f"{server_id} {seen.word}. Show its log as it is now; or, if you are sure, say so once more as sure: "
            f"zerrit server report {server_id} {'running' if is_running else 'stopped'} --sure"
        )
    with workspace.session() as session:
        row = session.get_one(Server, server_id)
        row.reported = {"is_running": is_running, "person": person, "against": seen.word if seen is not None else ""}
        word = "runs" if is_running else "is stopped"
        note(
            workspace,
            session,
            person,
            "server.reported",
            server_id,
            f"{word}; {seen.word if seen else 'its log is silent'}",
        )
    workspace.publish("server", {"server": server_id})
    return control_of(workspace, row).state()
