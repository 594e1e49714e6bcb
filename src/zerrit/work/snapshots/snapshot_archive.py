"""A snapshot as a ZIP: export it, and import one."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from typing import Any, Final

from zerrit.core.archives import unpack
from zerrit.core.paths import pack_of, safe_path
from zerrit.core.wording import counted
from zerrit.records import (
    Snapshot,
    load_contents,
)
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import Refused
from zerrit.work.base.run_records import require_no_run
from zerrit.work.base.workspace import Workspace
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.live_files import keep_files
from zerrit.work.snapshots.retention import MOST_NOTE
from zerrit.work.snapshots.snapshots import digests, get_snapshot, latest_snapshot, store_snapshot

MANIFEST: Final = "zerrit-snapshot.json"
HASHES: Final = "SHA256SUMS"
SHEET: Final = "READ-ME-FIRST.txt"
FILES: Final = "files/"
FORM: Final = 1


def export_snapshot(workspace: Workspace, server_id: str, snapshot_id: int) -> bytes:
    """A snapshot as a ZIP that needs no Zerrit: its files, a list of hashes, and a sheet of steps.

    Raises NotFound. RecordsUnusable: a content is damaged.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        snapshot = get_snapshot(session, server_id, snapshot_id)
        kept = {path: digest for path, digest in digests(session, snapshot).items() if not pack_of(path)}
        contents = load_contents(session, kept.values())
        files = {path: contents[digest] for path, digest in kept.items()}
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
    """A snapshot as a ZIP: its files, a list of hashes, and instructions."""
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
        "2. Download what is on the server now, and keep it. You may want something of it later.",
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

    Raises NotFound. Refused: it is not such a ZIP, a file is not as its hash says, or it is of another game.
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
        reason = f"imported: snapshot {about.get('snapshot')} of {about.get('server')}, {about.get('reason')}"
        snapshot = store_snapshot(
            workspace, session, server_id, keep_files(session, sorted(theirs.items())), reason[:MOST_NOTE]
        )
        snapshot.pinned = "imported from a ZIP"
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
            f"This ZIP holds no {MANIFEST} that can be read, so it is not a snapshot of Zerrit's. Defaults that a game ships "
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
        raise Refused(f"The ZIP is not complete: {'; '.join(said)}. Nothing was imported.")


def _require_same_game(about: dict[str, Any], game: str, server_id: str, have: set[str], theirs: set[str]) -> None:
    if about.get("game") and game and about["game"] != game:
        raise Refused(f"This is a snapshot of the game {about['game']}; {server_id} runs {game}. Nothing was imported.")
    if have and not have & theirs:
        raise Refused(
            f"None of the {len(theirs)} files of this snapshot is one that {server_id} has. Is it of another game?"
        )
