"""A gamebook beside a server's files: what is known of each file, how often each rule holds, trying an edited one."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

from sqlalchemy.orm import Session

from zerrit.core.checks import Checked, RuleStatistic, Unknown, check_files_of, gather_files, statistics_of, words_of
from zerrit.core.checks.cases import CaseResult, failed_cases
from zerrit.core.checks.draft_exceptions import with_exceptions
from zerrit.core.discovery import SeenFile, Sort, discover
from zerrit.core.documents import Finding
from zerrit.core.documents.findings import known_again
from zerrit.core.drafting import draft
from zerrit.core.file_steps import NOT_KEPT
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.core.gamebooks.rule_edits import data_at, with_part
from zerrit.core.nearest import did_you_mean
from zerrit.core.wildcards import path_matches
from zerrit.databases import query
from zerrit.records import Gamebook as GamebookRow
from zerrit.records import Server, Snapshot, load_content
from zerrit.work.base.errors import NotFound
from zerrit.work.base.workspace import Workspace
from zerrit.work.browse.rolled_back_values import advice_of_rollbacks, rolled_back
from zerrit.work.browse.run_lessons import (
    confirmed,
    ended_runs,
    kept_logs,
    servers_alike,
    with_confirmed_values,
    written_at_stops,
)
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of, kept_bases, list_gamebooks
from zerrit.work.snapshots.live_files import Held
from zerrit.work.snapshots.snapshots import checked_in, digests, latest_snapshot, list_snapshots, require_latest

MOST_OTHERS: Final = 6  #: servers whose files a draft is held against


@dataclass(frozen=True, slots=True)
class KnownFile:
    """What the gamebook knows of the files that a pattern fits."""

    pattern: str
    purpose: str
    takes_effect: str
    files: int
    rules: int
    line: int


@dataclass(frozen=True, slots=True)
class KnownList:
    """A list with its words, and in words where they come from. `words` is None where a file that is needed is broken."""

    name: str
    source: str
    note: str
    words: tuple[str, ...] | None
    line: int


@dataclass(frozen=True, slots=True)
class Overview:
    """A gamebook beside the latest files of a server."""

    name: str
    text: str
    drafted: str
    trouble: Mapping[str, Any]  #: that part as it is written
    files: tuple[KnownFile, ...]
    unknown: tuple[str, ...]  #: paths of text files that no rule knows
    lists: tuple[KnownList, ...]
    rules: tuple[RuleStatistic, ...]
    findings: int


@dataclass(frozen=True, slots=True)
class Trial:
    """An edited gamebook on the latest files: faults that keep it from being used, and what it would find."""

    faults: tuple[Finding, ...]
    appeared: tuple[Finding, ...]
    gone: tuple[Finding, ...]
    rules: tuple[RuleStatistic, ...]
    failed_cases: tuple[CaseResult, ...] = ()


def gamebook_text(workspace: Workspace, name: str) -> str:
    """The text of a kept gamebook. Raises NotFound."""
    with workspace.session() as session:
        row = session.get(GamebookRow, name)
        if row is None:
            close = did_you_mean(name, [one.name for one in list_gamebooks(session)])
            raise NotFound(f"There is no gamebook {name}. {close}".rstrip())
        return load_content(session, row.digest).decode()


def overview(workspace: Workspace, server_id: str) -> Overview:
    """The gamebook of a server beside its files. Raises NotFound: the server has none."""
    with workspace.session() as session:
        server, gamebook, latest = _needed(session, server_id)
        checked = checked_in(workspace, session, server, latest)
        rules = statistics_of(checked)
        texts = checked.examination.documents if checked.examination is not None else {}
        unknown = tuple(path for path in texts if gamebook.file(path) is None)
        return Overview(
            server.gamebook or "",
            gamebook.source.text,
            gamebook.rules.drafted,
            data_at(gamebook.source.text, ("trouble",)) or {},
            _files(gamebook, tuple(texts), rules),
            unknown,
            _lists(gamebook, checked),
            tuple(rules),
            len(checked.findings),
        )


def _needed(session: Session, server_id: str) -> tuple[Server, Gamebook, Snapshot]:
    server = get_server(session, server_id)
    gamebook, _ = gamebook_of(session, server)
    if gamebook is None:
        raise NotFound(f"{server_id} has no gamebook. Draft one from the defaults: zerrit gamebook draft FOLDER.")
    return server, gamebook, require_latest(session, server_id)


def _files(gamebook: Gamebook, paths: Sequence[str], rules: Sequence[RuleStatistic]) -> tuple[KnownFile, ...]:
    lines = {pattern: gamebook.line_of(("files", pattern)) for pattern in gamebook.rules.files}
    ids = {placed.id: placed.location for placed in gamebook.placed}
    found = []
    for pattern, file in gamebook.rules.files.items():
        count = sum(path_matches(pattern, path) for path in paths)
        own = sum(ids[rule.id][:2] == ("files", pattern) for rule in rules)
        found.append(KnownFile(pattern, file.purpose, file.takes_effect, count, own, lines[pattern]))
    return tuple(found)


def _lists(gamebook: Gamebook, checked: Checked) -> tuple[KnownList, ...]:
    found = []
    for name, source in gamebook.rules.lists.items():
        words: tuple[str, ...] | None = ()
        if checked.examination is not None:
            try:
                words = words_of(checked.examination, name)
            except Unknown:
                words = None
        where = f", where {source.only_if}" if source.only_if is not None else ""
        parts = [f"the {'names' if source.take == 'name' else 'values'} at {one}{where}" for one in source.source]
        parts += [f"the names of files {source.file_names}"] if source.file_names else []
        parts += [f"the names of folders {source.folders}"] if source.folders else []
        parts += [f"the column {source.csv.column} of {source.csv.file}"] if source.csv else []
        parts += [f"{source.sql.database}: {source.sql.query}"] if source.sql else []
        parts += ["words that are fixed"] if source.words else []
        found.append(KnownList(name, "; ".join(parts), source.note, words, gamebook.line_of(("lists", name))))
    return tuple(found)


def test_gamebook(workspace: Workspace, server_id: str, text: str) -> Trial:
    """What another text of the gamebook would find in the latest files, beside what the kept one finds.

    Nothing is kept. Raises NotFound.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        latest = require_latest(session, server_id)
        old = checked_in(workspace, session, server, latest)
        held = Held(workspace, digests(session, latest))
        watched = [file.path for file in latest.files if file.digest is None]
    name = server.gamebook or "gamebook"
    with workspace.session() as session:
        book, faults = read_gamebook(text.encode(), f"{name}.yml", kept_bases(session), (name,))
    if book is None:
        return Trial(faults, (), (), ())
    files = gather_files(held, book, query=query)
    files = replace(files, others={**files.others, **dict.fromkeys(watched, NOT_KEPT)})
    new = check_files_of(files, book)
    was_there = known_again(old.findings, new.findings, by_severity=True)
    is_left = known_again(new.findings, old.findings, by_severity=True)
    return Trial(
        faults,
        tuple(f for f, is_known in zip(new.findings, was_there, strict=True) if not is_known),
        tuple(f for f, is_known in zip(old.findings, is_left, strict=True) if not is_known),
        tuple(statistics_of(new)),
        tuple(failed_cases(book)),
    )


def draft_key(session: Session, server_id: str) -> tuple[int, ...]:
    """By what the draft for a server is made of."""
    shipped = [one.id for one in list_snapshots(session, server_id) if one.kind == "defaults"]
    alike = servers_alike(session, server_id)[: MOST_OTHERS + 1]
    latest = [snapshot.id for one in alike if (snapshot := latest_snapshot(session, one.id)) is not None]
    changes = (change.id for one in alike for change in (*rolled_back(session, one), *confirmed(session, one)))
    runs = (run for one in alike for run in ended_runs(session, one))
    return (len(shipped), *shipped, *latest, *changes, *runs)


def draft_from_defaults(workspace: Workspace, server_id: str) -> str:
    """A gamebook drafted from all defaults that were imported for a server; the logs that are on it are ignored.

    It learns from the runs and changes of the server and of others with the same gamebook: from the logs of starts, from
    what the game writes when it stops, from values that someone confirmed in the game; it warns of those that were rolled
    back. It says of each rule what does not fit it on the other servers.

    Raises NotFound.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        shipped = [one for one in reversed(list_snapshots(session, server_id)) if one.kind == "defaults"]
        if not shipped:
            raise NotFound(f"{server_id} has no defaults to draft from. Import the files that the game ships first.")
        # Of watched files only the name is known, and a name is what other files may refer to.
        trees = [
            {**dict.fromkeys((f.path for f in snapshot.files), b"\0"), **Held(workspace, digests(session, snapshot))}
            for snapshot in shipped
        ]
        labels = " and ".join(snapshot.label or "" for snapshot in shipped)
        game = server.gamebook or server_id
        latest = latest_snapshot(session, server_id)
        own = {file.path for file in latest.files} if latest is not None else set()
        alike = servers_alike(session, server_id)
        others = [one for one in alike if one.id != server_id][:MOST_OTHERS]
        trees[-1:] = [*with_confirmed_values(workspace, session, alike, trees[-1]), trees[-1]]
        logs, guesses = kept_logs(session, alike), list(written_at_stops(session, alike))
        held = {
            one.id: Held(workspace, digests(session, snapshot))
            for one in others
            if (snapshot := latest_snapshot(session, one.id)) is not None
        }
    text = draft(trees, game, f"defaults {labels}", logs=logs, guesses=guesses)
    for advice in advice_of_rollbacks(workspace, server_id):
        text = with_part(text, ("advice", len(data_at(text, ("advice",)) or ())), advice)
    ignored = _written_by_the_game(own - trees[-1].keys())
    text = with_part(text, ("ignore",), ignored) if ignored else text
    return with_exceptions(text, held)


def _written_by_the_game(paths: Iterable[str]) -> list[str]:
    """Patterns of the logs and crash files among files that no defaults have."""
    seen = discover(SeenFile(path, 0) for path in paths)
    folders = [*seen.log_folders, *seen.crash_folders]
    files = [path for sort in (Sort.LOG, Sort.CRASH) for path in seen.named[sort]]
    alone = [path for path in files if not any(path.startswith(f"{folder}/") for folder in folders)]
    return [*(f"{folder}/**" for folder in folders), *alone]
