"""Comparisons between states of servers, and of what a change makes of them."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.compare import Difference, compare_files, differences_at, require_place, text_difference
from zerrit.core.documents import Document
from zerrit.core.steps import replay
from zerrit.records import Run, RunChange, Snapshot
from zerrit.work.changes import EDITABLE, base_of, get_change, impossible_steps, reader, step_of, worked_out
from zerrit.work.errors import NotFound, Refused
from zerrit.work.kept_gamebooks import gamebook_of
from zerrit.work.servers import get_server
from zerrit.work.snapshots import (
    defaults_of,
    digests,
    documents,
    documents_of,
    get_snapshot,
    require_latest,
    take_live,
)
from zerrit.work.workspace import Workspace

_STATE: Final = re.compile(r"(?P<server>[^@]+)@(?:(?P<number>\d+)|(?P<word>live|latest)|defaults(?::(?P<label>.+))?)\Z")


@dataclass(frozen=True, slots=True)
class Comparison:
    """Two states of a server's files: by entry, and as text by path. `notes` say what else one should know."""

    differences: tuple[Difference, ...]
    texts: Mapping[str, str]
    old_name: str
    new_name: str
    notes: tuple[str, ...] = ()


def compare_change(workspace: Workspace, change_id: int, against: str) -> Comparison:
    """What the change does (`base`), what it would do to the files on the server now (`live`), or how its result
    differs from the defaults (`defaults` or `defaults:LABEL`).

    Raises NotFound, Refused, LinkError.
    """
    kind, _, label = against.partition(":")
    if kind == "live":
        return _compare_live(workspace, change_id)
    with workspace.session() as session:
        change = get_change(session, change_id)
        server = get_server(session, change.server_id)
        known = worked_out(workspace, session, change)
        after, new_name = known.replayed.documents, f"change {change.id}"
        if kind == "base":
            return compare_states(known.before, after, f"snapshot {change.base_id}", new_name)
        if kind == "defaults":
            defaults = require_defaults(session, server.id, label or None)
            shipped = documents(workspace, session, server, defaults)
            return compare_states(shipped, after, f"defaults {defaults.label}", new_name)
    raise Refused(f"`{against}` is nothing to compare with. Write base, live, defaults or defaults:LABEL.")


def _compare_live(workspace: Workspace, change_id: int) -> Comparison:
    """An open change is replayed on the live files, as its deploy would; of one that was deployed, what was written."""
    with workspace.session() as session:
        change = get_change(session, change_id)
        server = get_server(session, change.server_id)
        gamebook, _ = gamebook_of(session, server)
        steps = [step_of(row) for row in change.steps]
        base = digests(session, base_of(session, change))
        query = select(Run.after_id).join(RunChange).where(RunChange.change_id == change.id, Run.after_id.is_not(None))
        written = session.scalar(query.order_by(Run.id.desc()).limit(1))
        snapshot = session.get(Snapshot, written) if written is not None else None
        after: Mapping[str, Document] = documents(workspace, session, server, snapshot) if snapshot else {}
    taken = take_live(workspace, server).digests
    with workspace.session() as session:
        live = documents_of(workspace, session, server, {path: taken[path] for path in taken if path in base})
    read = reader(gamebook)
    drifted = [
        path
        for path in live
        if taken[path] != base[path] and not (gamebook is not None and gamebook.is_rewritten(path))
    ]
    notes: list[str] = []
    if change.state in EDITABLE:
        replayed = replay(live, steps, read)
        after = replayed.documents
        notes += impossible_steps(replayed)
        notes += [f"{path} on {server.id} is not as in snapshot {change.base_id} any more." for path in drifted]
    found = compare_states(live, after, f"{server.id}, live", f"change {change.id}")
    return replace(found, notes=tuple(notes))


def require_defaults(session: Session, server_id: str, label: str | None) -> Snapshot:
    found = defaults_of(session, server_id, label)
    if found is None:
        which = f"defaults {label}" if label else "defaults"
        raise NotFound(f"{server_id} has no {which} to compare with. Import the files that the game ships first.")
    return found


def compare_states(
    old: Mapping[str, Document], new: Mapping[str, Document], old_name: str, new_name: str
) -> Comparison:
    found = tuple(compare_files(old, new))
    texts: dict[str, str] = {}
    for path in sorted({difference.address.partition("#")[0] for difference in found}):
        before = old[path].text if path in old else ""
        after = new[path].text if path in new else ""
        texts[path] = text_difference(before, after, f"{path} ({old_name})", f"{path} ({new_name})")
    return Comparison(found, texts, old_name, new_name)


def compare_servers(workspace: Workspace, old: str, new: str, only: str) -> Comparison:
    """What differs between two states of servers, each SERVER@live, @latest, @NUMBER, @defaults or @defaults:LABEL.

    `only` is an address pattern that narrows it; empty for all.

    Raises NotFound, Refused: a state is written wrongly. AddressInvalid, AddressNotFound: `only`. LinkError.
    """
    before, old_name = _state(workspace, old)
    after, new_name = _state(workspace, new)
    found = compare_states(before, after, old_name, new_name)
    if not only:
        return found
    chosen = tuple(differences_at(found.differences, only))
    require_place(only, before, after)
    paths = {difference.address.partition("#")[0] for difference in chosen}
    return replace(found, differences=chosen, texts={p: text for p, text in found.texts.items() if p in paths})


def _state(workspace: Workspace, text: str) -> tuple[Mapping[str, Document], str]:
    """The files of a state, and what it is called."""
    match = _STATE.match(text)
    if match is None:
        raise Refused(
            f"`{text}` is no state of a server. Write SERVER@live, SERVER@latest, SERVER@12 (a snapshot), "
            "SERVER@defaults or SERVER@defaults:LABEL."
        )
    with workspace.session() as session:
        server = get_server(session, match["server"])
        if match["word"] == "live":
            snapshot = None  # read below: a link may take its time, and the records are not held meanwhile
        elif match["number"]:
            snapshot = get_snapshot(session, server.id, int(match["number"]))
        elif match["word"] == "latest":
            snapshot = require_latest(session, server.id)
        else:
            snapshot = require_defaults(session, server.id, match["label"])
            return documents(workspace, session, server, snapshot), f"defaults {snapshot.label} of {server.id}"
        if snapshot is not None:
            return documents(workspace, session, server, snapshot), f"{server.id}, snapshot {snapshot.id}"
    live = take_live(workspace, server)
    with workspace.session() as session:
        return documents_of(workspace, session, server, live.digests), f"{server.id}, live"
