"""
Contents of watched files, such as the big binaries of mods: kept for a while, so that a rollback can bring them back.

They are pruned by a rule of their own: those that the last deploys replaced or wrote stay. A snapshot then still says their
size, time and SHA-256.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from zerrit.core.gamebooks import Gamebook
from zerrit.core.paths import safe_path
from zerrit.core.states import EDITABLE, ChangeState
from zerrit.core.steps import StepKind
from zerrit.records import Change, Run, Server, Snapshot, SnapshotFile, Step
from zerrit.work.snapshots.snapshots import latest_snapshot

_IN_WORK = frozenset((*EDITABLE, ChangeState.QUEUED, ChangeState.DEPLOYING))


@dataclass(frozen=True)
class WatchedPruning:
    """What is pruned: contents by snapshot and path, and the digests in steps that no one deploys any more."""

    contents: Mapping[int, Mapping[str, str]] = field(default_factory=dict)
    of_steps: Mapping[int, frozenset[str]] = field(default_factory=dict)  #: by change

    @property
    def digests(self) -> frozenset[str]:
        """Every content that may go, where nothing else names it."""
        found = {digest for files in self.contents.values() for digest in files.values()}
        return frozenset(found.union(*self.of_steps.values()))


def plan_watched(session: Session, server: Server, gamebook: Gamebook | None) -> WatchedPruning:
    """What the rule of a server prunes. Never what the newest snapshot, a pinned one, an open change or a run that goes on
    needs.
    """
    runs = list(session.scalars(select(Run).where(Run.server_id == server.id).order_by(Run.id.desc())))
    ended = [run for run in runs if run.ended_at is not None]
    staying = [run for run in runs if run.ended_at is None] + ended[: server.maintenance.retention.watched]
    changes = list(session.scalars(select(Change).where(Change.server_id == server.id)))
    in_work = {one.id for one in changes if one.state in _IN_WORK} | {one for run in staying for one in run.change_ids}
    kept = {used for run in staying for used in (run.before_id, run.after_id, run.target_id)}
    kept |= {one.base_id for one in changes if one.id in in_work}
    newest = latest_snapshot(session, server.id)
    kept |= {newest.id if newest is not None else None}
    rows = session.execute(
        select(SnapshotFile.snapshot_id, SnapshotFile.path, SnapshotFile.content)
        .join(Snapshot, Snapshot.id == SnapshotFile.snapshot_id)
        .where(Snapshot.server_id == server.id, Snapshot.pinned == "", SnapshotFile.content.is_not(None))
    )
    contents: dict[int, dict[str, str]] = {}
    for snapshot_id, path, content in rows:
        if snapshot_id not in kept and content is not None:
            contents.setdefault(snapshot_id, {})[path] = content
    of_steps = {
        one.id: frozenset(digest for path, digest in _put_by(one) if gamebook is not None and gamebook.is_watched(path))
        for one in changes
        if one.id not in in_work
    }
    return WatchedPruning(contents, {change: digests for change, digests in of_steps.items() if digests})


def _put_by(change: Change) -> Iterator[tuple[str, str]]:
    for row in change.steps:
        yield from put_contents(row)


def put_contents(row: Step) -> Iterator[tuple[str, str]]:
    """The paths that a step puts contents to, each with the digest."""
    if row.kind == StepKind.PUT_FILE and row.data.get("digest"):
        yield row.address, row.data["digest"]
    if row.kind == StepKind.PUT_FOLDER:
        folder = row.address.rstrip("/")
        yield from ((safe_path(f"{folder}/{inside}"), digest) for inside, digest in row.data.get("files", {}).items())


def prune_watched(session: Session, planned: WatchedPruning) -> None:
    """Make snapshots know the contents by their hashes only."""
    for snapshot_id, files in planned.contents.items():
        session.execute(
            update(SnapshotFile)
            .where(
                SnapshotFile.snapshot_id == snapshot_id, SnapshotFile.path.in_(files), SnapshotFile.content.is_not(None)
            )
            .values(hash=SnapshotFile.content, content=None)
        )
