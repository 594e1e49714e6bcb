"""Snapshots over time: taking one by hand, keeping it for good, pruning, proving that all is there, ZIPs of them."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from dataclasses import dataclass, field
from datetime import UTC
from typing import Any, Final

from sqlalchemy import delete, exists, or_, select
from sqlalchemy.orm import Session

from zerrit.core.archives import unpack
from zerrit.core.paths import safe_path
from zerrit.core.retention import Retention, kept_by
from zerrit.core.wording import counted
from zerrit.records import (
    Change,
    Content,
    Gamebook,
    Run,
    RunEvidence,
    RunFile,
    Server,
    Snapshot,
    SnapshotFile,
    load_content,
    unpacked,
)
from zerrit.work.activity import note
from zerrit.work.errors import Refused
from zerrit.work.fetch import fetch
from zerrit.work.kept_gamebooks import gamebook_of
from zerrit.work.servers import RUNNING, get_server, require_no_run
from zerrit.work.snapshots import digests, get_snapshot, latest_snapshot, store_snapshot
from zerrit.work.taking import keep_files
from zerrit.work.workspace import Workspace

MANIFEST: Final = "zerrit-snapshot.json"
HASHES: Final = "SHA256SUMS"
SHEET: Final = "READ-ME-FIRST.txt"
FILES: Final = "files/"
MOST_NOTE: Final = 300
FORM: Final = 1


# --- taking and keeping -----------------------------------------------------------------------------------------------


def take_snapshot(workspace: Workspace, person: str, server_id: str, reason: str, *, keep: bool = False) -> Snapshot:
    """Fetch the server, and mark what it holds now with a reason; with `keep` it is never pruned.

    Raises NotFound, Conflict, LinkError.
    """
    said = reason.strip()[:MOST_NOTE] or "by hand"
    found = fetch(workspace, person, server_id)
    with workspace.session() as session:
        snapshot = session.get_one(Snapshot, found.snapshot.id)
        if found.is_new:
            snapshot.reason = said
        if keep or not found.is_new:
            snapshot.kept = said
        note(workspace, session, person, "snapshot.taken", server_id, f"{snapshot.id}: {said}")
    workspace.publish("server", {"server": server_id})
    return snapshot


def keep_snapshot(workspace: Workspace, person: str, server_id: str, snapshot_id: int, why: str) -> Snapshot:
    """Keep a snapshot for good, with the reason; an empty reason lets it go again. Raises NotFound."""
    with workspace.session() as session:
        snapshot = get_snapshot(session, server_id, snapshot_id)
        snapshot.kept = why.strip()[:MOST_NOTE]
        action = "snapshot.kept" if snapshot.kept else "snapshot.let-go"
        note(workspace, session, person, action, server_id, f"{snapshot_id}: {snapshot.kept}".rstrip(": "))
    workspace.publish("server", {"server": server_id})
    return snapshot


# --- retention --------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Pruning:
    """Which snapshots go, and which stay with the reason."""

    going: tuple[int, ...]
    staying: dict[int, str] = field(default_factory=dict)


def plan_pruning(session: Session, server: Server) -> Pruning:
    """What the retention rules of a server take away.

    Never a kept one, the last good one, one that an open change is built on, or one that a deployed change needs so that
    it can be undone.
    """
    rows = session.scalars(
        select(Snapshot).where(Snapshot.server_id == server.id, Snapshot.kind == "server").order_by(Snapshot.id)
    )
    snapshots = list(rows)
    rules = Retention(**server.care.get("retention", {}))
    staying = kept_by(rules, [(one.id, one.taken_at) for one in snapshots], UTC)
    good = max((one.id for one in snapshots if one.is_good), default=None)
    if good is not None:
        staying.setdefault(good, "the last good one")
    for change in session.scalars(select(Change).where(Change.server_id == server.id)):
        if change.state != "withdrawn":
            staying.setdefault(change.base_id, f"change {change.id} is built on it")
        if change.adopted_id is not None:
            staying.setdefault(change.adopted_id, f"change {change.id} was found with it")
    for run in session.scalars(select(Run).where(Run.server_id == server.id)):
        is_needed = run.state in (RUNNING, "deployed")
        for used in (run.before_id, run.after_id, run.target_id) if is_needed else ():
            if used is not None:
                staying.setdefault(used, f"run {run.id} went from or to it")
    for one in snapshots:
        if one.kept:
            staying[one.id] = f"kept: {one.kept}"
    return Pruning(tuple(one.id for one in snapshots if one.id not in staying), staying)


def prune(workspace: Workspace, person: str, server_id: str) -> Pruning:
    """Take away what the retention rules let go, and the contents that nothing names any more. Raises NotFound."""
    with workspace.storing.exclusive(), workspace.session() as session:
        server = get_server(session, server_id)
        planned = plan_pruning(session, server)
        for snapshot_id in planned.going:
            _forget(session, snapshot_id)
        if planned.going:
            _drop_unused(session)
            note(workspace, session, person, "snapshots.pruned", server_id, counted(len(planned.going), "snapshot"))
    if planned.going:
        workspace.publish("server", {"server": server_id})
    return planned


def _forget(session: Session, snapshot_id: int) -> None:
    for run in session.scalars(
        select(Run).where(or_(Run.before_id == snapshot_id, Run.after_id == snapshot_id, Run.target_id == snapshot_id))
    ):
        run.before_id = None if run.before_id == snapshot_id else run.before_id
        run.after_id = None if run.after_id == snapshot_id else run.after_id
        run.target_id = None if run.target_id == snapshot_id else run.target_id
    stay = session.scalar(
        select(Snapshot.id).where(Snapshot.kind == "server", Snapshot.id > snapshot_id).order_by(Snapshot.id).limit(1)
    )
    for change in session.scalars(select(Change).where(Change.base_id == snapshot_id, Change.state == "withdrawn")):
        # A change that was given up is only read any more; it then stands on the next files that are left.
        change.base_id = stay if stay is not None else change.base_id
    session.flush()
    session.execute(delete(Snapshot).where(Snapshot.id == snapshot_id))


def _drop_unused(session: Session) -> None:
    """Contents that no snapshot, run or gamebook names."""
    used = or_(
        exists().where(SnapshotFile.digest == Content.digest),
        exists().where(RunFile.old == Content.digest),
        exists().where(RunFile.new == Content.digest),
        exists().where(RunEvidence.digest == Content.digest),
        exists().where(Gamebook.digest == Content.digest),
    )
    session.execute(delete(Content).where(~used))


# --- proving that all is there ----------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Proof:
    """What a look at every kept content gave. `damaged` are snapshots by id, with paths of theirs that are spoilt."""

    contents: int
    size: int
    damaged: dict[int, tuple[str, ...]]


def verify_all(workspace: Workspace, person: str) -> Proof:
    """Hash every kept content again."""
    spoilt: set[str] = set()
    count = size = 0
    with workspace.session() as session:
        for digest, packed in session.execute(select(Content.digest, Content.packed).execution_options(yield_per=200)):
            data = unpacked(digest, packed)
            count += 1
            size += len(data or b"")
            if data is None:
                spoilt.add(digest)
    damaged: dict[int, list[str]] = {}
    with workspace.session() as session:
        if spoilt:
            rows = session.execute(
                select(SnapshotFile.snapshot_id, SnapshotFile.path).where(SnapshotFile.digest.in_(spoilt))
            )
            for snapshot_id, path in rows:
                damaged.setdefault(snapshot_id, []).append(path)
        said = counted(count, "content") + (f", {len(spoilt)} damaged" if spoilt else ", all as they were kept")
        note(workspace, session, person, "snapshots.verified", None, said)
    return Proof(count, size, {id_: tuple(sorted(paths)) for id_, paths in sorted(damaged.items())})


# --- ZIPs -------------------------------------------------------------------------------------------------------------


def export_snapshot(workspace: Workspace, server_id: str, snapshot_id: int) -> bytes:
    """A snapshot as a ZIP that needs no Zerrit: its files, a list of hashes, and a sheet of steps.

    Raises NotFound. RecordsUnusable: a content is damaged.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        snapshot = get_snapshot(session, server_id, snapshot_id)
        files = {path: load_content(session, digest) for path, digest in digests(session, snapshot).items()}
        watched = [file.path for file in snapshot.files if file.digest is None]
    about = {
        "form": FORM,
        "server": server_id,
        "title": server.title,
        "game": gamebook.game if gamebook is not None else "",
        "snapshot": snapshot.id,
        "reason": snapshot.reason,
        "taken_at": snapshot.taken_at.isoformat(),
        "files": len(files),
        "watched": watched,
    }
    return packed_snapshot(about, files)


def packed_snapshot(about: dict[str, Any], files: dict[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr(SHEET, step_sheet(about))
        packed.writestr(MANIFEST, json.dumps(about, indent=1, ensure_ascii=False))
        packed.writestr(HASHES, hash_list(files))
        for path, data in files.items():
            packed.writestr(FILES + safe_path(path), data)
    return buffer.getvalue()


def hash_list(files: dict[str, bytes]) -> str:
    """In the form that `sha256sum --check` reads."""
    return "".join(f"{hashlib.sha256(data).hexdigest()}  {FILES}{path}\n" for path, data in files.items())


def step_sheet(about: dict[str, Any]) -> str:
    """What to do with a snapshot when there is no Zerrit, in words for anybody."""
    lines = [
        f"Snapshot {about['snapshot']} of {about['title']} ({about['server']}), taken {about['taken_at']}",
        f"Why: {about['reason']}",
        "",
        f"The folder {FILES} holds all {counted(about['files'], 'file')} as they were on the server.",
        "To put the server back to this:",
        "",
        "1. Stop the game, and see that it has stopped.",
        "2. Download what lies on the server now, and keep it. You may want something of it later.",
        f"3. Upload everything inside {FILES} over the server's files. Keep the folders as they are.",
        "4. Delete files of the same folders that are on the server and not here, if the game must not read them.",
        "5. Count: as many files must have arrived as there are here. Download one or two and compare them.",
        "6. Start the game, and look at its log.",
        "",
        f"{HASHES} proves that no file of this copy is spoilt: sha256sum --check {HASHES}",
    ]
    if about["watched"]:
        lines += [
            "",
            "Not in here, since they are large and only watched:",
            *(f"  {path}" for path in about["watched"]),
        ]
    return "\n".join([*lines, ""])


def import_snapshot(workspace: Workspace, person: str, server_id: str, archive: bytes) -> Snapshot:
    """Take a snapshot in again that was exported. It becomes a kept one of the server; nothing is written to the server.

    Raises NotFound. Refused: it is no such ZIP, a file is not as its hash says, or it is of another game.
    """
    files = unpack(archive, FILES)
    about = _manifest(files)
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        newest = latest_snapshot(session, server_id)
        have = set(digests(session, newest)) if newest is not None else set()
    theirs = {path.removeprefix(FILES): data for path, data in files.items() if path.startswith(FILES)}
    _require_whole(files, theirs)
    _require_same_game(about, gamebook.game if gamebook else "", server_id, have, set(theirs))
    with workspace.session() as session:
        require_no_run(session, server_id)
        reason = f"taken in: snapshot {about.get('snapshot')} of {about.get('server')}, {about.get('reason')}"
        snapshot = store_snapshot(
            workspace, session, server_id, keep_files(session, sorted(theirs.items())), reason[:MOST_NOTE]
        )
        snapshot.kept = "taken in from a ZIP"
        # It is none of the states that the server was in since, so the newest fetch stays the newest.
        snapshot.kind = "imported"
        note(workspace, session, person, "snapshot.imported", server_id, f"{snapshot.id}: {reason}")
    workspace.publish("server", {"server": server_id})
    return snapshot


def _manifest(files: dict[str, bytes]) -> dict[str, Any]:
    try:
        about = json.loads(files[MANIFEST])
        if not isinstance(about, dict) or about.get("form") != FORM:
            raise ValueError
    except (KeyError, ValueError) as error:
        raise Refused(
            f"This ZIP holds no {MANIFEST} that can be read, so it is no snapshot of Zerrit's. Defaults that a game ships "
            "are imported as such."
        ) from error
    return about


def _require_whole(files: dict[str, bytes], theirs: dict[str, bytes]) -> None:
    wanted: dict[str, str] = {}
    for line in files.get(HASHES, b"").decode("utf-8", "replace").splitlines():
        digest, _, path = line.partition("  ")
        wanted[path.removeprefix(FILES)] = digest
    spoilt = [path for path, data in theirs.items() if wanted.get(path) != hashlib.sha256(data).hexdigest()]
    lacking = sorted(wanted.keys() - theirs.keys())
    if spoilt or lacking:
        said = [f"{path} is not as its hash says" for path in spoilt[:3]] + [
            f"{path} is missing" for path in lacking[:3]
        ]
        raise Refused(f"The ZIP is not whole: {'; '.join(said)}. Nothing was taken in.")


def _require_same_game(about: dict[str, Any], game: str, server_id: str, have: set[str], theirs: set[str]) -> None:
    if about.get("game") and game and about["game"] != game:
        raise Refused(f"This is a snapshot of the game {about['game']}; {server_id} runs {game}. Nothing was taken in.")
    if have and not have & theirs:
        raise Refused(
            f"None of the {len(theirs)} files of this snapshot is one that {server_id} has. Is it of another game?"
        )
