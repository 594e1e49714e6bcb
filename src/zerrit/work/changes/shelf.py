"""The shelf: snippets that are kept with their origin and parameters, put into files, and brought up to date where they were put."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zerrit.core.documents import Document
from zerrit.core.errors import ZerritError
from zerrit.core.merge import (
    ActionKind,
    Existing,
    Taking,
    apply_plan,
    filled,
    merge_three,
    plan_merge,
    require_parameters,
)
from zerrit.core.states import ChangeState
from zerrit.core.steps import Step, StepKind
from zerrit.core.wildcards import path_matches
from zerrit.records import Change, ShelfSnippet, ShelfUse
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import SeenMerge, add_step, create_with_steps, get_change, preview_merge, worked_out
from zerrit.work.servers.servers import get_server
from zerrit.work.snapshots.snapshots import digests, documents_of, require_latest

_NAME: Final = re.compile(r"[a-z0-9][a-z0-9-]{0,79}\Z")
MOST_KEPT: Final = 2000
_IDLE: Final = (ActionKind.SAME, ActionKind.SKIP)


@dataclass(frozen=True, slots=True)
class Kept:
    """A snippet on the shelf. `path` is the file, or the pattern of files, that it is for; `into` the group in it."""

    name: str
    text: str
    title: str = ""
    origin: str = ""
    path: str = ""
    into: str = ""
    parameters: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Use:
    """Where a snippet is, and what differs there from what is on the shelf now, by address; `fault`: it cannot be told, and why.

    `is_outdated`: the snippet was changed on the shelf since.
    """

    row: ShelfUse
    differs: tuple[str, ...]
    is_outdated: bool
    fault: str = ""


@dataclass(frozen=True, slots=True)
class Updated:
    """What bringing one place up to date does. `change` is the change that was created for it; `fault`: it is not possible, and why."""

    server: str
    path: str
    places: int
    change: int | None = None
    fault: str = ""


def keep(workspace: Workspace, person: str, kept: Kept) -> ShelfSnippet:
    """Put a snippet on the shelf, or a newer text under its name.

    Raises Refused, SnippetRefused: its name, or a parameter, is not one, or the shelf is full.
    """
    if not _NAME.match(kept.name):
        raise Refused(
            f"`{kept.name}` is not a name for the shelf; write small letters, digits and hyphens, such as cold-start."
        )
    if not kept.text.strip():
        raise Refused("The snippet is empty. Paste the block that is to be kept.")
    require_parameters(kept.text, kept.parameters)
    with workspace.writing() as session:
        row = session.scalar(select(ShelfSnippet).where(ShelfSnippet.name == kept.name))
        now = workspace.now()
        if row is None:
            if (session.scalar(select(func.count(ShelfSnippet.id))) or 0) >= MOST_KEPT:
                raise Refused(f"The shelf holds {MOST_KEPT:,} snippets, and no more. Remove some.")
            row = ShelfSnippet(name=kept.name, person=person, kept_at=now)
            session.add(row)
        row.title = kept.title.strip()[:200] or kept.name
        row.origin, row.path, row.into = kept.origin[:500], kept.path, kept.into
        row.text, row.parameters, row.changed_at = kept.text, dict(kept.parameters), now
        session.flush()
        note(workspace, session, person, "shelf.kept", None, f"{kept.name}: {row.title}")
    return row


def list_kept(session: Session) -> list[tuple[ShelfSnippet, int]]:
    """Every snippet on the shelf by name, with the number of places where it was put."""
    uses = select(func.count(ShelfUse.id)).where(ShelfUse.snippet_id == ShelfSnippet.id).scalar_subquery()
    return [(row, many) for row, many in session.execute(select(ShelfSnippet, uses).order_by(ShelfSnippet.name))]


def get_kept(session: Session, name: str) -> ShelfSnippet:
    """A snippet on the shelf. Raises NotFound."""
    row = session.scalar(select(ShelfSnippet).where(ShelfSnippet.name == name))
    if row is None:
        raise NotFound(f"Nothing on the shelf is called {name}. `zerrit shelf list` lists what is there.")
    return row


def remove(workspace: Workspace, person: str, name: str) -> None:
    """Take a snippet off the shelf; files into which it was put stay as they are. Raises NotFound."""
    with workspace.writing() as session:
        row = get_kept(session, name)
        session.delete(row)
        note(workspace, session, person, "shelf.removed", None, name)


# --- putting it somewhere ---------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Placed:
    """Where and how a snippet of the shelf is put. Without a `path`, it goes into the one file that it is for."""

    values: Mapping[str, str] = field(default_factory=dict)
    path: str = ""
    into: str = ""
    take: Sequence[str] = ()
    existing: str = Existing.COMBINE
    choices: Mapping[str, str] = field(default_factory=dict)


def plan(workspace: Workspace, change_id: int, name: str, placed: Placed) -> SeenMerge:
    """What putting a snippet into a change would do. Raises NotFound, Refused, SnippetRefused."""
    with workspace.session() as session:
        row = get_kept(session, name)
        path = _path(workspace, session, change_id, row, placed.path)
    text = filled(row.text, row.parameters, placed.values)
    taking = Taking(tuple(placed.take), Existing(placed.existing))
    return preview_merge(workspace, change_id, path, text, placed.into or row.into, taking)


def put(workspace: Workspace, person: str, change_id: int, name: str, placed: Placed) -> Change:
    """Add a step to a change that merges a snippet of the shelf, and remember where it is.

    Raises NotFound, WrongState, Refused, SnippetRefused.
    """
    with workspace.session() as session:
        row = get_kept(session, name)
        path = _path(workspace, session, change_id, row, placed.path)
    text = filled(row.text, row.parameters, placed.values)
    into = placed.into or row.into
    step = Step(
        StepKind.MERGE,
        path,
        snippet=text,
        into=into,
        origin=f"{row.title} of the shelf" + (f", {row.origin}" if row.origin else ""),
        choices=dict(placed.choices),
        take=tuple(placed.take),
        existing=placed.existing,
    )
    change = add_step(workspace, person, change_id, step)
    with workspace.writing() as session:
        used = select(ShelfUse).where(
            ShelfUse.snippet_id == row.id, ShelfUse.server_id == change.server_id, ShelfUse.path == path
        )
        known = [one for one in session.scalars(used) if one.values == dict(placed.values)]
        use = known[0] if known else ShelfUse(snippet_id=row.id, server_id=change.server_id, path=path)
        use.into, use.values, use.text = into, dict(placed.values), text
        use.change_id, use.person, use.used_at = change_id, person, workspace.now()
        session.add(use)
    return change


def _path(workspace: Workspace, session: Session, change_id: int, row: ShelfSnippet, path: str) -> str:
    if path:
        return path
    if not row.path:
        raise Refused(f"{row.name} does not say which file it is for. Name one.")
    known = worked_out(workspace, session, get_change(session, change_id)).replayed.documents
    found = [one for one in known if path_matches(row.path, one)]
    if len(found) != 1:
        listed = f": {', '.join(found[:6])}" if found else ""
        raise Refused(
            f"{row.name} is for {row.path}, and {len(found)} files are called so{listed}. Name the one that is meant."
        )
    return found[0]


# --- where it is ------------------------------------------------------------------------------------------------------


def uses_of(workspace: Workspace, name: str, server_id: str = "") -> list[Use]:
    """Where a snippet was put, beside what is on the shelf now. Raises NotFound."""
    with workspace.session() as session:
        row = get_kept(session, name)
        query = select(ShelfUse).where(ShelfUse.snippet_id == row.id).order_by(ShelfUse.server_id, ShelfUse.path)
        uses = [one for one in session.scalars(query) if server_id in ("", one.server_id)]
        return [_use(workspace, session, row, one) for one in uses]


def _use(workspace: Workspace, session: Session, row: ShelfSnippet, use: ShelfUse) -> Use:
    waits = _not_there(session, use)
    if waits:
        return Use(use, (), is_outdated=_text_now(row, use) != use.text, fault=waits)
    try:
        text = _text_now(row, use)
        document = _document(workspace, session, use)
        plan_now = plan_merge(document, text, use.into)
    except ZerritError as reason:
        return Use(use, (), is_outdated=True, fault=str(reason))
    differs = tuple(
        change.address for action in plan_now.actions if action.kind not in _IDLE for change in action.changes
    )
    return Use(use, differs, text != use.text)


_WAITING: Final = (ChangeState.DRAFT, ChangeState.CHECKED, ChangeState.QUEUED, ChangeState.DEPLOYING)
_ENDED: Final = {ChangeState.WITHDRAWN: "was withdrawn", ChangeState.ROLLED_BACK: "was rolled back"}


def _not_there(session: Session, use: ShelfUse) -> str:
    """Why what was put is not on the server, as far as the change with it says; empty where it is."""
    change = session.get(Change, use.change_id) if use.change_id is not None else None
    if change is None:
        return ""
    state = ChangeState(change.state)
    if state in _WAITING:
        return f"Change {change.id}, which puts it there, is not deployed yet."
    if state in _ENDED:
        return f"Change {change.id}, which was to put it there, {_ENDED[state]}. Put it into another change."
    return ""


def _text_now(row: ShelfSnippet, use: ShelfUse) -> str:
    values = {name: value for name, value in use.values.items() if name in row.parameters}
    return filled(row.text, row.parameters, values)


def _document(workspace: Workspace, session: Session, use: ShelfUse) -> Document:
    server = get_server(session, use.server_id)
    held = digests(session, require_latest(session, use.server_id))
    found = documents_of(workspace, session, server, {use.path: held[use.path]}) if use.path in held else {}
    if use.path not in found:
        raise NotFound(f"{use.server_id} has no file {use.path} any more.")
    return found[use.path]


def update(workspace: Workspace, person: str, name: str, *, create: bool = False) -> list[Updated]:
    """Bring what was changed on the shelf since into all places where the snippet was put; with `create`, create a change on each server for it.

    What was edited there in the meantime stays: only what differs between the text that was put there and that on the shelf is
    carried over, and where both changed the same value, the place is left and named. Raises NotFound.
    """
    with workspace.session() as session:
        row = get_kept(session, name)
        uses = list(session.scalars(select(ShelfUse).where(ShelfUse.snippet_id == row.id).order_by(ShelfUse.id)))
        works = [(use, *_update(workspace, session, row, use)) for use in uses]
    if not create:
        return [found for _, _, found in works]
    changes: dict[str, int | str] = {}  # of each server the change, or why there is none
    for server_id in dict.fromkeys(use.server_id for use, step, _ in works if step is not None):
        steps = [step for use, step, _ in works if step is not None and use.server_id == server_id]
        try:
            changes[server_id] = create_with_steps(
                workspace, person, server_id, f"Update of {row.title}"[:200], steps
            ).id
        except ZerritError as reason:
            changes[server_id] = str(reason)
    done: list[Updated] = []
    for use, step, found in works:
        change = changes.get(use.server_id) if step is not None else None
        if isinstance(change, str):
            done.append(Updated(use.server_id, use.path, 0, fault=change))
            continue
        if isinstance(change, int):
            with workspace.writing() as session:
                kept = session.get_one(ShelfUse, use.id)
                kept.text, kept.change_id = _text_now(row, use), change
                kept.used_at, kept.person = workspace.now(), person
        done.append(found if change is None else Updated(use.server_id, use.path, found.places, change))
    return done


def _update(workspace: Workspace, session: Session, row: ShelfSnippet, use: ShelfUse) -> tuple[Step | None, Updated]:
    """The step that carries the newer text to one place."""
    waits = _not_there(session, use)
    if waits:
        return None, Updated(use.server_id, use.path, 0, fault=waits)
    try:
        text = _text_now(row, use)
        if text == use.text:
            return None, Updated(use.server_id, use.path, 0)
        document = _document(workspace, session, use)
        base, theirs = (_with_all_of(document, one, use.into) for one in (use.text, text))
        merged = merge_three(base, document, theirs, {}, only_fitting=True)
    except ZerritError as reason:
        return None, Updated(use.server_id, use.path, 0, fault=str(reason))
    is_gone = not merged.applied and any(
        action.kind is ActionKind.ADD for action in plan_merge(document, text, use.into).actions
    )
    if merged.conflicts and merged.conflicts[0].address:
        first = merged.conflicts[0]
        what = "is not there any more" if first.mine is None else f"was edited here too: it is {first.mine}"
        fault = f"{first.address} {what}, the shelf has {first.theirs}"
        more = f", and {len(merged.conflicts) - 1} more" if len(merged.conflicts) > 1 else ""
        return None, Updated(use.server_id, use.path, 0, fault=f"{fault}{more}.")
    if merged.conflicts or is_gone:
        gone = "What was put there is not there any more, or cannot be told from what is beside it. Look at it, and put it again."
        return None, Updated(use.server_id, use.path, 0, fault=gone)
    step = Step(
        StepKind.MERGE_VERSION, use.path, base=base.text, content=theirs.text, origin=f"{row.title} of the shelf"
    )
    return (step if merged.applied else None), Updated(use.server_id, use.path, len(merged.applied))


def _with_all_of(document: Document, text: str, into: str) -> Document:
    """The file as it would be with a snippet put over what is there. Raises SnippetRefused."""
    planned = plan_merge(document, text, into)
    asked = {action.address: ActionKind.COMBINE for action in planned.actions if action.kind is ActionKind.ASK}
    return apply_plan(document, planned.decided(asked))
