"""Fetch a server's files; import the defaults that its game ships."""

from __future__ import annotations

import io
import zipfile
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Final

from zerrit.core.documents import MAX_BYTES
from zerrit.core.errors import PathRefused
from zerrit.core.paths import safe_path
from zerrit.core.wording import counted
from zerrit.records import Snapshot
from zerrit.work.activity import note
from zerrit.work.errors import Conflict, Refused
from zerrit.work.runs import require_no_run
from zerrit.work.servers import gamebook_of, get_server
from zerrit.work.snapshots import (
    FetchedFile,
    PathDifferences,
    defaults_of,
    differing_paths,
    digests,
    latest_snapshot,
    read_all,
    store_snapshot,
)
from zerrit.work.workspace import Workspace

MAX_ARCHIVE_FILES: Final = 20_000
MAX_ARCHIVE_BYTES: Final = 512 * 1024 * 1024  # unpacked; a bound for archives that grow without end


@dataclass(frozen=True, slots=True)
class Fetched:
    """The snapshot that holds what the server has now, and what differs from the one before."""

    snapshot: Snapshot
    is_new: bool
    drift: PathDifferences


def fetch(workspace: Workspace, person: str, server_id: str) -> Fetched:
    """Read all files of a server. A snapshot is kept when something differs from the last one.

    Raises NotFound, Conflict: a deploy or rollback is under way. LinkError.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        require_no_run(session, server_id)
    with workspace.link_to(server) as link:
        files = read_all(link, gamebook)
    with workspace.session() as session:
        require_no_run(session, server_id)  # one that began while the files were read may have written some of them
        before = latest_snapshot(session, server_id)
        known = digests(before) if before else {}
        snapshot = store_snapshot(workspace, session, server_id, files, "fetched" if before else "first fetch")
        drift = differing_paths(known, digests(snapshot))
        if before is not None and not drift:
            session.delete(snapshot)
            return Fetched(before, False, drift)
        count = (
            counted(len(files), "file")
            if before is None
            else f"{len(drift.all)} of {counted(len(files), 'file')} differ"
        )
        note(workspace, session, person, "server.fetched", server_id, count)
    workspace.publish("server", {"server": server_id})
    return Fetched(snapshot, True, drift if before is not None else PathDifferences((), (), ()))


def import_defaults(workspace: Workspace, person: str, server_id: str, label: str, archive: bytes) -> Snapshot:
    """Keep the files of a ZIP as the defaults of version `label`.

    Raises Refused: it is no ZIP, holds a path that leaves it, or is too large. Conflict: the label is taken by
    other files.
    """
    label = label.strip()
    if not label or len(label) > 40:
        raise Refused("Give the version that these defaults belong to, such as 2.1.")
    files = _unpack(archive)
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        kept = [file for file in files if gamebook is None or gamebook.is_tracked(file.path)]
        before = defaults_of(session, server_id, label)
        if before is not None:
            raise Conflict(
                f"Defaults {label} of {server_id} are known already and are not changed. Choose another label."
            )
        snapshot = store_snapshot(workspace, session, server_id, kept, f"defaults {label}", label=label)
        note(workspace, session, person, "defaults.imported", server_id, f"{label}, {len(kept)} files")
    return snapshot


def _unpack(archive: bytes) -> list[FetchedFile]:
    try:
        with zipfile.ZipFile(io.BytesIO(archive)) as packed:
            members = [info for info in packed.infolist() if not info.is_dir()]
            if len(members) > MAX_ARCHIVE_FILES or sum(info.file_size for info in members) > MAX_ARCHIVE_BYTES:
                raise Refused(
                    f"The archive holds more than {MAX_ARCHIVE_FILES:,} files or {MAX_ARCHIVE_BYTES:,} bytes."
                )
            files = []
            for info in members:
                path = safe_path(str(PurePosixPath(info.filename)))
                with packed.open(info) as member:
                    data = member.read(MAX_BYTES + 1)
                if len(data) > MAX_BYTES:
                    raise Refused(f"{path} in the archive is larger than {MAX_BYTES:,} bytes.")
                files.append(FetchedFile(path, len(data), 0, data))
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError) as error:
        raise Refused(
            "This is no ZIP that can be unpacked; it may be damaged, cut off or locked by a password."
        ) from error
    except PathRefused as error:
        raise Refused(f"The archive is refused: {error}") from error
    if not files:
        raise Refused("The archive holds no file.")
    return files
