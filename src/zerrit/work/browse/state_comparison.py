"""Comparisons between states of servers, and of what a change makes of them."""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.checks import Files
from zerrit.core.compare import (
    Difference,
    FileSet,
    OtherFile,
    compare_file_sets,
    differences_at,
    require_place,
    text_difference,
    undecided,
)
from zerrit.core.examination.game_files import databases_in
from zerrit.core.file_steps import NOT_KEPT, TOO_LARGE
from zerrit.core.states import EDITABLE
from zerrit.core.steps import Replay
from zerrit.records import Run, RunChange, content_sizes, load_content
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import base_of, get_change, impossible_steps, replayed_on, step_of, worked_out
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.large_databases import differing_rows
from zerrit.work.snapshots.live_files import FetchedFile, known_files
from zerrit.work.snapshots.snapshots import (
    digests,
    file_set,
    get_snapshot,
    require_defaults,
    require_latest,
    take_live,
)

_STATE: Final = re.compile(
    r"(?P<server>[^@]+)@(?:(?P<number>\d{1,18})|(?P<word>live|latest)|defaults(?::(?P<label>.+))?)\Z", re.DOTALL
)
MOST_SENT: Final = 256 << 20  # bytes of a state that are sent for a comparison elsewhere
MOST_NAMED: Final = 5  # files that a note lists


@dataclass(frozen=True, slots=True)
class Comparison:
    """Two states of a server's files: by entry, and, where that was asked for, as text by path.

    `notes` say what else one should know.
    """

    differences: tuple[Difference, ...]
    texts: Mapping[str, str]
    old_name: str
    new_name: str
    notes: tuple[str, ...] = ()
    sides: Sides | None = None


@dataclass(frozen=True, slots=True)
class Sides:
    """One file in both states, complete; none where a state has no text file at the path."""

    path: str
    old: str | None
    new: str | None


@dataclass(frozen=True, slots=True)
class TextsWanted:
    """What is asked for beside the differences by entry: the lines that differ, and one file complete."""

    lines: bool = False
    sides: str = ""


NO_TEXTS: Final = TextsWanted()


def compare_change(workspace: Workspace, change_id: int, against: str, texts: TextsWanted = NO_TEXTS) -> Comparison:
    """What the change does (`base`), what it would do to the files on the server now (`live`), or how its result
    differs from the defaults (`defaults` or `defaults:LABEL`).

    Raises NotFound, Refused, ConnectionFailed.
    """
    kind, _, label = against.partition(":")
    if kind == "live":
        return _compare_live(workspace, change_id, texts)
    with workspace.session() as session:
        change = get_change(session, change_id)
        server = get_server(session, change.server_id)
        known = worked_out(workspace, session, change)
        new_name = f"change {change.id}"
        base = file_set(workspace, session, server, known_files(session, change.base_id).values())
        after = _after(session, base, known.replayed)
        if kind == "base":
            before = FileSet(known.before, base.others)
            return compare_states(before, after, f"snapshot {change.base_id}", new_name, texts=texts)
        if kind == "defaults":
            defaults = require_defaults(session, server.id, label or None)
            shipped = file_set(workspace, session, server, known_files(session, defaults.id).values())
            return compare_states(shipped, after, f"defaults {defaults.label}", new_name, texts=texts)
    raise Refused(f"`{against}` is not a known state. Write base, live, defaults or defaults:LABEL.")


def _after(session: Session, before: FileSet, replayed: Replay) -> FileSet:
    """The files as steps leave them; of a binary file that a step put, its size is that of its content."""
    unknown = (NOT_KEPT, TOO_LARGE)  # what is only watched and is where it was
    known = {path: file for path, file in before.others.items() if replayed.others.get(path) in (file.digest, *unknown)}
    put = {path: digest for path, digest in replayed.others.items() if path not in known}
    sizes = content_sizes(session, put.values())
    others = {path: OtherFile(sizes.get(digest, 0), digest) for path, digest in put.items()}
    return FileSet(replayed.documents, known | others)


def _compare_live(workspace: Workspace, change_id: int, texts: TextsWanted) -> Comparison:
    """An open change is replayed on the live files, as its deploy would; of one that was deployed, what was written."""
    with workspace.session() as session:
        change = get_change(session, change_id)
        server = get_server(session, change.server_id)
        gamebook, _ = gamebook_of(session, server)
        steps = [step_of(row) for row in change.steps]
        base = digests(session, base_of(session, change))
        query = select(Run.after_id).join(RunChange).where(RunChange.change_id == change.id, Run.after_id.is_not(None))
        written = session.scalar(query.order_by(Run.id.desc()).limit(1))
        kept = known_files(session, written) if written is not None else {}
        after = file_set(workspace, session, server, kept.values())
    taken = take_live(workspace, server)
    now = taken.digests
    with workspace.session() as session:
        live = file_set(workspace, session, server, taken.files)
    drifted = [
        path
        for path in sorted(now.keys() & base.keys())
        if now[path] != base[path]
        and not (gamebook is not None and gamebook.is_rewritten(path))
        and path not in databases_in(live.documents, [path])
    ]
    notes: list[str] = []
    if change.state in EDITABLE:
        others = {path: file.digest for path, file in live.others.items()}
        with workspace.session() as session:
            replayed = replayed_on(session, gamebook, Files(live.documents, others), steps)
            after = _after(session, live, replayed)
        notes += impossible_steps(replayed)
        notes += [f"{path} on {server.id} is not as in snapshot {change.base_id} any more." for path in drifted]
    found = compare_states(live, after, f"{server.id}, live", f"change {change.id}", texts=texts)
    return replace(found, notes=(*notes, *found.notes))


def compare_states(
    old: FileSet, new: FileSet, old_name: str, new_name: str, *, only: str = "", texts: TextsWanted = NO_TEXTS
) -> Comparison:
    """What differs between two states, at or below `only` where that is given. Texts are compared only where asked for."""
    found = tuple(compare_file_sets(old, new))
    if only:
        found = tuple(differences_at(found, only, old, new))
        require_place(only, old, new)
    lines: dict[str, str] = {}
    for path in sorted({difference.address.partition("#")[0] for difference in found}) if texts.lines else ():
        if path in old.others or path in new.others:
            continue
        before = old.documents[path].text if path in old.documents else ""
        after = new.documents[path].text if path in new.documents else ""
        lines[path] = text_difference(before, after, f"{path} ({old_name})", f"{path} ({new_name})")
    sides = Sides(texts.sides, _text_of(old, texts.sides), _text_of(new, texts.sides)) if texts.sides else None
    return Comparison(found, lines, old_name, new_name, tuple(_undecided(old, new)), sides)


def _text_of(files: FileSet, path: str) -> str | None:
    document = files.documents.get(path)
    return document.text if document is not None else None


def _undecided(old: FileSet, new: FileSet) -> list[str]:
    paths = undecided(old, new)
    if not paths:
        return []
    more = f" and {len(paths) - MOST_NAMED} more" if len(paths) > MOST_NAMED else ""
    return [
        f"Compared by size only, since their content is not kept: {', '.join(paths[:MOST_NAMED])}{more}. Whether they are "
        "equal is not known."
    ]


def compare_servers(workspace: Workspace, old: str, new: str, only: str, texts: TextsWanted = NO_TEXTS) -> Comparison:
    """What differs between two states of servers, each SERVER@live, @latest, @NUMBER, @defaults or @defaults:LABEL.

    `only` is an address pattern that narrows it; empty for all.

    Raises NotFound, Refused: a state is written wrongly. AddressInvalid, AddressNotFound: `only`. ConnectionFailed.
    """
    before, after = state_of(workspace, old), state_of(workspace, new)
    with workspace.session() as session:
        one, other = (
            file_set(workspace, session, get_server(session, state.server_id), state.files) for state in (before, after)
        )
        one, other = _with_rows(session, one, other)
    return compare_states(one, other, before.name, after.name, only=only, texts=texts)


def _with_rows(session: Session, old: FileSet, new: FileSet) -> tuple[FileSet, FileSet]:
    """The same with the rows that differ in the place of large databases."""
    rows = differing_rows(session, *({path: file.digest for path, file in one.others.items()} for one in (old, new)))
    if not rows.old:
        return old, new
    return (
        FileSet({**old.documents, **rows.old}, {p: f for p, f in old.others.items() if p not in rows.old}),
        FileSet({**new.documents, **rows.new}, {p: f for p, f in new.others.items() if p not in rows.new}),
    )


@dataclass(frozen=True, slots=True)
class ServerState:
    """The files of one state of a server, by what is kept of them, and what it is called."""

    server_id: str
    name: str
    files: tuple[FetchedFile, ...]


def state_of(workspace: Workspace, text: str) -> ServerState:
    """The state that SERVER@live, @latest, @NUMBER, @defaults or @defaults:LABEL names.

    Raises NotFound, Refused: it is written wrongly. ConnectionFailed.
    """
    match = _STATE.match(text)
    if match is None:
        raise Refused(
            f"`{text}` is not a state of a server. Write SERVER@live, SERVER@latest, SERVER@12 (a snapshot), "
            "SERVER@defaults or SERVER@defaults:LABEL."
        )
    with workspace.session() as session:
        server = get_server(session, match["server"])
        if match["word"] != "live":
            if match["number"]:
                snapshot = get_snapshot(session, server.id, int(match["number"]))
            elif match["word"] == "latest":
                snapshot = require_latest(session, server.id)
            else:
                snapshot = require_defaults(session, server.id, match["label"])
            is_defaults = snapshot.kind == "defaults"
            name = (
                f"defaults {snapshot.label} of {server.id}" if is_defaults else f"{server.id}, snapshot {snapshot.id}"
            )
            return ServerState(server.id, name, tuple(known_files(session, snapshot.id).values()))
    # The records are not held while a connection takes its time.
    return ServerState(server.id, f"{server.id}, live", take_live(workspace, server).files)


def state_archive(workspace: Workspace, text: str, known: Mapping[str, str]) -> bytes:
    """A state as a ZIP: `state.json` lists all its files with size and SHA-256, and below `files/` are those whose content
    is kept and is not as in `known` (SHA-256 by path).

    Raises as `state_of`; Refused: it would be larger than `MOST_SENT`.
    """
    state = state_of(workspace, text)
    wanted = [file for file in state.files if file.digest and known.get(file.path) != file.digest]
    if sum(file.size for file in wanted) > MOST_SENT:
        raise Refused(
            f"More than {MOST_SENT >> 20} MB of {state.name} differ from what you have. Export a snapshot of it and compare "
            "with that: zerrit snapshot export."
        )
    listed = [[file.path, file.size, file.digest or ""] for file in state.files]
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("state.json", json.dumps({"name": state.name, "server": state.server_id, "files": listed}))
        for file in wanted:
            with workspace.session() as session:
                archive.writestr(f"files/{file.path}", load_content(session, file.digest or ""))
    return packed.getvalue()
