"""Servers: adding them, finding them, how they are maintained."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.nearest import did_you_mean
from zerrit.core.paths import safe_path
from zerrit.databases import checked_url, is_table_name
from zerrit.records import Gamebook as GamebookRow
from zerrit.records import Server
from zerrit.settings import (
    AnyConnection,
    AnyControl,
    AnyDatabase,
    IdentifiedConnection,
    Kind,
    Maintenance,
    ManualConnection,
    ManualControl,
    NoDatabase,
    TablesDatabase,
)
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused, WrongState
from zerrit.work.base.run_records import require_no_run
from zerrit.work.base.workspace import Workspace
from zerrit.work.servers.controls import control_of
from zerrit.work.servers.stored_gamebooks import ID_FORM, list_gamebooks


@dataclass(frozen=True, slots=True)
class ServerSettings:
    """What an admin says of a server. An empty secret means the one that is stored, and no database the one that is known."""

    title: str
    gamebook: str | None
    connection: AnyConnection
    connection_secret: str = field(repr=False)
    control: AnyControl
    control_secret: str = field(repr=False)
    database: AnyDatabase | None = None
    database_secret: str = field(default="", repr=False)
    maintenance: Maintenance = field(default_factory=Maintenance)


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
    server.database, server.database_secret = NoDatabase(), None
    _settle(workspace, server, given)
    with workspace.session() as session:
        session.add(server)
        note(workspace, session, person, "server.added", server_id, f"{server.title}, by {given.connection.kind}")
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
    connection, known = given.connection, server.connection
    is_open = isinstance(connection, IdentifiedConnection) and not connection.identity
    if is_open and isinstance(known, IdentifiedConnection) and known.is_same_host(connection):
        # Left empty, it stays as it is stored; another one has to be given.
        given = replace(given, connection=connection.model_copy(update={"identity": known.identity}))
    _require_own_secret(given.connection, given.connection_secret, known, server.connection_secret, _ASK_CONNECTION)
    _require_own_secret(given.control, given.control_secret, server.control, server.control_secret, _ASK_CONTROL)
    if given.database is not None:
        _require_own_secret(
            given.database, given.database_secret, server.database, server.database_secret, _ASK_DATABASE
        )
    _settle(workspace, server, given)
    with workspace.writing() as session:
        require_no_run(session, server_id)  # it may have begun while the settings were tried
        session.merge(server)
        note(workspace, session, person, "server.changed", server_id, f"{server.title}, by {given.connection.kind}")
    workspace.publish("server", {"server": server_id})
    return server


_ASK_CONNECTION: Final = "Give the connection's password again: the saved one is only used for the host, port, key and user that it was given for."
_ASK_DATABASE: Final = "Give the password of the database again: the saved one is only used for the host, port and user that it was given for."
_ASK_CONTROL: Final = "Give the control's token again: the saved one is only used for the address (scheme, host and port) that it was given for."


def _require_own_secret(settings: Kind, secret: str, known: Kind, stored: bytes | None, refusal: str) -> None:
    """A stored secret goes only to whom it was given for."""
    if settings.secret is not None and not secret and stored and settings.recipient != known.recipient:
        raise Refused(refusal)


def _settle(workspace: Workspace, server: Server, given: ServerSettings) -> None:
    """Put the settings on the server and try them."""
    server.title = given.title or server.id
    server.gamebook = given.gamebook
    server.connection, server.control, server.maintenance = given.connection, given.control, given.maintenance
    server.connection_secret = _sealed(workspace, given.connection, given.connection_secret, server.connection_secret)
    server.control_secret = _sealed(workspace, given.control, given.control_secret, server.control_secret)
    if given.database is not None:
        server.database = given.database
        server.database_secret = _sealed(workspace, given.database, given.database_secret, server.database_secret)
    _require_fitting_database(server)
    with workspace.connection_to(server) as connection:
        # What the host showed at first is what it has to show from now on.
        shown = getattr(connection, "identity", "")
        if isinstance(server.connection, IdentifiedConnection):
            server.connection = server.connection.model_copy(update={"identity": shown})
        for place in given.maintenance.crash_places:
            workspace.connection_to(server, folder=place).close()
        if isinstance(server.database, TablesDatabase):
            connection.read(server.database.shown_as)
    if not isinstance(server.control, ManualControl):
        control_of(workspace, server).state()


def _require_fitting_database(server: Server) -> None:
    """Raises Refused: the settings of the database cannot be used."""
    if not isinstance(server.database, TablesDatabase):
        return
    if isinstance(server.connection, ManualConnection):
        raise Refused(
            "You transfer the files of this server yourself, so rows of a database would be written before the files that belong to "
            "them. Give it another connection, or no database."
        )
    try:
        checked_url(server.database.database)
        safe_path(server.database.shown_as)
    except ValueError as error:
        raise Refused(f"The database cannot be used: {error}") from error
    odd = next((name for name in server.database.tables if not is_table_name(name)), None)
    if odd is not None:
        raise Refused(
            f"`{odd}` is not a valid name of a table. Write it as the database has it, such as crates or game.crates."
        )


def _sealed(workspace: Workspace, settings: Kind, secret: str, stored: bytes | None) -> bytes | None:
    """The secret as it is stored from now on: the one that is given, else the one that was stored, if any is needed."""
    if settings.secret is None:
        return None
    return workspace.vault.seal(secret) if secret else stored


def accept_identity(workspace: Workspace, person: str, server_id: str, identity: str) -> Server:
    """Accept another certificate or key of the host; the connection is tried with it.

    Raises NotFound, Refused: the connection has none. ConnectionFailed: the host shows yet another one.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        session.expunge(server)
    if not isinstance(server.connection, IdentifiedConnection):
        raise Refused(
            f"The connection of {server_id} ({server.connection.kind}) has no certificate or key that could be accepted."
        )
    server.connection = server.connection.model_copy(update={"identity": identity})
    workspace.connection_to(server).close()
    with workspace.writing() as session:
        require_no_run(session, server_id)
        session.merge(server)
        note(workspace, session, person, "server.accepted", server_id, identity)
    workspace.publish("server", {"server": server_id})
    return server


def notes_of(server: Server) -> list[str]:
    """What one should know of a server as it is set up."""
    return [*server.connection.notes, *server.control.notes]


def _require_gamebook(session: Session, name: str | None) -> None:
    if name is not None and session.get(GamebookRow, name) is None:
        names = [row.name for row in list_gamebooks(session)]
        raise NotFound(
            f"There is no gamebook {name or 'without a name; leave it out to have none'}. {did_you_mean(name, names)}".strip()
        )


def get_server(session: Session, server_id: str) -> Server:
    """Raises NotFound, with the nearest id."""
    server = session.get(Server, server_id)
    if server is None:
        known = [row.id for row in list_servers(session)]
        raise NotFound(f"There is no server {server_id}. {did_you_mean(server_id, known)}".strip())
    return server


def list_servers(session: Session) -> list[Server]:
    """All servers by id."""
    return list(session.scalars(select(Server).order_by(Server.id)))
