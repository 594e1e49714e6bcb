"""What is known of one place: what it may hold, what it is linked with, its default, who changed it when."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.addresses import parse_address
from zerrit.core.checks import References, references_of
from zerrit.core.completion import complete_node, complete_value
from zerrit.core.documents import Document, Node
from zerrit.core.documents.lookup import find
from zerrit.core.documents.selection import select as select_nodes
from zerrit.core.errors import AddressInvalid
from zerrit.records import Change, Run, Server, Snapshot, load_content
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.browse.file_browser import Place, file_in, listed_words, newest_of, place_in
from zerrit.work.servers.stored_gamebooks import gamebook_of

MOST_REFERENCES: Final = 60
MOST_HISTORY: Final = 40  #: values that are listed of one place
MOST_LOOKED_AT: Final = 500  #: snapshots that are looked at for earlier values


@dataclass(frozen=True, slots=True)
class Past:
    """A value that a place had from a moment on. `person` and `change` are empty where no one of us wrote it."""

    at: datetime
    value: str | None
    snapshot: int
    reason: str
    person: str = ""
    change: int | None = None


@dataclass(frozen=True, slots=True)
class About:
    """Everything that is known of one place."""

    place: Place
    takes_effect: str
    references: References
    history: tuple[Past, ...]


def about(workspace: Workspace, server_id: str, address_text: str) -> About:
    """What is known of the one place that an address leads to.

    Raises AddressInvalid, AddressNotFound, NotFound. Refused: it leads to several places.
    """
    address = parse_address(address_text)
    with workspace.session() as session:
        newest = newest_of(workspace, session, server_id)
        document = file_in(newest.files, address.path, server_id)
        nodes = find(document, address.segments)
        if len(nodes) > 1:
            raise Refused(f"{address_text} leads to {len(nodes)} places. `zerrit show` lists them; name one of them.")
        node = nodes[0]
        history = _history(workspace, session, newest.server, document, node)
    examination, gamebook = newest.checked.examination, newest.gamebook
    references = references_of(examination, document, node) if examination is not None else References((), ())
    return About(
        place_in(document, node, newest),
        gamebook.takes_effect(document.path, node) if gamebook is not None else "",
        References(references.refers_to[:MOST_REFERENCES], references.referred_by[:MOST_REFERENCES]),
        history,
    )


def _history(
    workspace: Workspace, session: Session, server: Server, document: Document, node: Node
) -> tuple[Past, ...]:
    """The values of a place over the server's snapshots, the newest first; a value that stayed is told once."""
    address = document.keys.address_of(node)
    if not address:
        return ()
    gamebook, gamebook_digest = gamebook_of(session, server)
    query = select(Snapshot).where(Snapshot.server_id == server.id, Snapshot.kind == "server")
    snapshots = list(session.scalars(query.order_by(Snapshot.id.desc()).limit(MOST_LOOKED_AT)))[::-1]
    runs = {run.after_id: run for run in session.scalars(select(Run).where(Run.server_id == server.id)) if run.after_id}
    found: list[Past] = []
    last_digest = ""
    for snapshot in snapshots:
        digest = next((file.digest for file in snapshot.files if file.path == document.path), None)
        if digest is None or digest == last_digest:
            continue
        last_digest = digest
        read = workspace.read(lambda d: load_content(session, d), document.path, digest, gamebook, gamebook_digest)
        value = _value(read, address)
        if found and found[-1].value == value:
            continue
        found.append(_past(session, snapshot, value, runs))
    return tuple(reversed(found))[:MOST_HISTORY]


def _value(document: Document, address: str) -> str | None:
    nodes = document.select(address)
    if len(nodes) != 1:
        return None
    node = nodes[0]
    return node.value if node.value is not None else document.text[node.start : node.end]


def _past(session: Session, snapshot: Snapshot, value: str | None, runs: Mapping[int, Run]) -> Past:
    run = runs.get(snapshot.id)
    # Of several changes that went together, the last one is named.
    change = session.get(Change, run.change_ids[-1]) if run is not None and run.change_ids else None
    reason = change.title if change is not None else snapshot.reason
    return Past(
        snapshot.taken_at,
        value,
        snapshot.id,
        reason,
        change.author if change is not None else run.person if run is not None else "",
        change.id if change is not None else None,
    )


def complete(workspace: Workspace, server_id: str, typed: str, value: str | None) -> list[str]:
    """How an address that is being typed may go on; with `value`, what the field there can be given.

    Nothing is raised for what is half typed: there is only nothing to offer.
    """
    with workspace.session() as session:
        newest = newest_of(workspace, session, server_id)
    files, gamebook = newest.files, newest.gamebook
    path, sign, node_text = typed.partition("#")
    if not sign:
        return [one for one in files if one.casefold().startswith(path.casefold())]
    if path not in files:
        return []
    if value is None:
        return [f"{path}#{node}" for node in complete_node(files[path], node_text)]
    try:
        nodes = select_nodes(files[path].root, files[path].keys, parse_address(typed).segments)
    except AddressInvalid:
        return []
    rules = gamebook.field_rules(path, nodes[0]) if gamebook is not None and nodes else None
    if rules is None:
        return []
    if rules.kind == "switch":
        return complete_value(("on", "off"), value)
    if isinstance(rules.allowed, tuple):
        return complete_value(rules.allowed, value)
    words = listed_words(newest.checked, rules.allowed) if rules.allowed else ()
    return complete_value(words, value)
