"""Which bundles a server has: version, whether on, what was edited, whether the last start loaded them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from hashlib import sha256
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.bundles.installed import InstalledBundle
from zerrit.core.bundles.inventory import BundlePart
from zerrit.core.bundles.manifest import name_and_version, newer
from zerrit.core.bundles.paths import moved
from zerrit.core.bundles.placement import kind_called
from zerrit.core.checks import Files
from zerrit.core.expressions import compile_pattern
from zerrit.core.rules.bundles import BundleRules
from zerrit.core.states import RunState
from zerrit.records import Bundle, Run
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.bundles.kept import get_bundle, list_bundles
from zerrit.work.changes.bundles.view import ServerView, looked, server_view
from zerrit.work.servers.servers import list_servers
from zerrit.work.snapshots.snapshots import latest_snapshot

MOST_LOADED: Final = 50  #: runs in which the log of the last start is searched


@dataclass(frozen=True, slots=True)
class ServerBundle:
    """A bundle of a server. `edited` are its files that are not as they came, None where it is not known how they came.

    `is_loaded`: the last start said so in its log; None where there is no log of a start, or no pattern for it. `newer_on`
    are servers that have a newer version, with it; `kept` is the number of the kept bundle that it is from.
    """

    bundle: InstalledBundle
    edited: tuple[str, ...] | None
    is_loaded: bool | None
    newer_on: Mapping[str, str] = field(default_factory=dict)
    newer_kept: tuple[int, str] | None = None
    kept: int | None = None
    reload: str = ""


def server_bundles(workspace: Workspace, server_id: str) -> list[ServerBundle]:
    """The bundles of a server. Raises NotFound."""
    with workspace.session() as session:
        here = server_view(workspace, session, server_id)
        kept = [get_bundle(session, one.id) for one in list_bundles(session)]
        log = _last_log(session, server_id)
        others = {
            one.id: server_view(workspace, session, one.id).installed
            for one in list_servers(session)
            if one.id != server_id and one.gamebook == here.server.gamebook and latest_snapshot(session, one.id)
        }
    parts = [(bundle, part) for bundle in kept for part in looked(workspace, bundle, here).parts]
    return [_server_bundle(one, here, parts, log, others) for one in here.installed]


def _server_bundle(
    one: InstalledBundle,
    here: ServerView,
    parts: Sequence[tuple[Bundle, BundlePart]],
    log: str | None,
    others: Mapping[str, Sequence[InstalledBundle]],
) -> ServerBundle:
    rules = kind_called(here.kinds, one.kind)
    same = [(bundle, part) for bundle, part in parts if (part.kind, part.name) == (one.kind, one.name)]
    source = source_of(one, same)
    newest: tuple[int, str] | None = None
    for bundle, part in same:
        version = version_of(bundle, part)
        if newer(version, newest[1] if newest is not None else one.manifest.version):
            newest = bundle.id, version
    newer_on = {
        server: twin.manifest.version
        for server, bundles in others.items()
        for twin in bundles
        if (twin.kind, twin.name) == (one.kind, one.name) and newer(twin.manifest.version, one.manifest.version)
    }
    return ServerBundle(
        one,
        _edited(one, here, source) if source is not None else None,
        _is_loaded(rules, one.name, log),
        newer_on,
        newest,
        source[0].id if source is not None else None,
        rules.reload.replace("{}", one.name),
    )


def source_of(one: InstalledBundle, parts: Sequence[tuple[Bundle, BundlePart]]) -> tuple[Bundle, BundlePart] | None:
    """The kept bundle that an installed one is from, by its version; None where it says none."""
    version = one.manifest.version
    same = (pair for pair in parts if (pair[1].kind, pair[1].name) == (one.kind, one.name))
    return next((pair for pair in same if version and version_of(*pair) == version), None)


def version_of(bundle: Bundle, part: BundlePart) -> str:
    """The version of a part: that of its manifest, else that of the file name of its archive."""
    return part.manifest.version or bundle.version


def _edited(one: InstalledBundle, here: ServerView, source: tuple[Bundle, BundlePart]) -> tuple[str, ...] | None:
    bundle, part = source
    digests = {file.path: file.digest for file in bundle.files}
    if any(inside not in digests for inside in part.placement.files.values()):
        return None  # what was in an archive in it has no digest of its own
    came = {path: digests[inside] for path, inside in part.placement.files.items()}
    rules = kind_called(here.kinds, one.kind)
    now = {path: moved(path, one.name, rules.when_off, rules.when_on) for path in one.files}
    return tuple(
        sorted(
            path
            for path, on_path in now.items()
            if on_path in came and digest_on(here.files, path) not in ("", came[on_path])
        )
    )


def digest_on(files: Files, path: str) -> str:
    """The digest of a file on a server; empty where its content is not kept."""
    document = files.documents.get(path)
    if document is not None:
        return sha256(document.to_bytes()).hexdigest()
    digest = files.others.get(path, "")
    return digest if len(digest) == 64 else ""


def _last_log(session: Session, server_id: str) -> str | None:
    """What the last start that was watched wrote to the log; None where there is none."""
    query = select(Run).where(Run.server_id == server_id, Run.state.in_([RunState.DEPLOYED, RunState.DONE]))
    for run in session.scalars(query.order_by(Run.id.desc()).limit(MOST_LOADED)):
        if run.evidence.log and not run.evidence.in_place:
            return run.evidence.log
    return None


def _is_loaded(rules: BundleRules, name: str, log: str | None) -> bool | None:
    """Whether the log of a start says that it was loaded, with or without its version behind the name."""
    if not rules.loaded or log is None:
        return None
    pattern = compile_pattern(rules.loaded)
    said = {found.group("name") for line in log.splitlines() if (found := pattern.search(line)) is not None}
    return name in said or name in {name_and_version(one)[0] for one in said}
