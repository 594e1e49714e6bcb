"""Verify that everything that was stored is complete and unaltered."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select

from zerrit.core.wording import counted
from zerrit.records import (
    Content,
    SnapshotFile,
    large_contents,
    unpacked,
)
from zerrit.work.base.activity_log import note
from zerrit.work.base.workspace import Workspace


@dataclass(frozen=True)
class Integrity:
    """What a look at every kept content gave. `damaged` are snapshots by id, with paths of theirs that are spoilt."""

    contents: int
    size: int
    damaged: dict[int, tuple[str, ...]]


def verify_all(workspace: Workspace, person: str) -> Integrity:
    """Hash every kept content again."""
    spoilt: set[str] = set()
    count = size = 0
    with workspace.session() as session:
        large = large_contents(session)
        for digest, packed in session.execute(select(Content.digest, Content.packed).execution_options(yield_per=200)):
            data = unpacked(digest, packed, large)
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
    return Integrity(count, size, {id_: tuple(sorted(paths)) for id_, paths in sorted(damaged.items())})
