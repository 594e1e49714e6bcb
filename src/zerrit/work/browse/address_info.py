"""What is known of one place: what it may hold, what it is linked with, its default, who changed it when."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from itertools import islice
from typing import Any, Final
from weakref import WeakKeyDictionary

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.addresses import Address, parse_address, print_segments
from zerrit.core.checks import Examination, References, references_of, rule_in_words, rules_of_place
from zerrit.core.completion import complete_node, complete_value
from zerrit.core.documents import Document, Node
from zerrit.core.documents.lookup import find
from zerrit.core.documents.selection import select as select_nodes
from zerrit.core.errors import AddressInvalid, AddressNotFound
from zerrit.core.figures import AllOdds, PlaceOdds
from zerrit.core.gamebooks import Gamebook
from zerrit.core.gamebooks.absent_settings import AbsentSetting, absent_settings
from zerrit.core.gamebooks.rule_proposals import as_mapping
from zerrit.core.gamebooks.source_lines import Location
from zerrit.records import Change, PlaceNote, Run, Server, Snapshot, load_content
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.browse.file_browser import Place, file_in, listed_words, newest_of, place_in
from zerrit.work.changes.place_notes import notes_of_server
from zerrit.work.servers.stored_gamebooks import gamebook_of

MOST_RULES: Final = 40
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
    rules: tuple[RuleOfPlace, ...]
    odds: tuple[OddsThere, ...]
    notes: tuple[PlaceNote, ...]
    default_of_game: str  #: what the gamebook says that the game takes where the field is absent


@dataclass(frozen=True, slots=True)
class RuleOfPlace:
    """A rule that a place takes part in, in words, and where it stands in the gamebook."""

    id: str
    part: str
    text: str
    reason: str
    line: int
    location: Location
    data: dict[str, Any]


@dataclass(frozen=True, slots=True)
class OddsThere:
    """What draws bring of a thing now, and, of a change that moves it, what they brought before."""

    now: PlaceOdds
    before: PlaceOdds | None


def about(workspace: Workspace, server_id: str, address_text: str, change_id: int | None = None) -> About:
    """What is known of the one place that an address leads to, in the files as they are or as a change leaves them.

    Raises AddressInvalid, NotFound. AddressNotFound: it leads nowhere; of a setting that the gamebook knows, the message
    says what the game takes instead. Refused: it leads to several places.
    """
    address = parse_address(address_text)
    with workspace.session() as session:
        newest = newest_of(workspace, session, server_id, change_id)
        document = file_in(newest.files, address.path, server_id)
        try:
            nodes = find(document, address.segments)
        except AddressNotFound as missing:
            raise _known_but_absent(newest.gamebook, document, address, missing) from None
        if len(nodes) > 1:
            raise Refused(f"{address_text} leads to {len(nodes)} places. `zerrit show` lists them; name one of them.")
        node = nodes[0]
        history = _history(workspace, session, newest.server, document, node)
        place = document.keys.address_of(node)
        notes = notes_of_server(session, server_id, f"{document.path}#{place}" if place else document.path)
    examination, gamebook = newest.checked.examination, newest.gamebook
    references = references_of(examination, document, node) if examination is not None else References((), ())
    return About(
        place_in(document, node, newest),
        gamebook.takes_effect(document.path, node) if gamebook is not None else "",
        References(references.refers_to[:MOST_REFERENCES], references.referred_by[:MOST_REFERENCES]),
        history,
        tuple(_rules(gamebook, document, node)) if gamebook is not None else (),
        _odds(examination, document, node) if examination is not None else (),
        tuple(notes),
        (rules.default if (rules := gamebook.field_rules(document.path, node)) else "") if gamebook is not None else "",
    )


def _known_but_absent(
    gamebook: Gamebook | None, document: Document, address: Address, missing: AddressNotFound
) -> AddressNotFound:
    """What to say of a setting that is not there: where the gamebook knows it, what the game takes instead."""
    if gamebook is None or not address.segments:
        return missing
    above = select_nodes(document.root, document.keys, address.segments[:-1])
    asked = print_segments(address.segments)
    for node in (*above[:1], document.root):
        for one in absent_settings(gamebook, document, node):
            if one.address == asked:
                return AddressNotFound(
                    f"{document.path} does not have `{asked}`. {absent_in_words(one)}",
                    missing.address,
                    missing.path,
                    missing.line,
                    (),
                )
    return missing


def absent_in_words(setting: AbsentSetting) -> str:
    """What holds while a known setting is absent."""
    if setting.default:
        return f"The game takes {setting.default} then, says the gamebook."
    return "The gamebook knows it, but does not say what the game takes then."


#: Of the last states that were looked at: before, where there is one, and after.
_ODDS: Final[WeakKeyDictionary[Examination, tuple[AllOdds | None, AllOdds]]] = WeakKeyDictionary()


def _odds(examination: Examination, document: Document, node: Node) -> tuple[OddsThere, ...]:
    """The odds that a place takes part in."""
    if not examination.gamebook.rules.draws:
        return ()
    known = _ODDS.get(examination)
    if known is None:
        before = AllOdds(examination.gamebook, examination.before) if examination.before is not None else None
        known = _ODDS[examination] = before, AllOdds(examination.gamebook, examination.documents)
    before, after = known
    old: dict[tuple[str, str], PlaceOdds] = {}
    if before is not None:
        old = {(one.table, one.thing): one for one in before.of(document, node)}
    return tuple(
        OddsThere(one, was if was is not None and was.at_least_one != one.at_least_one else None)
        for one in after.of(document, node)
        for was in (old.get((one.table, one.thing)),)
    )


def _rules(gamebook: Gamebook, document: Document, node: Node) -> Iterator[RuleOfPlace]:
    for placed in islice(rules_of_place(gamebook, document, node), MOST_RULES):
        yield RuleOfPlace(
            placed.id,
            placed.part,
            rule_in_words(placed),
            placed.rule.reason,
            gamebook.line_of(placed.location),
            placed.location,
            as_mapping(gamebook, placed),
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
