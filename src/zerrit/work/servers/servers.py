"""Servers: adding them, finding them, how they are looked after."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Final
from urllib.parse import urlsplit

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.connections import FtpsConnection, SftpConnection
from zerrit.core.nearest import did_you_mean
from zerrit.records import Gamebook as GamebookRow
from zerrit.records import Server
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused, WrongState
from zerrit.work.base.run_records import require_no_run
from zerrit.work.base.workspace import Workspace
from zerrit.work.servers.controls import control_of
from zerrit.work.servers.stored_gamebooks import ID_FORM, list_gamebooks


@dataclass(frozen=True, slots=True)
class ServerSettings:
    """What an admin says of a server. An empty secret means the one that is kept, None that none is needed."""

    title: str
    gamebook: str | None
    connection: Mapping[str, Any]
    connection_secret: str | None = field(repr=False)
    control: Mapping[str, Any]
    control_secret: str | None = field(repr=False)
    maintenance: Mapping[str, Any] = field(default_factory=dict)


def add_server(workspace: Workspace, person: str, server_id: str, given: ServerSettings) -> Server:
    """Add a server. Connection and control are tried once, so that a wrong password shows here and not at the first deploy.

    Raises Refused, WrongState, NotFound, ConnectionFailed, ControlError.
    """
    if not ID_FORM.match(server_id):
        raise Refused(f"`{server_id}` is not a server id: small letters, digits and hyphens, such as my-server.")
    with workspace.session() as session:
        if session.get(Server, server_id) is not None:
            raise WrongState(f"There is a server {server_id} already. Choose another id.")
        _require_gamebook(session, given.gamebook)
    server = Server(id=server_id, created_at=workspace.now(), connection_secret=None, control_secret=None, reported={})
    _settle(workspace, server, given)
    with workspace.session() as session:
        session.add(server)
        note(workspace, session, person, "server.added", server_id, f"{server.title}, by {given.connection['kind']}")
    return server


def change_server(workspace: Workspace, person: str, server_id: str, given: ServerSettings) -> Server:
    """Give a server other settings; they are tried like those of a new one, and the old ones stay when they fail.

    Raises Refused: a kept secret would go to another host or user. NotFound, ConnectionFailed, ControlError.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        _require_gamebook(session, given.gamebook)
        require_no_run(session, server_id)
        session.expunge(server)
    if (
        "identity" in given.connection
        and not given.connection["identity"]
        and _is_same_host(given.connection, server.connection)
    ):
        # Left empty, it stays as it is kept; another one has to be given.
        given = replace(given, connection={**given.connection, "identity": server.connection.get("identity", "")})
    if (
        given.connection_secret == ""
        and server.connection_secret
        and _whom(given.connection) != _whom(server.connection)
    ):
        raise Refused(
            "Give the connection's password again: a kept one is only used for the host, port, key and "
            "user that it was given for."
        )
    if given.control_secret == "" and server.control_secret and _whom(given.control) != _whom(server.control):
        raise Refused(
            "Give the control's token again: a kept one is only used for the address (scheme, host and port) that it was "
            "given for."
        )
    _settle(workspace, server, given)
    with workspace.writing() as session:
        require_no_run(session, server_id)  # it may have begun while the settings were tried
        session.merge(server)
        note(workspace, session, person, "server.changed", server_id, f"{server.title}, by {given.connection['kind']}")
    workspace.publish("server", {"server": server_id})
    return server


def _settle(workspace: Workspace, server: Server, given: ServerSettings) -> None:
    """Put the settings on the server and try them."""
    server.title = given.title or server.id
    server.gamebook = given.gamebook
    server.connection, server.control, server.maintenance = (
        dict(given.connection),
        dict(given.control),
        dict(given.maintenance),
    )
    if given.connection_secret != "":
        server.connection_secret = _sealed(workspace, given.connection_secret)
    if given.control_secret != "":
        server.control_secret = _sealed(workspace, given.control_secret)
    with workspace.connection_to(server) as connection:
        # What the host showed at first is what it has to show from now on.
        if isinstance(connection, FtpsConnection | SftpConnection):
            server.connection = server.connection | {"identity": connection.identity}
        for place in given.maintenance.get("crash_places", ()):
            workspace.connection_to(server, folder=place).close()
    if server.control["kind"] != "manual":
        control_of(workspace, server).state()


def _sealed(workspace: Workspace, secret: str | None) -> bytes | None:
    return workspace.vault.seal(secret) if secret is not None else None


def accept_identity(workspace: Workspace, person: str, server_id: str, identity: str) -> Server:
    """Accept another certificate or key of the host; the connection is tried with it.

    Raises NotFound, Refused: the connection has none. ConnectionFailed: the host shows yet another one.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        session.expunge(server)
    if "identity" not in server.connection:
        raise Refused(
            f"The connection of {server_id} ({server.connection['kind']}) has no certificate or key that could be accepted."
        )
    server.connection = server.connection | {"identity": identity}
    workspace.connection_to(server).close()
    with workspace.writing() as session:
        require_no_run(session, server_id)
        session.merge(server)
        note(workspace, session, person, "server.accepted", server_id, identity)
    workspace.publish("server", {"server": server_id})
    return server


CLEAR_TEXT: Final = "FTP sends the password and all files in clear text; use FTPS or SFTP where the host offers it."


def notes_of(server: Server) -> list[str]:
    """What one should know of a server as it is set up."""
    notes = [CLEAR_TEXT] if server.connection["kind"] == "ftp" else []
    notes += (
        ["Its commands pass through a shell; what is in them is carried out as it is written."]
        if server.control.get("use_shell")
        else []
    )
    return notes


def _whom(settings: Mapping[str, Any]) -> tuple[object, ...]:
    """To whom a secret of these settings goes: kind, scheme, host, port, user, and the key that the host must show."""
    address = urlsplit(settings.get("url", ""))
    try:
        port = address.port or {"http": 80, "https": 443}.get(address.scheme)
    except ValueError:
        port = None
    return (
        settings["kind"],
        address.scheme,
        (settings.get("host") or address.hostname or "").lower(),
        settings.get("port") or port,
        settings.get("user"),
        settings.get("identity"),
    )


def _is_same_host(one: Mapping[str, Any], other: Mapping[str, Any]) -> bool:
    return all(one.get(name) == other.get(name) for name in ("kind", "host", "port"))


def _require_gamebook(session: Session, name: str | None) -> None:
    if name and session.get(GamebookRow, name) is None:
        names = [row.name for row in list_gamebooks(session)]
        raise NotFound(f"There is no gamebook {name}. {did_you_mean(name, names)}".strip())


def get_server(session: Session, server_id: str) -> Server:
    """Raises NotFound, with the nearest id."""
    server = session.get(Server, server_id)
    if server is None:
        known = [row.id for row in list_servers(session)]
        raise NotFound(f"There is no server {server_id}. {did_you_mean(server_id, known)}".strip())
    return server


def list_servers(session: Session) -> list[Server]:
    return list(session.scalars(select(Server).order_by(Server.id)))
