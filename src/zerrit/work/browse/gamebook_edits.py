"""Edits of a server's gamebook by its rules: suggested ones, those behind findings, those between two fields, any other.

Every edit is worked out on the text of the gamebook as it is now, tested on the latest files, and saved only when it is
asked for; what it would find stands beside it either way.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from difflib import unified_diff
from hashlib import sha256
from typing import Any, Final

from sqlalchemy.orm import Session

from zerrit.core.addresses import parse_address
from zerrit.core.checks import (
    Checked,
    Files,
    RuleStatistic,
    Sample,
    check_files_of,
    gather_files,
    samples_of,
    statistics_of,
)
from zerrit.core.checks.draft_exceptions import exceptions_in
from zerrit.core.documents import Document, Finding, Format, Severity
from zerrit.core.errors import GamebookInvalid
from zerrit.core.file_steps import NOT_KEPT
from zerrit.core.gamebooks import Gamebook, PlacedRule, read_gamebook
from zerrit.core.gamebooks.rule_edits import data_at, with_part, without_part
from zerrit.core.gamebooks.rule_proposals import (
    Part,
    Relation,
    allowing,
    located,
    place_of_field,
    relating,
    skipping,
    weighing,
    with_parts,
)
from zerrit.core.gamebooks.source_lines import Location
from zerrit.core.gamebooks.suggested_rules import accepted, evidence_of, identity_of, is_new, is_open, rejected
from zerrit.core.rules import DecisionRule
from zerrit.core.wildcards import path_matches
from zerrit.databases import query
from zerrit.records import PlaceNote, Server
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Outdated, Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.browse.file_browser import newest_of
from zerrit.work.browse.gamebook_review import Trial, draft_from_defaults, draft_key, test_gamebook
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of, kept_bases, save_gamebook
from zerrit.work.snapshots.live_files import Held
from zerrit.work.snapshots.snapshots import checked_in, digests, require_latest

MOST_EXCEPTIONS: Final = 5
MOST_SUGGESTED: Final = 500


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A rule that was seen in files and that no one has decided about, with what speaks for and against it.

    `evidence` is what was counted in the defaults, `samples` are values in the latest files, `exceptions` places there that
    break it; `elsewhere` is how many places on other servers do. `origin`: it stands in the drafted `gamebook`, or only in a `draft`.
    """

    id: str
    rule: RuleStatistic
    evidence: str
    samples: tuple[Sample, ...]
    exceptions: tuple[Finding, ...]
    elsewhere: int
    origin: str


@dataclass(frozen=True, slots=True)
class GamebookEdit:
    """An edit of a gamebook, and what it finds in the latest files. `rule` is the rule that it is about.

    `lines` are those that differ and some around them, each with what it is: `same`, `added`, `removed`, or a `gap`.
    """

    name: str
    text: str
    lines: tuple[tuple[str, str], ...]
    trial: Trial
    rule: RuleStatistic | None
    is_saved: bool


@dataclass(frozen=True, slots=True)
class _Source:
    """A gamebook that suggests rules, and the check of the latest files by it."""

    gamebook: Gamebook
    checked: Checked
    origin: str


@dataclass(frozen=True, slots=True)
class _Book:
    """The gamebook of a server as it is edited; of one that has none an empty one, under the name that it would get."""

    name: str
    gamebook: Gamebook
    is_there: bool


def book_of(session: Session, server: Server) -> _Book:
    """The gamebook that edits of a server go into."""
    gamebook, _ = gamebook_of(session, server)
    if gamebook is not None:
        return _Book(server.gamebook or "", gamebook, is_there=True)
    name = server.gamebook or server.id
    empty, _ = read_gamebook(f"gamebook: 1\ngame: {name}\n".encode(), f"{name}.yml")
    if empty is None:  # it never is: names of servers are plain
        raise NotFound(f"{server.id} has no gamebook.")
    return _Book(name, empty, is_there=False)


# --- suggestions --------------------------------------------------------------------------------------------------------


def suggestions(workspace: Workspace, server_id: str) -> tuple[Suggestion, ...]:
    """The rules that are suggested for a server, the most certain first. Raises NotFound: nothing was fetched yet."""
    with workspace.session() as session:
        server = get_server(session, server_id)
        book = book_of(session, server)
        latest = require_latest(session, server_id)
        checked = checked_in(workspace, session, server, latest) if book.is_there else None
    found: list[Suggestion] = []
    if checked is not None and book.gamebook.rules.drafted:
        found += _suggested(book, _Source(book.gamebook, checked, "gamebook"))
    drafted = _draft(workspace, server_id)
    if drafted is not None:
        found += _suggested(book, drafted)
    found.sort(key=lambda one: (one.elsewhere > 0, -_confidence(one)))
    return tuple(found[:MOST_SUGGESTED])


def _confidence(suggestion: Suggestion) -> float:
    """As the draft says it; a rule for which it says nothing comes last."""
    said = re.search(r"confidence (0?\.\d+|1)", suggestion.evidence)
    return float(said.group(1)) if said is not None else 0.0


def _paths(source: _Source) -> tuple[str, ...]:
    return tuple(source.checked.examination.documents) if source.checked.examination is not None else ()


def _draft(workspace: Workspace, server_id: str) -> _Source | None:
    """A new draft from the defaults, checked on the latest files; None where there are no defaults."""
    with workspace.session() as session:
        get_server(session, server_id)
        require_latest(session, server_id)
        key = draft_key(session, server_id)
    if not key[0]:
        return None  # there are no defaults
    known = workspace.drafted.get(key)
    if isinstance(known, _Source):
        return known
    gamebook, _ = read_gamebook(draft_from_defaults(workspace, server_id).encode(), "draft.yml")
    if gamebook is None:
        return None
    found = _Source(gamebook, _checked(workspace, server_id, gamebook), "draft")
    workspace.drafted.keep(key, found)
    return found


def _checked(workspace: Workspace, server_id: str, gamebook: Gamebook) -> Checked:
    """The latest files of a server, checked by another gamebook than its own."""
    with workspace.session() as session:
        latest = require_latest(session, server_id)
        contents = Held(workspace, digests(session, latest))
        watched = [file.path for file in latest.files if file.digest is None]
    files = gather_files(contents, gamebook, query=query)
    return check_files_of(
        Files(files.documents, {**files.others, **dict.fromkeys(watched, NOT_KEPT)}, files.data, files.query), gamebook
    )


def _is_suggested(book: _Book, source: _Source, placed: PlacedRule) -> bool:
    if source.origin == "gamebook":
        return is_open(book.gamebook, placed)
    return is_new(book.gamebook, placed, _paths(source))


def _suggested(book: _Book, source: _Source) -> list[Suggestion]:
    statistics = {one.id: one for one in statistics_of(source.checked)}
    against: dict[str, list[Finding]] = {}
    for finding in source.checked.findings:
        against.setdefault(finding.rule, []).append(finding)
    found = []
    for placed in source.gamebook.placed:
        statistic = statistics.get(placed.id)
        if statistic is None or not _is_suggested(book, source, placed):
            continue
        evidence = evidence_of(source.gamebook, placed)
        found.append(
            Suggestion(
                _id_of(source.origin, placed),
                statistic,
                evidence,
                samples_of(source.checked, placed),
                tuple(against.get(placed.id, ())[:MOST_EXCEPTIONS]),
                exceptions_in(evidence),
                source.origin,
            )
        )
    return found


def _id_of(origin: str, placed: PlacedRule) -> str:
    return f"{origin}-{sha256(identity_of(placed).encode()).hexdigest()[:12]}"


def decide(
    workspace: Workspace,
    person: str,
    server_id: str,
    suggestions: Sequence[str],
    *,
    accept: bool,
    data: Mapping[str, Any] | None = None,
    is_dry: bool = False,
) -> GamebookEdit:
    """Accept suggested rules, or reject them: all, or none where one is suggested no more.

    A single one can be accepted as `data` says.

    Raises NotFound: one is suggested no more. Refused: `data` is given for several. GamebookInvalid: it does not make a valid rule.
    EditRefused.
    """
    if data is not None and len(suggestions) != 1:
        raise Refused("A rule can be changed where a single one is accepted. Accept these without data.")
    with workspace.session() as session:
        server = get_server(session, server_id)
        at_first = book = book_of(session, server)
        latest = require_latest(session, server_id)
        own = checked_in(workspace, session, server, latest) if book.is_there else None
    location: Location = ()
    for suggestion in suggestions:
        source = _Source(book.gamebook, own, "gamebook") if own is not None else None
        if suggestion.startswith("draft-"):
            source = _draft(workspace, server_id)
        text, location = _decided(book, source, suggestion, accept=accept, data=data)
        with workspace.session() as session:
            gamebook, faults = read_gamebook(text.encode(), f"{book.name}.yml", kept_bases(session), (book.name,))
        if gamebook is None:
            raise GamebookInvalid(f"This is not a rule yet: {'; '.join(one.message for one in faults[:5])}")
        book = _Book(book.name, gamebook, book.is_there)
    location = location if len(suggestions) == 1 else ()
    return _edited(workspace, person, server_id, at_first, book.gamebook.source.text, location, is_dry=is_dry)


def _decided(
    book: _Book, source: _Source | None, suggestion: str, *, accept: bool, data: Mapping[str, Any] | None
) -> tuple[str, Location]:
    """The text of the gamebook after a decision, and where the rule stands in it. Raises NotFound, EditRefused."""
    for placed in source.gamebook.placed if source is not None else ():
        if source is None or _id_of(source.origin, placed) != suggestion or not _is_suggested(book, source, placed):
            continue
        if not accept:
            return rejected(book.gamebook, source.gamebook, placed), ()
        given = dict(data) if data is not None else None
        return accepted(book.gamebook, source.gamebook, placed, _paths(source), given)
    raise NotFound("This rule is suggested no more: someone decided about it, or the files changed. Look again.")


# --- any rule -----------------------------------------------------------------------------------------------------------


def put_rule(
    workspace: Workspace,
    person: str,
    server_id: str,
    location: Location,
    data: Mapping[str, Any] | None,
    *,
    is_dry: bool = False,
) -> GamebookEdit:
    """Put a rule at a place of the gamebook, in place of what is there; without `data` it is removed.

    Raises GamebookInvalid: it does not make a valid rule. EditRefused.
    """

    def edit(gamebook: Gamebook) -> tuple[str, Location]:
        text = gamebook.source.text
        return (without_part(text, location), ()) if data is None else (with_part(text, location, dict(data)), location)

    return _on_book(workspace, person, server_id, edit, is_dry=is_dry)


def keep_note(workspace: Workspace, person: str, note_id: int, *, is_dry: bool = False) -> GamebookEdit:
    """Put a note beside a value into the gamebook, as a decision that is told to whoever changes the value.

    Raises NotFound. Refused: the note is a comment in a change, or beside nothing, or the gamebook has a decision there.
    """
    with workspace.session() as session:
        row = session.get(PlaceNote, note_id)
        if row is None:
            raise NotFound(f"There is no note {note_id}.")
        if row.change_id is not None or not parse_address(row.address).segments:
            raise Refused("A note beside a value can be put into the gamebook; this one is not beside a value.")
        server_id, address = row.server_id, row.address
        data = {
            "at": address,
            "why": " ".join(row.text.split()),
            "by": row.author,
            "since": f"{row.created_at:%Y-%m-%d}",
        }

    def edit(gamebook: Gamebook) -> tuple[str, Location]:
        there = [placed.rule for placed in gamebook.placed if isinstance(placed.rule, DecisionRule)]
        if any(one.at == address for one in there):
            raise Refused(f"The gamebook has a decision at {address} already. Change that one.")
        text = gamebook.source.text
        location: Location = ("decisions", len(data_at(text, ("decisions",)) or ()))
        return with_part(text, location, data), location

    return _on_book(workspace, person, server_id, edit, is_dry=is_dry)


def read_file_as(
    workspace: Workspace, person: str, server_id: str, path: str, format: Format | None, *, is_dry: bool = False
) -> GamebookEdit:
    """Say in the gamebook how a file is read; without a format, that is left to its name and its content again.

    Where the gamebook knows the file by a pattern, it holds for all files of that pattern. Raises EditRefused.
    """

    def edit(gamebook: Gamebook) -> tuple[str, Location]:
        files = gamebook.rules.files
        known = path if path in files else next((one for one in files if path_matches(one, path)), path)
        place = ("files", known, "read_as")
        text = gamebook.source.text
        if format is None:
            is_said = known in files and files[known].read_as is not None
            return (without_part(text, place) if is_said else text), ()
        return with_part(text, place, format.value), ()

    return _on_book(workspace, person, server_id, edit, is_dry=is_dry)


def relate(
    workspace: Workspace,
    person: str,
    server_id: str,
    relation: Relation,
    first: str,
    second: str,
    *,
    is_dry: bool = False,
) -> GamebookEdit:
    """Make a rule between two fields, given by their addresses. Raises EditRefused, AddressNotFound."""
    with workspace.session() as session:
        files = newest_of(workspace, session, server_id, None).files
    fields = [_field(files, server_id, text) for text in (first, second)]

    def edit(gamebook: Gamebook) -> tuple[str, Location]:
        parts = relating(gamebook, relation, fields[0], fields[1])
        text = with_parts(gamebook.source.text, parts)
        if gamebook.rules.drafted:
            text = (
                with_part(text, (*parts[-1].location, "approved"), True) if isinstance(parts[-1].data, dict) else text
            )
        return text, parts[-1].location

    return _on_book(workspace, person, server_id, edit, is_dry=is_dry)


def place_of_rule(workspace: Workspace, server_id: str, address: str) -> Part:
    """Where the rule of a field stands in the gamebook of a server, or would stand. Raises EditRefused, NotFound."""
    with workspace.session() as session:
        files = newest_of(workspace, session, server_id, None).files
        book = book_of(session, get_server(session, server_id))
    return place_of_field(book.gamebook, _field(files, server_id, address))


def _field(files: Mapping[str, Document], server_id: str, text: str) -> Any:
    address = parse_address(text)
    document = files.get(address.path)
    if document is None:
        raise NotFound(f"{server_id} has no file {address.path}.")
    return document, located(document, text.partition("#")[2])


def adjust(
    workspace: Workspace,
    person: str,
    server_id: str,
    code: str,
    address: str,
    how: str,
    *,
    change_id: int | None = None,
    is_dry: bool = False,
) -> GamebookEdit:
    """Change the rule behind a finding: `allow` its value, `skip-file`, or make it an `error`, `warning` or `notice`.

    Raises NotFound: there is no such finding. EditRefused: this cannot be said by a rule.
    """
    with workspace.session() as session:
        newest = newest_of(workspace, session, server_id, change_id)
        found = next((f for f in newest.checked.findings if f.code == code and (f.address or f.path) == address), None)
    if found is None:
        raise NotFound(f"`{code}` is not found at {address} now. Look at the findings again.")
    finding = found

    def edit(gamebook: Gamebook) -> tuple[str, Location]:
        if how == "allow":
            parts = allowing(gamebook, finding, _field(newest.files, server_id, finding.address)[1])
        elif how == "skip-file":
            parts = skipping(gamebook, finding)
        else:
            parts = weighing(gamebook, finding, Severity(how))
        placed = gamebook.by_id.get(finding.rule)
        return with_parts(gamebook.source.text, parts), placed.location if placed is not None else ()

    return _on_book(workspace, person, server_id, edit, is_dry=is_dry)


# --- testing and saving -------------------------------------------------------------------------------------------------


def save_as_gamebook_of(workspace: Workspace, person: str, server_id: str, text: str) -> str:
    """Save a text as the gamebook of a server, under the name that it has or, without one, the name of the server.

    Raises GamebookInvalid, NotFound.
    """
    with workspace.session() as session:
        name = book_of(session, get_server(session, server_id)).name
    _save(workspace, person, server_id, name, text)
    return name


def _on_book(
    workspace: Workspace,
    person: str,
    server_id: str,
    edit: Callable[[Gamebook], tuple[str, Location]],
    *,
    is_dry: bool,
) -> GamebookEdit:
    with workspace.session() as session:
        book = book_of(session, get_server(session, server_id))
    text, location = edit(book.gamebook)
    return _edited(workspace, person, server_id, book, text, location, is_dry=is_dry)


def _edited(
    workspace: Workspace, person: str, server_id: str, book: _Book, text: str, location: Location, *, is_dry: bool
) -> GamebookEdit:
    with workspace.session() as session:
        gamebook, faults = read_gamebook(text.encode(), f"{book.name}.yml", kept_bases(session), (book.name,))
    if gamebook is None:
        raise GamebookInvalid(f"This is not a rule yet: {'; '.join(one.message for one in faults[:5])}")
    trial = test_gamebook(workspace, server_id, text)
    placed = next((one for one in gamebook.placed if one.location == location), None)
    rule = next((one for one in trial.rules if placed is not None and one.id == placed.id), None)
    if not is_dry:
        # A rule that cannot be worked out on these files would be an error in every check, and block each deploy.
        fault = next((one for one in trial.appeared if one.code == "gamebook.invalid"), None)
        if fault is not None:
            raise GamebookInvalid(f"The rule cannot be used on these files, so it was not saved. {fault.message}")
        with workspace.session() as session:
            now = book_of(session, get_server(session, server_id))
        if now.gamebook.source.text != book.gamebook.source.text:
            raise Outdated(f"The gamebook {book.name} was edited in the meantime. Look at it again.")
        _save(workspace, person, server_id, book.name, text)
    return GamebookEdit(
        book.name, text, tuple(_lines(book.gamebook.source.text, text)), trial, rule, is_saved=not is_dry
    )


_SIGNS: Final = {"+": "added", "-": "removed", " ": "same"}


def _lines(old: str, new: str) -> Iterator[tuple[str, str]]:
    difference = list(unified_diff(old.splitlines(), new.splitlines(), lineterm="", n=2))[2:]
    for number, line in enumerate(difference):
        if not line.startswith("@@"):
            yield _SIGNS[line[0]], line[1:]
        elif number > 0:
            yield "gap", ""


def _save(workspace: Workspace, person: str, server_id: str, name: str, text: str) -> None:
    save_gamebook(workspace, person, name, text)
    with workspace.writing() as session:
        server = get_server(session, server_id)
        if server.gamebook != name:
            server.gamebook = name
            note(workspace, session, person, "server.changed", server_id, f"its gamebook is {name}")
    workspace.publish("server", {"server": server_id})
