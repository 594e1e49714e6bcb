"""Servers and gamebooks: adding them, finding them."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any, Final
from urllib.parse import urlsplit

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.errors import GamebookInvalid
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.core.nearest import did_you_mean
from zerrit.records import Gamebook as GamebookRow
from zerrit.records import Server, load_content, store_content
from zerrit.work.activity import note
from zerrit.work.errors import Conflict, NotFound, Refused
from zerrit.work.workspace import Workspace

_ID: Final = re.compile(r"[a-z0-9][a-z0-9-]{0,62}\Z")


def put_gamebook(workspace: Workspace, person: str, name: str, text: str) -> Gamebook:
    """Keep a gamebook under a name; what was there under it stays in the content store.

    Raises GamebookInvalid: it has mistakes; the message holds all of them with their lines.
    """
    if not _ID.match(name):
        raise Refused(f"`{name}` is no name for a gamebook: small letters, digits and hyphens.")
    gamebook, faults = read_gamebook(text.encode(), f"{name}.yml")
    if gamebook is None:
        listed = "; ".join(f"line {f.line}: {f.message} {f.hint}".rstrip() for f in faults[:10])
        raise GamebookInvalid(f"The gamebook {name} cannot be used: {listed}")
    with workspace.session() as session:
        digest = store_content(session, text.encode())
        session.merge(GamebookRow(name=name, digest=digest, updated_at=workspace.now()))
        note(workspace, session, person, "gamebook.put", None, name)
    return gamebook


def list_gamebooks(session: Session) -> list[GamebookRow]:
    return list(session.scalars(select(GamebookRow).order_by(GamebookRow.name)))


def gamebook_of(session: Session, server: Server) -> tuple[Gamebook | None, str]:
    """The gamebook of a server and the digest of its text; None and empty where it has none."""
    row = session.get(GamebookRow, server.gamebook) if server.gamebook else None
    if row is None:
        return None, ""
    return _kept_gamebook(load_content(session, row.digest), f"{row.name}.yml"), row.digest


@lru_cache(maxsize=32)
def _kept_gamebook(data: bytes, path: str) -> Gamebook | None:
    """A gamebook that was kept; nearly every use case asks for it, and reading it takes longer than most of them."""
    return read_gamebook(data, path)[0]


@dataclass(frozen=True, slots=True)
class ServerSettings:
    """What an admin says of a server. An empty secret means: the one that is kept."""

    title: str
    gamebook: str | None
    link: Mapping[str, Any]
    link_secret: str = field(repr=False)
    control: Mapping[str, Any]
    control_secret: str = field(repr=False)


def add_server(workspace: Workspace, person: str, server_id: str, given: ServerSettings) -> Server:
    """Add a server. Link and control are tried once, so that a wrong password shows here and not at the first deploy.

    Raises Refused, Conflict, NotFound, LinkError, ControlError.
    """
    if not _ID.match(server_id):
        raise Refused(f"`{server_id}` is no server id: small letters, digits and hyphens, such as coral-gate.")
    with workspace.session() as session:
        if session.get(Server, server_id) is not None:
            raise Conflict(f"There is a server {server_id} already. Choose another id.")
        _require_gamebook(session, given.gamebook)
    server = Server(id=server_id, created_at=workspace.now(), link_secret=None, control_secret=None)
    _settle(workspace, server, given)
    with workspace.session() as session:
        session.add(server)
        note(workspace, session, person, "server.added", server_id, f"{server.title}, by {given.link['kind']}")
    return server


def change_server(workspace: Workspace, person: str, server_id: str, given: ServerSettings) -> Server:
    """Give a server other settings; they are tried like those of a new one, and the old ones stay when they fail.

    Raises Refused: a kept secret would go to another host or user. NotFound, LinkError, ControlError.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        _require_gamebook(session, given.gamebook)
        session.expunge(server)
    if not given.link_secret and server.link_secret and _whom(given.link) != _whom(server.link):
        raise Refused("Give the link's password again: a kept one is only used for the host and user that it is for.")
    if not given.control_secret and server.control_secret and _whom(given.control) != _whom(server.control):
        raise Refused("Give the control's token again: a kept one is only used for the host that it is for.")
    _settle(workspace, server, given)
    with workspace.session() as session:
        session.merge(server)
        note(workspace, session, person, "server.changed", server_id, f"{server.title}, by {given.link['kind']}")
    workspace.publish("server", {"server": server_id})
    return server


def _settle(workspace: Workspace, server: Server, given: ServerSettings) -> None:
    """Put the settings on the server and try them."""
    server.title = given.title or server.id
    server.gamebook = given.gamebook
    server.link, server.control = dict(given.link), dict(given.control)
    if given.link_secret:
        server.link_secret = workspace.vault.seal(given.link_secret)
    if given.control_secret:
        server.control_secret = workspace.vault.seal(given.control_secret)
    with workspace.link_to(server):
        workspace.control_of(server).state()


def _whom(settings: Mapping[str, Any]) -> tuple[object, ...]:
    """To whom a secret of these settings goes: kind, host and user."""
    return settings["kind"], settings.get("host") or urlsplit(settings.get("url", "")).hostname, settings.get("user")


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
