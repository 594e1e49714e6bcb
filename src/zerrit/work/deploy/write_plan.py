"""
What a run has to write: worked out from what the stopped server holds, and kept before the first byte is written.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType

from zerrit.core.checks import Checked, Effect, Files, Unknown, check_files_of, effects, looks, touched, words_of
from zerrit.core.compare import compare_files
from zerrit.core.documents import MAX_BYTES, Document, Finding
from zerrit.core.documents.database import LOG_ENDINGS
from zerrit.core.examination.game_files import databases_in
from zerrit.core.file_steps import NOT_KEPT, TOO_LARGE, other_file
from zerrit.core.gamebooks import Gamebook
from zerrit.core.paths import pack_of
from zerrit.core.steps import Replay, Step, is_touched_by, touched_others
from zerrit.databases import query
from zerrit.records import Snapshot, store_contents
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import files_after, get_change, replayed_on, said, step_of
from zerrit.work.changes.finding_status import judge
from zerrit.work.changes.refused_files import RefusedFiles, may_be_left_out, refused_by
from zerrit.work.deploy.journal import StageFailed
from zerrit.work.deploy.packing import Writes, with_packs
from zerrit.work.deploy.rows_back import rows_path
from zerrit.work.deploy.run_moves import Besides, besides, besides_back, composed, only_moved
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.live_files import Held, Taken
from zerrit.work.snapshots.snapshots import contents, digests, documents_of, get_snapshot


@dataclass(frozen=True, slots=True)
class ChangePlan:
    """What one change of a run brings about."""

    change_id: int
    effects: tuple[Effect, ...]
    looks: tuple[str, ...]


@dataclass(frozen=True)
class Plan:
    writes: Writes
    may_leave_out: frozenset[str] = frozenset()  #: files that the run may go on without where the host refuses them
    left_out: tuple[str, ...] = ()  #: files that the host refuses by the settings of the server
    changes: tuple[ChangePlan, ...] = ()
    besides: Besides = field(default_factory=Besides)
    #: Words that the game should say it loaded, of the files as they will be, and as they are now.
    expected: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    expected_back: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


def plan_rollback(workspace: Workspace, server_id: str, snapshot_id: int, taken: Taken) -> Plan:
    """Make the server hold exactly the files of a snapshot, the watched ones as far as their contents are kept."""
    with workspace.session() as session:
        snapshot = get_snapshot(session, server_id, snapshot_id)
        wanted, kept = digests(session, snapshot), contents(session, snapshot)
        there = {file.path for file in snapshot.files}
        writes = way_back(taken.contents, kept)
        # A watched file that was there then and whose content is not kept is not known to be another one.
        writes = {path: digest for path, digest in writes.items() if digest is not None or path not in there}
        rows = rows_path(get_server(session, server_id).database)
        if rows in writes and rows not in there:
            del writes[rows]  # the tables belong to the server since later only
        back = besides_back(session, server_id, snapshot, taken, writes)
    moved = {*back.moves, *back.moves.values()}
    return Plan(
        {path: digest for path, digest in writes.items() if path not in moved},
        besides=back,
        expected=_loaded_by(workspace, server_id, wanted),
        expected_back=_loaded_by(workspace, server_id, taken.digests),
    )


def plan_restart(workspace: Workspace, server_id: str, taken: Taken) -> Plan:
    """Write nothing; the game should load what its files say."""
    loaded = _loaded_by(workspace, server_id, taken.digests)
    return Plan({}, expected=loaded, expected_back=loaded)


def _loaded_by(workspace: Workspace, server_id: str, held: Mapping[str, str]) -> dict[str, tuple[str, ...]]:
    """The words that a game should say it loaded when it has these files."""
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        if gamebook is None or not gamebook.rules.trouble.loaded:
            return {}
        found = documents_of(workspace, session, server, held)
    others = {path: digest for path, digest in held.items() if path not in found}
    files = Files(found, others, Held(workspace, held).get, query)
    return _expected(gamebook, check_files_of(files, gamebook))


def watched_in_the_way(
    workspace: Workspace,
    server_id: str,
    change_ids: Sequence[int],
    target_id: int | None,
    taken: Taken,
    *,
    can_move: bool,
) -> frozenset[str]:
    """The watched files that a run replaces or removes; they are read before, so that a rollback can bring them back.

    With `can_move`, those that only get another path are renamed on the host.
    """
    watched = {file.path: file for file in taken.files if file.digest is None and file.size <= MAX_BYTES}
    if not watched:
        return frozenset()
    with workspace.session() as session:
        if target_id is not None:
            wanted = contents(session, session.get_one(Snapshot, target_id))
            return frozenset(path for path in watched if path in wanted and watched[path].content != wanted[path])
        steps = [step_of(row) for change_id in change_ids for row in get_change(session, change_id).steps]
    if not any(is_touched_by(step, path) for step in steps for path in watched):
        return frozenset()
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        before = documents_of(workspace, session, server, taken.digests)
        files = Files(before, _others(taken, before), marks=taken.marks)
        replayed = replayed_on(session, gamebook, files, steps)
    moves = only_moved(replayed.moved, taken, _paths(replayed)) if can_move else {}
    touched = touched_others(files.others, replayed.others) & watched.keys()
    # One that steps moved and then put another file over has the same path again, and another content.
    return frozenset((touched | (replayed.left & watched.keys())) - moves.keys())


def _others(taken: Taken, documents: Mapping[str, Document]) -> dict[str, str]:
    return {
        file.path: other_file(file.digest or file.content, file.size)
        for file in taken.files
        if file.path not in documents
    }


def _paths(replayed: Replay) -> set[str]:
    return {*replayed.documents, *replayed.others}


def not_brought_back(workspace: Workspace, snapshot_id: int, taken: Taken, moves: Mapping[str, str]) -> list[str]:
    """The watched files that are not as in a snapshot and that a rollback cannot bring back, since no content is kept.

    `moves` are those that it leads back to their old paths.
    """
    with workspace.session() as session:
        files = session.get_one(Snapshot, snapshot_id).files
        lost = {file.path: (file.size, file.modified) for file in files if file.digest is None and file.content is None}
    now = {moves.get(file.path, file.path): (file.size, file.modified) for file in taken.files}
    return sorted(path for path, seen in lost.items() if now.get(path) != seen)


def require_whole(workspace: Workspace, server_id: str, snapshot_id: int) -> None:
    """Every content of a snapshot can be had. Raises RecordsUnusable: one is damaged."""
    with workspace.session() as session:
        held = Held(workspace, contents(session, get_snapshot(session, server_id, snapshot_id)))
    for path in held:
        held[path]


def way_back(now: Mapping[str, str], wanted: Mapping[str, str]) -> Writes:
    """What has to be written and taken away so that files that are `now` become the `wanted` ones.

    What is in a packed file comes and goes with it.
    """
    writes: Writes = {path: digest for path, digest in wanted.items() if now.get(path) != digest and not pack_of(path)}
    writes.update({path: None for path in now if path not in wanted and not pack_of(path)})
    return writes


def plan_changes(
    workspace: Workspace,
    server_id: str,
    change_ids: Sequence[int],
    taken: Taken,
    written_at_stop: Mapping[str, str | None] = MappingProxyType({}),
    *,
    can_move: bool = True,
) -> Plan:
    """Make the steps of changes, one after the other, on what the server holds now.

    `written_at_stop` are files that the game or its host wrote while it stopped, with their digest before. `can_move`: files
    can be renamed on the host.

    Raises StageFailed: a step is impossible there, a file of the change was changed outside Zerrit, or a finding blocks.
    """
    held = Held(workspace, taken.contents)
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, gamebook_digest = gamebook_of(session, server)
        # Files that are as they were read last are not read again: the game does not write in the meantime.
        before = documents_of(workspace, session, server, taken.digests)
        earlier = workspace.last_checked.get((server_id, gamebook_digest))
    current: Mapping[str, Document] = before
    changes: list[ChangePlan] = []
    others = _others(taken, before)
    files = after = Files(before, others, held.get, query, marks=taken.marks)
    moved: dict[str, str] = {}
    left: set[str] = set()
    refused: list[RefusedFiles] = []
    optional: set[str] = set()
    for change_id in change_ids:
        steps = _steps(workspace, change_id)
        replayed = _replayed(workspace, gamebook, change_id, after, steps)
        refused.append(refused_by(server, steps, replayed))
        optional |= may_be_left_out(steps)
        paths = sorted(replayed.touched)
        databases = databases_in(replayed.documents, paths)
        _require_no_log_beside(databases, taken)
        _require_not_drifted(workspace, gamebook, change_id, paths, taken, written_at_stop, databases)
        changes.append(_brings(gamebook, change_id, current, replayed.documents))
        moved = composed(moved, after.others, replayed)
        left |= replayed.left
        current, after = replayed.documents, files_after(workspace, after, replayed)
    old = check_files_of(files, gamebook, earlier=earlier)
    of_host = [finding for one in refused for finding in one.findings()]
    checked = _require_sound(workspace, server_id, gamebook, files, old, after, of_host)
    writes = _stored(workspace, before, current)
    moves = only_moved(moved, taken, (*after.documents, *after.others)) if can_move else {}
    renamed = {*moves, *moves.values()}
    for path in touched_others(others, after.others) - renamed:
        digest = after.others.get(path)
        if digest in (NOT_KEPT, TOO_LARGE):
            raise StageFailed(
                f"{moved.get(path, path)} would have to be written anew at {path}, and its content is not kept. Move it on the host "
                "yourself"
            )
        if digest is not None or path not in current:  # else it became a text, which is to be written
            writes[path] = digest
    left_out = tuple(path for one in refused for path in one.left_out)
    writes = with_packs(workspace, server, gamebook, writes, after, left_out)
    return Plan(
        writes,
        frozenset(optional & writes.keys()),
        left_out,
        tuple(changes),
        besides(taken, writes, moves, after.marks, left),
        _expected(gamebook, checked),
        _expected(gamebook, old),
    )


def _replayed(
    workspace: Workspace, gamebook: Gamebook | None, change_id: int, files: Files, steps: Sequence[Step]
) -> Replay:
    """The steps of a change made on these files. Raises StageFailed: one is impossible."""
    with workspace.session() as session:
        replayed = replayed_on(session, gamebook, files, steps)
    if not replayed.is_whole:
        reason = next(outcome.message for outcome in replayed.outcomes if outcome.message)
        raise StageFailed(
            f"A step of change {change_id} cannot be made on the files that the server holds now: {reason}"
        )
    return replayed


def _stored(workspace: Workspace, before: Mapping[str, Document], current: Mapping[str, Document]) -> Writes:
    """What is to be written so that the files become these; their contents are stored."""
    paths = touched(before, current)
    with workspace.session() as session:
        new = iter(store_contents(session, [current[path].to_bytes() for path in paths if path in current]))
    return {path: next(new) if path in current else None for path in paths}


def _steps(workspace: Workspace, change_id: int) -> list[Step]:
    with workspace.session() as session:
        return [step_of(row) for row in get_change(session, change_id).steps]


def _require_no_log_beside(databases: Iterable[str], taken: Taken) -> None:
    """No rows wait in a log beside a database: they would be lost, or be put into a file that they do not belong to."""
    for path in sorted(databases):
        for ending in LOG_ENDINGS:
            log = taken.by_path.get(path + ending)
            if log is not None and log.size:
                raise StageFailed(
                    f"{log.path} is beside {path} with {log.size:,} bytes: rows that the game has not taken into the database yet. "
                    "Start the game and stop it in the usual way, so that it does, then deploy again"
                )


def _require_not_drifted(
    workspace: Workspace,
    gamebook: Gamebook | None,
    change_id: int,
    paths: Sequence[str],
    taken: Taken,
    written_at_stop: Mapping[str, str | None],
    databases: frozenset[str],
) -> None:
    """Only the game may have written to a file since the change was looked at; what the game wrote is merged.

    To its database the game writes all the time: there the steps are made on the rows as they are now.
    """
    with workspace.session() as session:
        change = get_change(session, change_id)
        snapshot = get_snapshot(session, change.server_id, change.base_id)
        base = digests(session, snapshot)
        seen = {file.path: file.content or (file.size, file.modified) for file in snapshot.files if file.digest is None}
    now = {
        file.path: file.content if isinstance(seen.get(file.path), str) else (file.size, file.modified)
        for file in taken.files
        if file.digest is None
    }
    for path in paths:
        is_its_own = path in databases or (gamebook is not None and gamebook.is_rewritten(path))
        # What was as the change knew it until the game was told to stop was written by the game or its host.
        is_its_own = is_its_own or (path in written_at_stop and written_at_stop[path] == base.get(path))
        is_other = taken.digests.get(path) != base.get(path) or now.get(path) != seen.get(path)
        if not is_its_own and is_other:
            raise StageFailed(
                f"{path} was changed by another person since change {change_id} was looked at. Fetch the server, put the "
                f"change on the new files (`zerrit change update {change_id}`) and look at its difference again."
            )


def _brings(
    gamebook: Gamebook | None, change_id: int, before: Mapping[str, Document], after: Mapping[str, Document]
) -> ChangePlan:
    paths = touched(before, after)
    differences = compare_files(
        {path: before[path] for path in paths if path in before}, {path: after[path] for path in paths if path in after}
    )
    return ChangePlan(change_id, tuple(effects(gamebook, differences, after)), tuple(looks(gamebook, before, after)))


def _require_sound(
    workspace: Workspace,
    server_id: str,
    gamebook: Gamebook | None,
    files: Files,
    old: Checked,
    after: Files,
    of_host: Sequence[Finding],
) -> Checked:
    new = check_files_of(after, gamebook, before=files.documents, earlier=old)
    with workspace.session() as session:
        found = [*new.findings, *of_host]
        judged = judge(workspace, session, get_server(session, server_id), old.findings, found, lambda: after.documents)
    blocking = next((one.finding for one in judged if one.blocks), None)
    if blocking is not None:
        raise StageFailed(said(blocking))
    return new


def _expected(gamebook: Gamebook | None, checked: Checked) -> dict[str, tuple[str, ...]]:
    found: dict[str, tuple[str, ...]] = {}
    if gamebook is None or checked.examination is None:
        return found
    for rule in gamebook.rules.trouble.loaded:
        try:
            found[rule.list_name] = words_of(checked.examination, rule.list_name)
        except Unknown:
            continue
    return found


def can_reload(gamebook: Gamebook | None, paths: Sequence[str]) -> bool:
    """Whether the game takes up all these files at a reload, so that it may run while they are written."""
    return (
        gamebook is not None
        and bool(paths)
        and all(gamebook.takes_effect(path) == "reload" and not gamebook.is_rewritten(path) for path in paths)
    )
