"""A server's files: their state, their text, one place in them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Final, Literal

from sqlalchemy.orm import Session

from zerrit.core.addresses import parse_address
from zerrit.core.archives import MOST_UNPACKED
from zerrit.core.checks import Checked, Unknown, value_in_words, words_of
from zerrit.core.documents import Document, Finding, Format, Node, Severity, format_by_name
from zerrit.core.documents.binary import LOOKED_AT, describe_binary
from zerrit.core.documents.format_writer import dedented
from zerrit.core.documents.lookup import enclosing, find
from zerrit.core.errors import AddressNotFound
from zerrit.core.gamebooks import Gamebook
from zerrit.core.gamebooks.absent_settings import AbsentSetting, first_absent
from zerrit.core.nearest import did_you_mean, nearest
from zerrit.core.packing import pack
from zerrit.core.paths import pack_of
from zerrit.core.rules import FieldRules
from zerrit.core.wildcards import path_matches
from zerrit.records import Change, Server, load_content
from zerrit.work.base.errors import NotFound, Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import base_of, get_change, worked_out
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.live_files import Held, known_files
from zerrit.work.snapshots.snapshots import (
    checked_in,
    contents,
    defaults_of,
    digests,
    documents,
    documents_of,
    findings_in,
    get_snapshot,
    require_latest,
)

FEW_WORDS: Final = 12  # of a list; so many are told one by one
MAX_SHOWN: Final = 2000  # places that one look-up returns


@dataclass(frozen=True, slots=True)
class FileState:
    """One file of a server. `state`: as-shipped, changed, own (not shipped), unknown (no defaults), watched.

    `errors` and `warnings` count the findings in it; None while the files are still being checked.
    """

    path: str
    format: str
    size: int
    state: str
    errors: int | None
    warnings: int | None
    purpose: str
    is_executable: bool | None = None


@dataclass(frozen=True, slots=True)
class Column:
    """A field of a kind of entries, with what the gamebook knows of it."""

    field: str
    rules: FieldRules | None
    words: tuple[str, ...]


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
    read_as: str = ""  #: the format of its file, in words
    absent: tuple[AbsentSetting, ...] = ()  #: of an entry, a group or a file: known settings that it does not have


def list_files(workspace: Workspace, server_id: str, patience: float | None = None) -> list[FileState]:
    """All files of the latest snapshot with their state; without counts where a check takes longer than `patience`, in seconds.

    Raises NotFound.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        latest = require_latest(session, server_id)
        _, gamebook_digest = gamebook_of(session, server)

    def count() -> dict[str, tuple[int, int]]:
        with workspace.session() as own:
            return _counts(findings_in(workspace, own, get_server(own, server_id), require_latest(own, server_id)))

    counts = workspace.ahead.result(("counts", server_id, latest.id, gamebook_digest), count, patience)
    with workspace.session() as session:
        server = get_server(session, server_id)
        snapshot = require_latest(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        shipped = defaults_of(session, server_id, None)
        defaults = digests(session, shipped) if shipped else None
        found = []
        for file in snapshot.files:
            rules = gamebook.file(file.path) if gamebook else None
            state = "watched" if file.digest is None else _state(file.path, file.digest, defaults)
            errors, warnings = (None, None) if counts is None else counts.get(file.path, (0, 0))
            purpose = rules.purpose if rules else ""
            form = (rules.read_as if rules else None) or format_by_name(file.path) or Format.TEXT
            found.append(FileState(file.path, form, file.size, state, errors, warnings, purpose, file.is_executable))
    return found


def empty_folders(workspace: Workspace, server_id: str) -> list[str]:
    """The folders of the latest snapshot in which nothing is. Raises NotFound."""
    with workspace.session() as session:
        get_server(session, server_id)
        return list(require_latest(session, server_id).empty_folders or ())


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
        states = states_of(workspace, session, get_server(session, server_id), change_id)
        return text_file_in(states.after, path), states.findings_in(path)


@dataclass(frozen=True, slots=True)
class FileFormat:
    """How a file is read, and whether its name, the gamebook or its content says so."""

    path: str
    format: Format
    said_by: Literal["name", "gamebook", "content"]


def format_of_file(workspace: Workspace, server_id: str, path: str) -> FileFormat:
    """How a file of the latest snapshot is read. Raises NotFound, Refused: it is no text."""
    with workspace.session() as session:
        server = get_server(session, server_id)
        document = text_file_in(states_of(workspace, session, server, None).after, path)
        gamebook, _ = gamebook_of(session, server)
    rules = gamebook.file(path) if gamebook is not None else None
    by_gamebook = rules is not None and rules.read_as is not None
    return FileFormat(
        path, document.format, "gamebook" if by_gamebook else "name" if not document.is_guessed else "content"
    )


def findings_of(workspace: Workspace, server_id: str, path: str, change_id: int | None) -> tuple[Finding, ...]:
    """What is found in one file, or, where `path` is empty, in all of them. Raises NotFound."""
    with workspace.session() as session:
        states = states_of(workspace, session, get_server(session, server_id), change_id)
    if not path:
        return states.checked.findings
    text_file_in(states.after, path)
    return states.findings_in(path)


def raw_file(workspace: Workspace, server_id: str, path: str) -> bytes:
    """The bytes of one file of the latest snapshot."""
    with workspace.session() as session:
        get_server(session, server_id)
        files = Held(workspace, digests(session, require_latest(session, server_id)))
    if path not in files:
        raise NotFound(f"{server_id} has no file {path}. {did_you_mean(path, files)}".strip())
    return files[path]


def column_of(name: str, node: Node, path: str, gamebook: Gamebook | None, checked: Checked | None) -> Column:
    """A field with what the gamebook knows of it."""
    rules = gamebook.field_rules(path, node) if gamebook else None
    words: tuple[str, ...] = ()
    if rules is not None and isinstance(rules.allowed, tuple):
        words = rules.allowed
    elif rules is not None and isinstance(rules.allowed, str):
        words = listed_words(checked, rules.allowed) if checked is not None else ()
    return Column(name, rules, words)


def listed_words(checked: Checked, name: str) -> tuple[str, ...]:
    """The words of a list as a check found them; none where a file that it comes from is broken."""
    try:
        return words_of(checked.examination, name) if checked.examination is not None else ()
    except Unknown:
        return ()


@dataclass(frozen=True, slots=True)
class Newest:
    """The latest files of a server, with all that is needed to say what is known of them."""

    server: Server
    gamebook: Gamebook | None
    files: Mapping[str, Document]
    checked: Checked
    defaults: Mapping[str, Document]


def newest_of(workspace: Workspace, session: Session, server_id: str, change_id: int | None = None) -> Newest:
    """The files as they are, or as a change leaves them. Raises NotFound."""
    server = get_server(session, server_id)
    gamebook, _ = gamebook_of(session, server)
    states = states_of(workspace, session, server, change_id)
    shipped = defaults_of(session, server_id, None)
    defaults = documents(workspace, session, server, shipped) if shipped else {}
    return Newest(server, gamebook, states.after, states.checked, defaults)


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
    column = column_of(node.name, node, document.path, newest.gamebook, newest.checked)
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
        document.read_as,
        first_absent(newest.gamebook, document, node),
    )


@dataclass(frozen=True, slots=True)
class TextPlace:
    """The innermost entry or field at a place in a text, and what the gamebook knows of it."""

    address: str
    kind: str
    value: str | None
    line: int
    last_line: int
    column: Column | None


def address_in_text(
    workspace: Workspace, server_id: str, path: str, at: tuple[int, int], change_id: int | None
) -> TextPlace:
    """What is at a line and column (both 1-based) of a file, as it is or as a change leaves it. Raises NotFound."""
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        states = states_of(workspace, session, server, change_id)
    document = text_file_in(states.after, path)
    line = min(max(1, at[0]), len(document.source.line_starts))
    node = enclosing(document, document.source.offset_of(line, max(1, at[1])))
    known = column_of(node.name, node, path, gamebook, states.checked) if node.value is not None else None
    return TextPlace(
        document.keys.address_of(node),
        node.kind.value,
        node.value,
        document.line_of(node),
        document.source.line_at(node.end),
        known,
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
class States:
    """The files before and after a change, with what is found in them after it; without a change both are the newest."""

    before: Mapping[str, Document]
    after: Mapping[str, Document]
    checked: Checked

    def findings_in(self, path: str) -> tuple[Finding, ...]:
        """Those of one file."""
        return tuple(finding for finding in self.checked.findings if finding.path == path)


def states_of(workspace: Workspace, session: Session, server: Server, change_id: int | None) -> States:
    """The files of a server, or of a change of it. Raises NotFound."""
    if change_id is None:
        snapshot = require_latest(session, server.id)
        newest = documents(workspace, session, server, snapshot)
        return States(newest, newest, checked_in(workspace, session, server, snapshot))
    known = worked_out(workspace, session, _change_of(session, server, change_id))
    return States(known.before, known.replayed.documents, known.checked)


def _change_of(session: Session, server: Server, change_id: int) -> Change:
    change = get_change(session, change_id)
    if change.server_id != server.id:
        raise NotFound(f"Change {change_id} belongs to {change.server_id}, not to {server.id}.")
    return change


@dataclass(frozen=True, slots=True)
class SeenFile:
    """A file before and after a change; `states` are all files with what is found in them, where that is known already."""

    before: Document | None
    after: Document
    gamebook: Gamebook | None
    states: States | None

    @property
    def findings(self) -> tuple[Finding, ...]:
        return self.states.findings_in(self.after.path) if self.states is not None else ()


def file_within(
    workspace: Workspace, server_id: str, path: str, change_id: int | None, patience: float | None
) -> SeenFile:
    """A file of a server, or as a change leaves it; without findings where these take longer than `patience`, in seconds.

    Raises NotFound.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, gamebook_digest = gamebook_of(session, server)
        latest = require_latest(session, server_id)
        change = _change_of(session, server, change_id) if change_id is not None else None
        has_steps = change is not None and bool(change.steps)
        base = base_of(session, change) if change is not None else latest
        held, base_id = digests(session, base), base.id
        version = change.version if change is not None else 0

    def work_out() -> States:
        with workspace.session() as own:
            return states_of(workspace, own, get_server(own, server_id), change_id)

    key = ("states", base_id, gamebook_digest, change_id, version)
    is_checked = workspace.checked.get((base_id, gamebook_digest)) is not None
    states = workspace.ahead.result(key, work_out, None if has_steps or is_checked else patience)
    if states is not None:
        return SeenFile(states.before.get(path), text_file_in(states.after, path), gamebook, states)
    with workspace.ahead.first(), workspace.session() as session:
        server = get_server(session, server_id)
        wanted = {path: held[path]} if path in held else {}
        document = text_file_in(documents_of(workspace, session, server, wanted), path)
    return SeenFile(document, document, gamebook, None)


def file_in(files: Mapping[str, Document], path: str, server_id: str) -> Document:
    """The file of a server at a path. Raises AddressNotFound, with the nearest ones."""
    if path not in files:
        close = nearest(path, files)
        hint = f" Nearest: {', '.join(close)}." if close else ""
        raise AddressNotFound(f"{server_id} has no file {path}.{hint}", path, path, 0, close)
    return files[path]


def text_file_in(files: Mapping[str, Document], path: str) -> Document:
    """The text file at a path. Raises NotFound, with the nearest one."""
    if path not in files:
        raise NotFound(f"There is no text file {path}. {did_you_mean(path, files)}".strip())
    return files[path]


def stored_bytes(workspace: Workspace, server_id: str, path: str, snapshot_id: int | None = None) -> tuple[str, bytes]:
    """A file as it is stored in a snapshot, or a folder as a ZIP: the name to save it under, and its bytes.

    Raises NotFound: there is neither. Refused: its content is not kept, or the folder is too large to be packed.
    """
    name = path.rstrip("/")
    with workspace.session() as session:
        snapshot = get_snapshot(session, server_id, snapshot_id) if snapshot_id else require_latest(session, server_id)
        kept = contents(session, snapshot)
        there = {file.path: file.size for file in snapshot.files if not pack_of(file.path) or pack_of(name)}
    inside = [one for one in there if one.startswith(f"{name}/")]
    wanted = [name] if name in there else inside
    if not wanted:
        raise NotFound(
            f"{server_id} has no file or folder {name} in snapshot {snapshot.id}. {did_you_mean(name, there)}".rstrip()
        )
    unknown = [one for one in wanted if one not in kept]
    if unknown:
        raise Refused(f"{unknown[0]} is only watched, so its content is not kept. Download it from the host.")
    if sum(there[one] for one in wanted) > MOST_UNPACKED:
        raise Refused(f"{name} has more than {MOST_UNPACKED >> 20} MB. Take a folder in it, or single files.")
    held = Held(workspace, {one: kept[one] for one in wanted})
    base = name.rpartition("/")[2]
    if name in there:
        return base, held[name]
    return f"{base}.zip", pack("zip", {one[len(name) + 1 :]: held[one] for one in wanted})
