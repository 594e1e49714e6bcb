"""The gamebooks that are kept: putting one, finding that of a server."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.errors import GamebookInvalid
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.records import Gamebook as GamebookRow
from zerrit.records import Server, load_content, store_content
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace

ID_FORM: Final = re.compile(r"[a-z0-9][a-z0-9-]{0,62}\Z")


def save_gamebook(workspace: Workspace, person: str, name: str, text: str) -> Gamebook:
    """Keep a gamebook under a name; what was there under it stays in the content store.

    Raises GamebookInvalid: it has mistakes; the message holds all of them with their lines.
    """
    if not ID_FORM.match(name):
        raise Refused(f"`{name}` is not a name for a gamebook: small letters, digits and hyphens.")
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
    """All gamebooks by name."""
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
