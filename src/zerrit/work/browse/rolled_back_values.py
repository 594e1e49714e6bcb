"""Values that were rolled back: what a draft says of them, since whoever sets one again should know."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import Any, Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.addresses import parse_address
from zerrit.core.documents import Document
from zerrit.core.documents.value_edits import ValueChange
from zerrit.core.errors import ZerritError
from zerrit.core.states import ChangeState
from zerrit.core.wording import counted
from zerrit.records import Change, Server
from zerrit.work.base.workspace import Workspace
from zerrit.work.browse.run_lessons import servers_alike
from zerrit.work.changes.changes import worked_out
from zerrit.work.snapshots.snapshots import digests, documents_of, latest_snapshot

MOST_CHANGES: Final = 30  #: that were rolled back, the newest ones
MOST_VALUES: Final = 5  #: of a change; of more of them it is not known which one was wrong
LONGEST: Final = 200  #: characters of a value


def advice_of_rollbacks(workspace: Workspace, server_id: str) -> list[dict[str, Any]]:
    """Advice against values that changes set and that were rolled back, on this server and those with the same gamebook.

    A value that the latest files have is left out: it was set again since.
    """
    found: dict[tuple[str, str], dict[str, Any]] = {}
    with workspace.session() as session:
        for server in servers_alike(session, server_id):
            values = [
                (change, one, together)
                for change in rolled_back(session, server)
                for one, together in _values(workspace, session, change)
            ]
            now = _documents_now(workspace, session, server, {parse_address(one.address).path for _, one, _ in values})
            for change, one, together in values:
                if not _is_now(now, one):
                    found.setdefault((one.address, one.new or ""), _advice(server, change, one, together))
    return list(found.values())


def rolled_back(session: Session, server: Server) -> Sequence[Change]:
    """The changes of a server that were rolled back, the newest first."""
    wanted = select(Change).where(Change.server_id == server.id, Change.state == ChangeState.ROLLED_BACK)
    return list(session.scalars(wanted.order_by(Change.id.desc()).limit(MOST_CHANGES)))


def _values(workspace: Workspace, session: Session, change: Change) -> Iterator[tuple[ValueChange, int]]:
    """The values that a change set, where they are few, with their number."""
    try:
        known = worked_out(workspace, session, change)
    except ZerritError:
        return  # what it was built on is not kept any more
    values = [one for outcome in known.replayed.outcomes for one in outcome.changes]
    if 0 < len(values) <= MOST_VALUES:
        for one in values:
            if one.old is not None and one.new is not None and "\n" not in one.new and len(one.new) <= LONGEST:
                yield one, len(values)


def _documents_now(
    workspace: Workspace, session: Session, server: Server, paths: Collection[str]
) -> Mapping[str, Document]:
    latest = latest_snapshot(session, server.id) if paths else None
    if latest is None:
        return {}
    held = {path: digest for path, digest in digests(session, latest).items() if path in paths}
    return documents_of(workspace, session, server, held)


def _is_now(now: Mapping[str, Document], one: ValueChange) -> bool:
    path, _, place = one.address.partition("#")
    document = now.get(path)
    return document is not None and any(node.value == one.new for node in document.select(place))


def _advice(server: Server, change: Change, one: ValueChange, together: int) -> dict[str, Any]:
    part = "" if together == 1 else f", which set {counted(together, 'value')}"
    return {
        "every": one.address,
        "condition": f"value == {json.dumps(one.new, ensure_ascii=False)}",
        "message": f"{{value}} was rolled back on {server.id} on {change.updated_at:%Y-%m-%d} with change {change.id}{part}",
        "origin": f"change {change.id} of {server.id}: {change.title}",
    }
