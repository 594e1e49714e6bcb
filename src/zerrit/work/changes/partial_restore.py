"""Restore less than a complete server: a folder, a file or one entry of a snapshot, as a change."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from zerrit.core.addresses import Address, Segment, parse_address
from zerrit.core.documents import Document
from zerrit.core.documents.selection import select as select_nodes
from zerrit.core.documents.value_edits import remove_nodes
from zerrit.core.nearest import did_you_mean
from zerrit.core.steps import Step, StepKind, whole_file
from zerrit.records import Change
from zerrit.work.base.errors import NotFound, Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import create_with_steps
from zerrit.work.changes.drift import Texts
from zerrit.work.servers.servers import get_server
from zerrit.work.snapshots.snapshots import (
    digests,
    documents,
    get_snapshot,
    require_latest,
)


def restore_part(workspace: Workspace, person: str, server_id: str, snapshot_id: int, what: str, title: str) -> Change:
    """Open a change that makes a folder (`configs/`), a file or an entry as it was in a snapshot.

    Raises NotFound: there is no such thing in either state. Refused: it is so already.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        snapshot = get_snapshot(session, server_id, snapshot_id)
        latest = require_latest(session, server_id)
        old, new = (documents(workspace, session, server, one) for one in (snapshot, latest))
        all_old, all_new = digests(session, snapshot), digests(session, latest)
    if what.endswith("/"):
        paths = sorted(path for path in all_old.keys() | all_new.keys() if path.startswith(what))
        if not paths:
            raise NotFound(f"Neither snapshot {snapshot_id} nor the latest files have a folder {what}.")
    else:
        address = parse_address(what)
        if address.segments:
            steps = [_entry_step(old, new, address, what)]
            return create_with_steps(
                workspace, person, server_id, title or f"{what} as in snapshot {snapshot_id}", steps
            )
        paths = [address.path]
        if address.path not in all_old.keys() | all_new.keys():
            close = did_you_mean(address.path, sorted(all_old.keys() | all_new.keys()))
            raise NotFound(f"Neither snapshot {snapshot_id} nor the latest files have {what}. {close}".rstrip())
    differing = [path for path in paths if all_old.get(path) != all_new.get(path)]
    if not differing:
        raise Refused(f"{what} is as in snapshot {snapshot_id} already.")
    steps = list(_whole_files(old, all_old, differing))
    return create_with_steps(workspace, person, server_id, title or f"{what} as in snapshot {snapshot_id}", steps)


def _whole_files(texts: Texts, wanted: Mapping[str, str], paths: list[str]) -> Iterator[Step]:
    """The steps that make files the wanted ones, of which some are texts."""
    for path in paths:
        if path not in wanted:
            yield Step(StepKind.REMOVE_FILE, path)
        elif path in texts:
            yield whole_file(path, texts[path])
        else:
            yield Step(StepKind.PUT_FILE, path, digest=wanted[path])


def _entry_step(old: Texts, new: Texts, address: Address, what: str) -> Step:
    path = address.path
    if path not in old or path not in new:
        where = "the snapshot" if path not in old else "the latest files"
        raise NotFound(f"{path} is not among {where}. Restore the whole file.")
    there = select_nodes(old[path].root, old[path].keys, address.segments)
    here = select_nodes(new[path].root, new[path].keys, address.segments)
    if len(there) > 1 or len(here) > 1:
        raise Refused(f"{what} leads to several places; name one entry.")
    if not there and not here:
        raise NotFound(f"Neither the snapshot nor the latest files have {what}.")
    if not there:
        return Step(StepKind.REMOVE, what)
    wanted = old[path].text[there[0].start : there[0].end]
    if not here:  # what the snapshot has more than itself without the entry
        without = _without(old[path], address.segments)
        return Step(StepKind.MERGE_VERSION, path, base=without.text, content=old[path].text)
    text = new[path].text
    return Step(StepKind.MERGE_VERSION, path, base=text, content=text[: here[0].start] + wanted + text[here[0].end :])


def _without(document: Document, segments: tuple[Segment, ...]) -> Document:
    return remove_nodes(document, segments).document
