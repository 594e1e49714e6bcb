"""
Review of all settings: which of them no one has looked at since the defaults that they came with.

A setting counts as read when a person marks it, or when it is no longer as shipped, since then someone wrote it. A
mark holds for the default that the setting had; when an upgrade brings another one, or a new setting, it comes up by
itself.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from hashlib import sha256

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.documents import Document, Node
from zerrit.core.nearest import did_you_mean
from zerrit.records import ReadMark, Server
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.snapshots import documents, require_defaults, require_latest


@dataclass(frozen=True, slots=True)
class Setting:
    """One setting. `state`: `unread`, `read` (marked by `person`) or `own` (someone gave it another value)."""

    address: str
    line: int
    value: str
    default: str
    comment: str
    note: str
    state: str
    person: str = ""
    at: datetime | None = None


@dataclass(frozen=True, slots=True)
class FileReview:
    """How far the review of a file is."""

    path: str
    settings: int
    unread: int
    purpose: str


def review_files(workspace: Workspace, server_id: str) -> list[FileReview]:
    """Every file with settings that came with the defaults, and how many of them no one has read. Raises NotFound."""
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        here, shipped, marks = _sides(workspace, session, server)
        found = []
        for path in sorted(here.keys() & shipped.keys()):
            settings = _settings(path, here[path], shipped[path], marks)
            if settings:
                rules = gamebook.file(path) if gamebook is not None else None
                unread = sum(one.state == "unread" for one in settings)
                found.append(FileReview(path, len(settings), unread, rules.purpose if rules else ""))
    return found


def review_file(workspace: Workspace, server_id: str, path: str) -> list[Setting]:
    """The settings of one file, in its order. Raises NotFound."""
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        here, shipped, marks = _sides(workspace, session, server)
        if path not in here or path not in shipped:
            close = did_you_mean(path, here.keys() & shipped.keys())
            raise NotFound(f"{server_id} has no file {path} that came with the defaults. {close}".rstrip())
        notes = {}
        for node in here[path].root.walk():
            rules = gamebook.field_rules(path, node) if gamebook is not None and node.value is not None else None
            if rules is not None and rules.note:
                notes[here[path].keys.address_of(node)] = rules.note
        return _settings(path, here[path], shipped[path], marks, notes)


def mark_read(workspace: Workspace, person: str, server_id: str, path: str, addresses: Iterable[str] | None) -> int:
    """Mark settings of a file as read, or all of them; returns how many were unread before.

    Raises NotFound. Refused: one of the addresses is not a setting of the file.
    """
    settings = {one.address: one for one in review_file(workspace, server_id, path)}
    wanted = list(settings) if addresses is None else list(addresses)
    for address in wanted:
        if address not in settings:
            close = did_you_mean(address, settings)
            raise Refused(f"{address} is not a setting of {path} that came with the defaults. {close}".rstrip())
    chosen = [settings[address] for address in wanted if settings[address].state == "unread"]
    with workspace.session() as session:
        for setting in chosen:
            session.merge(
                ReadMark(
                    server_id=server_id,
                    address=setting.address,
                    default_digest=_digest(setting.default),
                    person=person,
                    at=workspace.now(),
                )
            )
        if chosen:
            note(workspace, session, person, "settings.read", server_id, f"{len(chosen)} of {path}")
    return len(chosen)


def _sides(
    workspace: Workspace, session: Session, server: Server
) -> tuple[Mapping[str, Document], Mapping[str, Document], Mapping[str, ReadMark]]:
    here = documents(workspace, session, server, require_latest(session, server.id))
    shipped = documents(workspace, session, server, require_defaults(session, server.id, None))
    marks = {mark.address: mark for mark in session.scalars(select(ReadMark).where(ReadMark.server_id == server.id))}
    return here, shipped, marks


def _settings(
    path: str,
    here: Document,
    shipped: Document,
    marks: Mapping[str, ReadMark],
    notes: Mapping[str, str] | None = None,
) -> list[Setting]:
    defaults = {shipped.keys.address_of(node): node.value or "" for node in _single_values(shipped)}
    found = []
    for node in _single_values(here):
        place = here.keys.address_of(node)
        if place not in defaults:
            continue
        address, value, default = f"{path}#{place}", node.value or "", defaults[place]
        mark = marks.get(address)
        is_read = mark is not None and mark.default_digest == _digest(default)
        state = "own" if value != default else "read" if is_read else "unread"
        person, at = (mark.person, mark.at) if mark is not None and is_read else ("", None)
        comment = node.comment
        help_text = (notes or {}).get(place, "")
        found.append(Setting(address, here.line_of(node), value, default, comment, help_text, state, person, at))
    return found


def _single_values(document: Document) -> list[Node]:
    """The values that are settings: those that belong to no repeated entry. Lines of text files are none."""
    found: list[Node] = []
    stack = [document.root]
    while stack:
        node = stack.pop()
        for child in node.children:
            if child.name == "line" or (child.parent is not None and document.keys.is_repeated(child.names)):
                continue
            if child.value is not None:
                found.append(child)
            if child.has_children:
                stack.append(child)
    return sorted(found, key=lambda node: node.start)


def _digest(default: str) -> str:
    return sha256(default.encode()).hexdigest()
