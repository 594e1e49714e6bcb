"""A server as bundles see it, and kept bundles looked into beside it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from zerrit.core.bundles.installed import InstalledBundle, installed_bundles
from zerrit.core.bundles.inventory import Inventory, look_into
from zerrit.core.checks import Files
from zerrit.core.gamebooks import Gamebook
from zerrit.core.rules.bundles import BundleRules
from zerrit.records import Bundle, Server, load_content
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.bundles.kept import KeptArchive, get_bundle
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.snapshots import files_of, require_latest


@dataclass(frozen=True, slots=True)
class ServerView:
    """A server as bundles see it."""

    server: Server
    gamebook: Gamebook | None
    gamebook_digest: str
    snapshot_id: int
    files: Files
    installed: tuple[InstalledBundle, ...]

    @property
    def kinds(self) -> Sequence[BundleRules]:
        return self.gamebook.rules.bundles if self.gamebook is not None else ()


def server_view(workspace: Workspace, session: Session, server_id: str) -> ServerView:
    """A server with its latest files and the bundles in them. Raises NotFound."""
    server = get_server(session, server_id)
    gamebook, digest = gamebook_of(session, server)
    snapshot = require_latest(session, server_id)
    files = files_of(workspace, session, server, snapshot)
    files = replace(files, data=lambda path: _data(workspace, files, path))
    kinds = gamebook.rules.bundles if gamebook is not None else ()
    return ServerView(server, gamebook, digest, snapshot.id, files, installed_bundles(kinds, files))


def _data(workspace: Workspace, files: Files, path: str) -> bytes | None:
    digest = files.others.get(path, "")
    if len(digest) != 64:  # it is only watched
        return None
    with workspace.session() as session:
        return load_content(session, digest)


def look(workspace: Workspace, bundle_id: int, server_id: str = "") -> Inventory:
    """What a kept bundle holds, beside a server where one is named. Raises NotFound."""
    with workspace.session() as session:
        bundle = get_bundle(session, bundle_id)
        here = server_view(workspace, session, server_id) if server_id else None
    return looked(workspace, bundle, here)


def looked(workspace: Workspace, bundle: Bundle, here: ServerView | None) -> Inventory:
    """What is in a kept bundle, beside a server where one is given; kept until one of the two changes."""
    refused = here.server.maintenance.refused_files if here else []
    key = (bundle.id, "\n".join([here.gamebook_digest if here else "", *refused]), here.snapshot_id if here else 0)

    def make() -> Inventory:
        archive = KeptArchive(workspace, bundle)
        if here is None:
            return look_into(archive, bundle.file_name)
        paths = [*here.files.documents, *here.files.others]
        return look_into(archive, bundle.file_name, here.kinds, here.installed, paths, refused)

    found: Inventory = workspace.inventories.get_or_make(key, make)
    return found
