"""Looking into a server's files: their state, their entries, one place in them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Final

from sqlalchemy.orm import Session

from zerrit.core.addresses import parse_address
from zerrit.core.checks import Checked, Unknown, value_in_words, words_of
from zerrit.core.compare import DifferenceKind, compare_documents
from zerrit.core.documents import Document, Finding, Node, Severity, format_of
from zerrit.core.documents.binary import LOOKED_AT, describe_binary
from zerrit.core.documents.format_writer import dedented
from zerrit.core.documents.lookup import find
from zerrit.core.errors import AddressNotFound
from zerrit.core.gamebooks import Gamebook
from zerrit.core.nearest import did_you_mean, nearest
from zerrit.core.rules import FieldRules
from zerrit.core.wildcards import path_matches
from zerrit.records import Server, load_content
from zerrit.work.base.errors import NotFound
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import get_change, worked_out
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.live_files import Held, known_files
from zerrit.work.snapshots.snapshots import checked_in, defaults_of, digests, documents, findings_in, require_latest

SETTINGS: Final = "settings"  #: the kind of all values that belong to no repeated entry
FEW_WORDS: Final = 12  # of a list; so many are told one by one
MAX_SHOWN: Final = 2000  # places that one look-up returns


@dataclass(frozen=True, slots=True)
class FileState:
    """One file of a server. `state`: as-shipped, changed, own (not shipped), unknown (no defaults), watched."""

    path: str
    format: str
    size: int
    state: str
    errors: int
    warnings: int
    purpose: str


@dataclass(frozen=True, slots=True)
class Column:
    """A field of a kind of entries, with what the gamebook knows of it."""

    field: str
    rules: FieldRules | None
    words: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Row:
    """One entry. `trail` are the keys from the outermost entry down; `cells` the values by field."""

    address: str
    trail: str
    line: int
    comment: str
    cells: Mapping[str, str]
    changed: frozenset[str]  #: fields that the open change has changed
    findings: Mapping[str, str]  #: what is wrong, by field
    known: Column | None = None  #: of a setting, which has no column of its own: what the gamebook knows of it


@dataclass(frozen=True, slots=True)
class Entries:
    kinds: Mapping[str, int]
    kind: str
    columns: tuple[Column, ...]
    rows: tuple[Row, ...]


@dataclass(frozen=True, slots=True)
class Place:
    """One place that an address leads to."""

    address: str
    kind: str
    value: str | None
    source: str
    comment: str
    note: str
    line: int
    default: str | None
    allowed: str
    findings: tuple[Finding, ...]  #: those whose line is one of its lines


def list_files(workspace: Workspace, server_id: str) -> list[FileState]:
    """All files of the latest snapshot with their state."""
    with workspace.session() as session:
        server = get_server(session, server_id)
        snapshot = require_latest(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        shipped = defaults_of(session, server_id, None)
        defaults = digests(session, shipped) if shipped else None
        counts = _counts(findings_in(workspace, session, server, snapshot))
        found = []
        for file in snapshot.files:
            rules = gamebook.file(file.path) if gamebook else None
            state = "watched" if file.digest is None else _state(file.path, file.digest, defaults)
            errors, warnings = counts.get(file.path, (0, 0))
            purpose = rules.purpose if rules else ""
            found.append(FileState(file.path, format_of(file.path).value, file.size, state, errors, warnings, purpose))
    return found


def _state(path: str, digest: str, defaults: Mapping[str, str] | None) -> str:
    if defaults is None:
        return "unknown"
    if path not in defaults:
        return "own"
    return "as-shipped" if defaults[path] == digest else "changed"


def _counts(findings: tuple[Finding, ...]) -> dict[str, tuple[int, int]]:
    counts: dict[str, tuple[int, int]] = {}
    for finding in findings:
        errors, warnings = counts.get(finding.path, (0, 0))
        is_error, is_warning = finding.severity is Severity.ERROR, finding.severity is Severity.WARNING
        counts[finding.path] = (errors + is_error, warnings + is_warning)
    return counts


def read_file(
    workspace: Workspace, server_id: str, path: str, change_id: int | None
) -> tuple[Document, tuple[Finding, ...]]:
    """One file as it is, or as a change leaves it, with all findings in it."""
    with workspace.session() as session:
        states = _states(workspace, session, get_server(session, server_id), change_id)
        return _one(states.after, path), states.findings_in(path)


def raw_file(workspace: Workspace, server_id: str, path: str) -> bytes:
    """The bytes of one file of the latest snapshot."""
    with workspace.session() as session:
        get_server(session, server_id)
        files = Held(workspace, digests(session, require_latest(session, server_id)))
    if path not in files:
        raise NotFound(f"{server_id} has no file {path}. {did_you_mean(path, files)}".strip())
    return files[path]


def list_entries(workspace: Workspace, server_id: str, path: str, kind: str, change_id: int | None) -> Entries:
    """The entries of one kind in a file as rows and columns; without a kind, those there are most of."""
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        states = _states(workspace, session, server, change_id)
    document = _one(states.after, path)
    groups = _kinds(document)
    kinds = {name: len(nodes) for name, nodes in groups.items()}
    chosen = kind or max(kinds, key=lambda name: kinds[name], default=SETTINGS)
    if chosen not in groups:
        return Entries(kinds, chosen, (), ())
    marks = _Marks(
        _changed_addresses(states.before.get(path), document),
        {f.address.partition("#")[2]: f"{f.message} {f.hint}".rstrip() for f in states.findings_in(path)},
    )
    if chosen == SETTINGS:
        rows = tuple(
            _setting_row(document, node, marks, _column("value", node, path, gamebook, states.checked))
            for node in groups[chosen]
        )
        return Entries(kinds, chosen, (Column("value", None, ()),), rows)
    names = list(dict.fromkeys(c.name for node in groups[chosen] for c in node.children if c.value is not None))
    first = {name: next(c for node in groups[chosen] for c in node.children if c.name == name) for name in names}
    columns = tuple(_column(name, first[name], path, gamebook, states.checked) for name in names)
    rows = tuple(_row(document, node, marks) for node in groups[chosen])
    return Entries(kinds, chosen, columns, rows)


def _kinds(document: Document) -> dict[str, list[Node]]:
    """Groups that have siblings of their kind, by their names; and all values that belong to none of them."""
    groups: dict[str, list[Node]] = {}
    settings: list[Node] = []
    stack = [(document.root, False)]
    while stack:
        node, in_entry = stack.pop()
        is_group = node.parent is not None and not node.is_value and bool(node.children)
        is_entry = is_group and document.keys.field_for(node.names) is not None
        if is_entry and any(child.value is not None for child in node.children):
            groups.setdefault("/".join(name or "*" for name in node.names), []).append(node)
        if node.value is not None and not in_entry and node.parent is not None:
            settings.append(node)
        stack.extend((child, in_entry or is_entry) for child in reversed(node.children))
    if settings:
        groups[SETTINGS] = settings
    return groups


@dataclass(frozen=True, slots=True)
class _Marks:
    """What is to be marked in a grid: addresses that a change has changed, and findings by address."""

    changed: frozenset[str]
    findings: Mapping[str, str]


def _setting_row(document: Document, node: Node, marks: _Marks, known: Column) -> Row:
    address = document.keys.address_of(node)
    changed = frozenset({"value"}) if address in marks.changed else frozenset[str]()
    wrong = {"value": marks.findings[address]} if address in marks.findings else {}
    cells = {"value": node.value or ""}
    return Row(address, address, document.line_of(node), node.comment, cells, changed, wrong, known)


def _row(document: Document, node: Node, marks: _Marks) -> Row:
    address = document.keys.address_of(node)
    trail: list[str] = []
    above: Node | None = node
    while above is not None and above.parent is not None:
        trail.append(document.keys.key_of(above) or above.name)
        above = above.parent
    cells = {child.name: child.value or "" for child in node.children if child.value is not None}
    is_new = address in marks.changed
    changed = frozenset(name for name in cells if is_new or f"{address}/{name}" in marks.changed)
    places = {name: f"{address}/{name}" for name in cells} | {"": address}  # a rule may speak of the entry as a whole
    wrong = {name: marks.findings[place] for name, place in places.items() if place in marks.findings}
    return Row(address, " / ".join(reversed(trail)), document.line_of(node), node.comment, cells, changed, wrong)


def _column(name: str, node: Node, path: str, gamebook: Gamebook | None, checked: Checked) -> Column:
    rules = gamebook.field_rules(path, node) if gamebook else None
    words: tuple[str, ...] = ()
    if rules is not None and isinstance(rules.allowed, tuple):
        words = rules.allowed
    elif rules is not None and isinstance(rules.allowed, str):
        words = listed_words(checked, rules.allowed)
    return Column(name, rules, words)


def listed_words(checked: Checked, name: str) -> tuple[str, ...]:
    """The words of a list as a check found them; none where a file that it comes from is broken."""
    try:
        return words_of(checked.examination, name) if checked.examination is not None else ()
    except Unknown:
        return ()


def _changed_addresses(before: Document | None, after: Document) -> frozenset[str]:
    if before is None or before.text == after.text:
        return frozenset()
    kinds = (DifferenceKind.CHANGED, DifferenceKind.ADDED, DifferenceKind.RENAMED)
    return frozenset(d.address.partition("#")[2] for d in compare_documents(before, after) if d.kind in kinds)


@dataclass(frozen=True, slots=True)
class Newest:
    """The latest files of a server, with all that is needed to say what is known of them."""

    server: Server
    gamebook: Gamebook | None
    files: Mapping[str, Document]
    checked: Checked
    defaults: Mapping[str, Document]


def newest_of(workspace: Workspace, session: Session, server_id: str) -> Newest:
    """Raises NotFound."""
    server = get_server(session, server_id)
    gamebook, _ = gamebook_of(session, server)
    latest = require_latest(session, server_id)
    files = documents(workspace, session, server, latest)
    checked = checked_in(workspace, session, server, latest)
    shipped = defaults_of(session, server_id, None)
    defaults = documents(workspace, session, server, shipped) if shipped else {}
    return Newest(server, gamebook, files, checked, defaults)


def show(workspace: Workspace, server_id: str, address_text: str) -> list[Place]:
    """What is at an address, with what is known of it.

    Raises AddressInvalid, AddressNotFound with the nearest existing ones, NotFound.
    """
    address = parse_address(address_text)
    with workspace.session() as session:
        newest = newest_of(workspace, session, server_id)
    files = newest.files
    paths = [path for path in files if path_matches(address.path, path)]
    if not paths:
        others = _other_places(workspace, server_id, address.path)
        if others and not address.segments:
            return others
        file_in(files, address.path, server_id)
    places = [
        place_in(files[path], node, newest)
        for path in paths
        for node in find(files[path], address.segments)[:MAX_SHOWN]
    ]
    return places[:MAX_SHOWN]


def _other_places(workspace: Workspace, server_id: str, pattern: str) -> list[Place]:
    """Files that are no text: what they are, never their bytes."""
    with workspace.session() as session:
        snapshot = require_latest(session, server_id)
        known = known_files(session, snapshot.id)
        found = [file for path, file in known.items() if path_matches(pattern, path)][:MAX_SHOWN]
    places = []
    for file in found:
        start = b""
        if file.digest:
            with workspace.session() as session:
                start = load_content(session, file.digest)[:LOOKED_AT]
        said = describe_binary(start, file.size, file.digest or "")
        places.append(Place(file.path, "binary", None, said, "", "", 0, None, "", ()))
    return places


def place_in(document: Document, node: Node, newest: Newest) -> Place:
    """What is at a node, with what is known of it."""
    column = _column(node.name, node, document.path, newest.gamebook, newest.checked)
    default = newest.defaults.get(document.path)
    address = document.keys.address_of(node)
    shipped = default.select(address) if default is not None and address else []
    return Place(
        f"{document.path}#{address}" if address else document.path,
        node.kind.value,
        node.value,
        dedented(document, node.start, document.text[node.start : node.end]),
        node.comment,
        column.rules.note if column.rules else "",
        document.line_of(node),
        shipped[0].value if len(shipped) == 1 else None,
        allowed_text(column),
        findings_at(document, node, newest.checked.findings),
    )


def findings_at(document: Document, node: Node, findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Those of the findings that are about a line of the node."""
    first, last = document.line_of(node), document.source.line_at(node.end)
    return tuple(f for f in findings if f.path == document.path and first <= f.line <= last)


def allowed_text(column: Column) -> str:
    """What a field may hold, in words; empty where nothing is known."""
    if column.rules is None:
        return ""
    said = value_in_words(column.rules, len(column.words))
    is_short = isinstance(column.rules.allowed, str) and 0 < len(column.words) <= FEW_WORDS
    return f"{said}: {', '.join(column.words)}" if is_short else said


@dataclass(frozen=True, slots=True)
class _States:
    """The files before and after a change, with what is found in them after it; without a change both are the newest."""

    before: Mapping[str, Document]
    after: Mapping[str, Document]
    checked: Checked

    def findings_in(self, path: str) -> tuple[Finding, ...]:
        return tuple(finding for finding in self.checked.findings if finding.path == path)


def _states(workspace: Workspace, session: Session, server: Server, change_id: int | None) -> _States:
    if change_id is None:
        snapshot = require_latest(session, server.id)
        newest = documents(workspace, session, server, snapshot)
        return _States(newest, newest, checked_in(workspace, session, server, snapshot))
    change = get_change(session, change_id)
    if change.server_id != server.id:
        raise NotFound(f"Change {change_id} belongs to {change.server_id}, not to {server.id}.")
    known = worked_out(workspace, session, change)
    return _States(known.before, known.replayed.documents, known.checked)


def file_in(files: Mapping[str, Document], path: str, server_id: str) -> Document:
    """The file of a server at a path. Raises AddressNotFound, with the nearest ones."""
    if path not in files:
        close = nearest(path, files)
        hint = f" Nearest: {', '.join(close)}." if close else ""
        raise AddressNotFound(f"{server_id} has no file {path}.{hint}", path, path, 0, close)
    return files[path]


def _one(files: Mapping[str, Document], path: str) -> Document:
    if path not in files:
        raise NotFound(f"There is not text file {path}. {did_you_mean(path, files)}".strip())
    return files[path]
