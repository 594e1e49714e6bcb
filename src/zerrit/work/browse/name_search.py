"""Find anything by a part of its name: servers, files, entries, settings, changes, snapshots."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import islice
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.addresses import Address, parse_address, print_segments
from zerrit.core.checks import Checked, Examination, Unknown, words_of
from zerrit.core.documents import Document, Node, read_document
from zerrit.core.errors import AddressInvalid
from zerrit.core.gamebooks.absent_settings import first_absent
from zerrit.core.wildcards import path_matches
from zerrit.records import Change, Server, Snapshot, load_content
from zerrit.records.search_index import IndexedEntry
from zerrit.work.base.workspace import Workspace
from zerrit.work.browse.entry_table import indexed_entries
from zerrit.work.servers.servers import get_server, list_servers
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.snapshots import checked_in, digests, documents_of, latest_snapshot

MOST_OF_KIND: Final = 8
MOST_ENTRIES: Final = 40
MOST_PLACES: Final = 200  # that an address leads to
MOST_FOUND: Final = 5000  # findings of a server that are indexed
MOST_CHECKED: Final = 8  # servers whose checks are made before someone asks; those whose files came in last
PATIENCE: Final = 2.0  # seconds that one search spends on contents that are not indexed yet


class NameKind(StrEnum):
    SERVER = "server"
    FILE = "file"
    ENTRY = "entry"
    CHANGE = "change"
    SNAPSHOT = "snapshot"
    WORD = "word"  #: of a list of a gamebook
    FINDING = "finding"
    ABSENT = "absent"  #: a setting that the gamebook knows and that is not there


@dataclass(frozen=True, slots=True)
class NameHit:
    """Something that was found. `detail` says more of it in one line; `path`, `address` and `line` are of entries and findings."""

    kind: NameKind
    server: str
    title: str
    detail: str = ""
    path: str = ""
    address: str = ""
    line: int = 0
    number: int | None = None  #: of a change or snapshot


@dataclass(frozen=True, slots=True)
class NameSearch:
    """`is_complete`: every file is indexed. Where it is not, the same search finds more a moment later."""

    hits: tuple[NameHit, ...]
    is_complete: bool


@dataclass(frozen=True, slots=True)
class _Files:
    """The latest text files of a server, by the key under which each is indexed.

    `words`, `findings` and `absent` are the keys of the words of its gamebook, of what is found in these files, and of the
    known settings that they do not have.
    """

    server: Server
    words: str
    findings: str
    absent: str
    keys: Mapping[str, str]  #: by path
    digests: Mapping[str, str]


def find_names(workspace: Workspace, text: str, server_id: str = "") -> NameSearch:
    """Everything that has all words of `text` in its name, or, for entries, in a value.

    An address with a `#`, such as `*.xml#thing[kind=cloth]`, finds the places that it leads to.

    With `server_id`, only of that server. Raises NotFound.
    """
    words = text.lower().split()[:8]
    if not words:
        return NameSearch((), is_complete=True)
    address = _address_in(text)
    places = tuple(islice(_places(workspace, address, server_id), MOST_PLACES)) if address is not None else ()
    if places:
        return NameSearch(places, is_complete=True)
    with workspace.session() as session:
        servers = [get_server(session, server_id)] if server_id else list_servers(session)
        files = [one for server in servers if (one := _files(workspace, session, server)) is not None]
        found: list[NameHit] = [] if server_id else list(_servers(servers, words))
        found += _paths(files, words)
        found += (hit for server in servers for hit in _records(session, server, words))
    is_complete = _index(workspace, files, PATIENCE)
    found += _known(workspace, files, words)
    found += _entries(workspace, files, words)
    return NameSearch(tuple(found), is_complete)


def _address_in(text: str) -> Address | None:
    """The address that a text is; None where it is words."""
    try:
        address = parse_address(text)
    except AddressInvalid:
        return None
    return address if address.segments else None


def _places(workspace: Workspace, address: Address, server_id: str) -> Iterator[NameHit]:
    """The places in the latest files that an address leads to. A server may be before it: `reef:shop.xml#thing`."""
    wanted = server_id or address.server
    with workspace.session() as session:
        for server in [get_server(session, wanted)] if wanted else list_servers(session):
            latest = latest_snapshot(session, server.id)
            if latest is None:
                continue
            held = digests(session, latest)
            paths = {path: digest for path, digest in held.items() if path_matches(address.path, path)}
            for path, document in documents_of(workspace, session, server, paths).items():
                for node in document.select(print_segments(address.segments)):
                    place = document.keys.address_of(node)
                    detail = " · ".join(filter(None, (path, _shown(node))))
                    line = document.line_of(node)
                    yield NameHit(NameKind.ENTRY, server.id, place, detail, path, place, line)


def _shown(node: Node) -> str:
    """The value of a place, or those in it."""
    if node.value is not None:
        return node.value[:120]
    return " ".join(child.value for child in node.children if child.value)[:120]


def _files(workspace: Workspace, session: Session, server: Server) -> _Files | None:
    latest = latest_snapshot(session, server.id)
    if latest is None:
        return None
    _, gamebook_digest = gamebook_of(session, server)
    held = workspace.held.get_or_make(latest.id, lambda: digests(session, latest))
    state = f"{latest.id}:{gamebook_digest}"
    return _Files(
        server,
        f"words:{state}",
        f"findings:{state}",
        f"absent:{state}",
        {path: f"{digest}:{gamebook_digest}:{path}" for path, digest in held.items()},
        held,
    )


def _fits(words: Sequence[str], *texts: str) -> bool:
    text = " ".join(texts).lower()
    return all(word in text for word in words)


def _servers(servers: Sequence[Server], words: Sequence[str]) -> Iterator[NameHit]:
    for server in servers:
        if _fits(words, server.id, server.title):
            yield NameHit(NameKind.SERVER, server.id, server.title, server.id)


def _paths(files: Sequence[_Files], words: Sequence[str]) -> list[NameHit]:
    """Files, those first whose own name has the words."""
    fitting = [(one.server.id, path) for one in files for path in one.keys if _fits(words, path)]
    fitting.sort(key=lambda hit: (not _fits(words, hit[1].rpartition("/")[2]), len(hit[1]), hit))
    return [
        NameHit(NameKind.FILE, server, path.rpartition("/")[2], path, path=path)
        for server, path in fitting[:MOST_OF_KIND]
    ]


def _records(session: Session, server: Server, words: Sequence[str]) -> Iterator[NameHit]:
    """Changes and snapshots, the newest first."""
    changes = select(Change).where(Change.server_id == server.id).order_by(Change.id.desc())
    fitting = (one for one in session.scalars(changes) if _fits(words, f"change {one.id}", one.title))
    for _, change in zip(range(MOST_OF_KIND), fitting, strict=False):
        yield NameHit(NameKind.CHANGE, server.id, change.title, f"change {change.id}", number=change.id)
    snapshots = select(Snapshot).where(Snapshot.server_id == server.id).order_by(Snapshot.id.desc())
    named = (one for one in session.scalars(snapshots) if _fits(words, f"snapshot {one.id}", one.reason))
    for _, snapshot in zip(range(MOST_OF_KIND), named, strict=False):
        yield NameHit(
            NameKind.SNAPSHOT,
            server.id,
            snapshot.reason or f"snapshot {snapshot.id}",
            f"snapshot {snapshot.id}",
            number=snapshot.id,
        )


def _known(workspace: Workspace, files: Sequence[_Files], words: Sequence[str]) -> Iterator[NameHit]:
    """Words of the lists of gamebooks, findings in the latest files, and known settings that they do not have."""
    servers = {key: one.server.id for one in files for key in (one.words, one.findings, one.absent)}
    for kind, keys in (
        (NameKind.FINDING, [one.findings for one in files]),
        (NameKind.ABSENT, [one.absent for one in files]),
        (NameKind.WORD, [one.words for one in files]),
    ):
        for hit in workspace.search_index.find(keys, words, MOST_OF_KIND):
            entry = hit.entry
            path, address, _ = json.loads(entry.address)
            yield NameHit(kind, servers[hit.key], entry.label, entry.detail, path, address, entry.line)


def _words(examination: Examination) -> Iterator[IndexedEntry]:
    for name in examination.gamebook.rules.lists:
        try:
            found = words_of(examination, name)
        except Unknown:
            continue  # a file that it comes from is broken, which is a finding of its own
        yield from (IndexedEntry(word, f"one of the {name}", _place("", "", word), 0) for word in found)


def _absent(examination: Examination) -> Iterator[IndexedEntry]:
    """Known settings that are not there, of groups that a file has once."""
    for path, document in examination.documents.items():
        for one in first_absent(examination.gamebook, document, document.root):
            takes = f"the game takes {one.default}" if one.default else "no default known"
            where = f"not in {path}#{one.parent}" if one.parent else f"not in {path}"
            parent = one.parent if not one.is_below_nothing else ""
            yield IndexedEntry(one.name, f"{where}; {takes}", _place(path, parent, one.address), 0)


def _place(path: str, address: str, apart: str) -> str:
    """Where something is, with what tells two at the same place apart; any of them may hold any character."""
    return json.dumps((path, address, apart))


def _findings(checked: Checked) -> Iterator[IndexedEntry]:
    for one in checked.findings:
        place = _place(one.path, one.address.partition("#")[2], one.code)
        where = f"{one.path}, line {one.line}" if one.line else one.path
        yield IndexedEntry(one.message, " · ".join(filter(None, (where, one.hint))), place, one.line)


class Indexer:
    """Checks and indexes the latest files of all servers before someone asks for them."""

    def __init__(self, workspace: Workspace) -> None:
        self._workspace = workspace
        self._done: list[tuple[str, int | None, str]] | None = None  #: the state that is indexed completely
        self._checked: set[tuple[str, int | None, str]] = set()  #: servers in the state in which they were checked

    def turn(self, patience: float) -> bool:
        """Work for about `patience` seconds. Returns whether all is indexed; what no latest file has is dropped then."""
        with self._workspace.session() as session:
            servers = list_servers(session)
            state = [self._state(session, server) for server in servers]
            if state == self._done:
                return True
            newest = sorted((one for one in state if one[1] is not None), key=lambda one: one[1] or 0, reverse=True)
        unchecked = next((one for one in newest[:MOST_CHECKED] if one not in self._checked), None)
        if unchecked is not None:
            self._check(unchecked)
            return False
        with self._workspace.session() as session:
            servers = list_servers(session)
            files = [one for server in servers if (one := _files(self._workspace, session, server)) is not None]
        if not _index(self._workspace, files, patience):
            return False
        keys = {key for one in files for key in (one.words, one.findings, one.absent, *one.keys.values())}
        self._workspace.search_index.forget_all_but(keys)
        self._done = state
        return True

    def _check(self, state: tuple[str, int | None, str]) -> None:
        """After a start of the service, or a fetch, the first page would have to wait for this."""
        self._checked.add(state)
        with self._workspace.session() as session:
            server = session.get(Server, state[0])
            latest = latest_snapshot(session, state[0])
            if server is not None and latest is not None:
                checked_in(self._workspace, session, server, latest)

    @staticmethod
    def _state(session: Session, server: Server) -> tuple[str, int | None, str]:
        latest = latest_snapshot(session, server.id)
        return server.id, latest.id if latest is not None else None, gamebook_of(session, server)[1]


def _index(workspace: Workspace, files: Sequence[_Files], patience: float) -> bool:
    until = time.monotonic() + patience
    wanted: dict[str, tuple[_Files, str | None]] = {key: (one, path) for one in files for path, key in one.keys.items()}
    wanted |= {key: (one, None) for one in files for key in (one.words, one.findings, one.absent)}
    for key in workspace.search_index.missing(wanted):
        if time.monotonic() > until or workspace.stopping.is_set():
            return False
        one, path = wanted[key]
        if path is None:
            _index_check(workspace, one)
            continue
        with workspace.session() as session:
            gamebook, _ = gamebook_of(session, one.server)
            # Read apart from what is kept: to index a file makes all of its nodes, which take twenty times its size.
            document = (gamebook.read if gamebook else read_document)(load_content(session, one.digests[path]), path)
        found = () if document.is_binary else tuple(_indexed(document, workspace.ahead.give_way))
        workspace.search_index.add(key, found)
    return True


def _index_check(workspace: Workspace, files: _Files) -> None:
    with workspace.session() as session:
        latest = latest_snapshot(session, files.server.id)
        if latest is None:
            return
        checked = checked_in(workspace, session, files.server, latest)
    workspace.search_index.add(files.findings, islice(_findings(checked), MOST_FOUND))
    workspace.search_index.add(files.words, _words(checked.examination) if checked.examination is not None else ())
    workspace.search_index.add(files.absent, _absent(checked.examination) if checked.examination is not None else ())


def _indexed(document: Document, between: Callable[[], None]) -> Iterator[IndexedEntry]:
    for address, label, detail, line in indexed_entries(document, between):
        yield IndexedEntry(label, detail, address, line)


def _entries(workspace: Workspace, files: Sequence[_Files], words: Sequence[str]) -> Iterator[NameHit]:
    places: dict[str, list[tuple[str, str]]] = {}
    for one in files:
        for path, key in one.keys.items():
            places.setdefault(key, []).append((one.server.id, path))
    for hit in workspace.search_index.find(places, words, MOST_ENTRIES):
        entry = hit.entry
        for server, path in places[hit.key]:
            detail = " · ".join(part for part in (path, entry.detail[:120]) if part)
            yield NameHit(NameKind.ENTRY, server, entry.label, detail, path, entry.address, entry.line)
