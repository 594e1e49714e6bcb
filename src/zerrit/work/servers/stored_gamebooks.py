"""The gamebooks that are kept: putting one, finding that of a server."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache
from hashlib import sha256
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.checks.cases import failed_cases
from zerrit.core.errors import GamebookInvalid
from zerrit.core.gamebooks import MOST_BASES, Gamebook, read_gamebook
from zerrit.records import Gamebook as GamebookRow
from zerrit.records import Server, load_content, store_content
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace

_EXTENDS: Final = re.compile(rb"^extends:[ \t]*([^\r\n#]+)", re.MULTILINE)
ID_FORM: Final = re.compile(r"[a-z0-9][a-z0-9-]{0,62}\Z")


def save_gamebook(workspace: Workspace, person: str, name: str, text: str) -> Gamebook:
    """Keep a gamebook under a name; what was there under it stays in the content store.

    Raises GamebookInvalid: it has mistakes; the message holds all of them with their lines.
    """
    if not ID_FORM.match(name):
        raise Refused(f"`{name}` is not a name for a gamebook: small letters, digits and hyphens.")
    with workspace.session() as session:
        gamebook, faults = read_gamebook(text.encode(), f"{name}.yml", kept_bases(session), (name,))
    if gamebook is None:
        listed = "; ".join(f"line {f.line}: {f.message} {f.hint}".rstrip() for f in faults[:10])
        raise GamebookInvalid(f"The gamebook {name} cannot be used: {listed}")
    failed = failed_cases(gamebook)
    if failed:
        listed = "; ".join(f"line {one.line}: {one}" for one in failed[:10])
        raise GamebookInvalid(f"{len(failed)} of the cases of {name} failed: {listed}")
    with workspace.session() as session:
        digest = store_content(session, text.encode())
        session.merge(GamebookRow(name=name, digest=digest, updated_at=workspace.now()))
        note(workspace, session, person, "gamebook.put", None, name)
    return gamebook


def list_gamebooks(session: Session) -> list[GamebookRow]:
    """All gamebooks by name."""
    return list(session.scalars(select(GamebookRow).order_by(GamebookRow.name)))


def gamebook_of(session: Session, server: Server) -> tuple[Gamebook | None, str]:
    """The gamebook of a server and the digest of its text, with those that it builds on; None and empty where it has none."""
    row = session.get(GamebookRow, server.gamebook) if server.gamebook else None
    if row is None:
        return None, ""
    data = load_content(session, row.digest)
    bases = _bases(session, data)
    digest = sha256("\n".join((row.digest, *map(repr, bases))).encode()).hexdigest() if bases else row.digest
    return _kept_gamebook(data, f"{row.name}.yml", bases), digest


def kept_bases(session: Session) -> Callable[[str], bytes | None]:
    """What gives a kept gamebook by its name, for those that build on it."""

    def base_of(name: str) -> bytes | None:
        row = session.get(GamebookRow, name)
        return load_content(session, row.digest) if row is not None else None

    return base_of


def _bases(session: Session, data: bytes) -> tuple[tuple[str, bytes], ...]:
    """The gamebooks on which one builds, the nearest first."""
    base_of = kept_bases(session)
    found: dict[str, bytes] = {}
    while (named := _EXTENDS.search(data)) is not None:
        name = named.group(1).decode("utf-8", "replace").strip("\"' ")
        base = base_of(name) if name not in found and len(found) < MOST_BASES else None
        if base is None:
            break
        found[name] = data = base
    return tuple(found.items())


@lru_cache(maxsize=32)
def _kept_gamebook(data: bytes, path: str, bases: tuple[tuple[str, bytes], ...]) -> Gamebook | None:
    """A gamebook that was kept; nearly every use case asks for it, and reading it takes longer than most of them."""
    return read_gamebook(data, path, dict(bases).get)[0]
