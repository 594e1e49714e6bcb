"""The stages of a run that lets a game go, or leads its files back to the snapshot from before."""

from __future__ import annotations

import time
from typing import Final

from zerrit.connections import PASSING, ConnectionFailed
from zerrit.core.paths import folders_of, pack_of
from zerrit.core.wording import counted
from zerrit.records import BeforeStart, RunFacts, Snapshot, StartFacts, digest_of
from zerrit.work.base.run_records import get_run
from zerrit.work.deploy.evidence import keep_evidence
from zerrit.work.deploy.file_writing import write_files
from zerrit.work.deploy.journal import Stage, StageFailed
from zerrit.work.deploy.packing import Writes
from zerrit.work.deploy.rows_back import RowsBack, rows_back, rows_path
from zerrit.work.deploy.run_context import POLL, RunContext
from zerrit.work.deploy.run_moves import mark_all, move_back, other_rights
from zerrit.work.deploy.start_watch import crash_texts, crash_times
from zerrit.work.deploy.write_plan import way_back
from zerrit.work.snapshots.live_files import Taken, take

RESTORE_PAUSE: Final = 0.5  # seconds before the second try; doubled up to the longest
LONGEST_PAUSE: Final = 10.0


def release(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Nothing was written: let the game run again, if it did."""
    if not _is_free_of_parts(context):
        stage.say("left-over part files could not be removed")
    if not context.evidence.was_running:
        stage.say("the game is left as it was")
        return
    if context.evidence.told_to_stop and not context.control.is_manual:
        _see_whether_it_stops_late(context, stage)
    context.start_game(stage)
    context.wait(stage, context.is_running, "the game did not start")
    stage.say("the game runs, as before")


def _see_whether_it_stops_late(context: RunContext, stage: Stage) -> None:
    """A game that was told to stop, and did not within the time, may do so now: only one that stays up runs."""
    until = time.monotonic() + context.settle
    stage.say(f"seeing for {context.settle:g} s whether the game stops after all")
    while time.monotonic() < until and context.is_running():
        context.pause(stage, POLL)


def _is_free_of_parts(context: RunContext) -> bool:
    try:
        if not context.connection.is_manual:
            context.connection.sweep()
    except ConnectionFailed:
        return False
    return True


def stop_again(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Stop the game on the way back."""
    if context.in_place:
        stage.say("the game runs on; it reads these files at a reload")
        return
    context.stop_game(stage)


def restore(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Write what differs from the snapshot. The way there may be what broke, so it is tried for as long as it takes."""
    deadline = time.monotonic() + context.patience
    pause = RESTORE_PAUSE
    while True:
        try:
            writes = _put_back(context, stage)
            break
        except ConnectionFailed as error:
            if error.fault not in PASSING or time.monotonic() > deadline:
                raise
            stage.say(f"{error} Trying again.")
            context.pause(stage, pause)
            pause = min(pause * 2, LONGEST_PAUSE)
    stage.say(f"{counted(len(writes), 'file')} restored")


def _put_back(context: RunContext, stage: Stage) -> Writes:
    if not context.connection.is_manual:
        context.connection.sweep()
    taken = _take_again(context)
    _keep_what_the_start_wrote(context, taken, stage)
    evidence = context.evidence
    if not context.connection.is_manual and move_back(context.connection, evidence.moves):
        taken = _take_again(context)
    writes = _way_back(context, taken)
    if context.connection.is_manual:
        context.instructions(writes, stage)
        return writes
    before = context.files_before()
    executable = {path: was for path in writes if path in before and (was := before[path].is_executable) is not None}
    made = evidence.folders_made or ()
    write_files(
        context.workspace,
        context.connection,
        writes,
        context.saying(stage),
        executable=executable,
        replaced=taken.digests,
        emptied=made,
    )
    for row in _rows_back(context, taken).left:
        context.journal.doubt(f"another program changed {row} as well, so it was left as it is")
    for folder in _lacking_folders(context, taken):
        context.connection.make_folder(folder)
    mark_all(context.connection, _rights_back(context, taken, writes))
    return writes


def _lacking_folders(context: RunContext, taken: Taken) -> list[str]:
    """The empty folders that were there before and are not any more."""
    before_id = context.journal.run().before_id
    with context.workspace.session() as session:
        was = session.get_one(Snapshot, before_id).empty_folders or ()
    return sorted(set(was) - taken.empty_folders - folders_of(taken.by_path))


def _rights_back(context: RunContext, taken: Taken, writes: Writes) -> dict[str, bool]:
    before = context.files_before()
    rights = other_rights(taken.by_path, {path: file.is_executable for path, file in before.items()}, writes)
    if not _leads_back_its_own(context):
        return rights
    own = {*context.writes(), *context.evidence.marked}
    return {path: was for path, was in rights.items() if path in own}


def _keep_what_the_start_wrote(context: RunContext, taken: Taken, stage: Stage) -> None:
    """Evidence that cannot be had must not keep the files from going back."""
    evidence = context.evidence
    if evidence.before_start is None or context.connection.is_manual:
        return
    try:
        _note_late_crashes(context, evidence.before_start)
        said = keep_evidence(
            context.workspace,
            context.journal.run_id,
            context.connection,
            taken,
            context.files_at_start(),
            evidence.outside_before,
        )
    except ConnectionFailed as error:
        said = f"what the start wrote could not be kept: {error}"
        context.journal.doubt(said)
    stage.say(said or stage.detail)


def _note_late_crashes(context: RunContext, before: BeforeStart) -> None:
    """A game that dies says so in its log first; its crash file may be complete only once it has stopped."""
    crashes = context.watched.crashes_since(before)
    if len(crashes) > len(context.evidence.crash_files):
        context.journal.note(StartFacts(crash_files=crash_texts(crashes), crash_times=crash_times(crashes)))


def _leads_back_its_own(context: RunContext) -> bool:
    """Where the game runs on, or a person carries the files, only those that the run wrote are led back: what else differs
    from the snapshot is the game's, or was shown since.
    """
    return context.in_place or context.connection.is_manual


def _way_back(context: RunContext, taken: Taken) -> Writes:
    """What differs from the snapshot, of the files that are led back."""
    before = context.files_before()
    writes = way_back(taken.digests, {path: file.digest for path, file in before.items() if file.digest})
    writes |= _watched_back(context, taken)
    rows = rows_path(context.server.database)
    if rows in writes:
        del writes[rows]
        if (wanted := _rows_back(context, taken).digest) != taken.digests.get(rows):
            writes[rows] = wanted
    if not _leads_back_its_own(context):
        return writes
    planned = context.writes()
    return {path: digest for path, digest in writes.items() if path in planned}


def _rows_back(context: RunContext, taken: Taken) -> RowsBack:
    """The rows of the database as they are to be: those that the run did not touch stay as other programs left them."""
    path = rows_path(context.server.database) or ""
    before, now, planned = context.files_before().get(path), taken.digests.get(path), context.writes().get(path)
    if now is None or planned is None or before is None or before.digest is None:
        return RowsBack(now or "", [])
    return rows_back(context.workspace, before.digest, planned, now)


def _watched_back(context: RunContext, taken: Taken) -> Writes:
    """What differs of the watched files that the run writes; each is read, since its time alone proves nothing."""
    there = {file.path: file for file in taken.files if file.digest is None}
    with context.workspace.session() as session:
        files = {file.path: file.old for file in get_run(session, context.journal.run_id).files}
    gamebook = context.gamebook
    watched = {path: old for path, old in files.items() if gamebook is not None and gamebook.is_watched(path)}
    writes: Writes = {}
    for path, old in watched.items():
        now = digest_of(context.connection.read(path)) if path in there else None
        if now != old:
            writes[path] = old
    return writes


def _not_moved_back(context: RunContext, taken: Taken) -> list[str]:
    there, before = taken.by_path, context.files_before()
    return [
        origin
        for origin, path in context.evidence.moves.items()
        if path in there or origin not in there or there[origin].size != before[origin].size
    ]


def _take_again(context: RunContext) -> Taken:
    """What the server holds now. What the run wrote is read, whatever its time says."""
    planned = context.writes()
    known = {path: file for path, file in context.files_before().items() if path not in planned}
    return take(context.workspace, context.connection, context.gamebook, known)


def verify_again(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Read the restored files back and compare the hashes."""
    taken = _take_again(context)
    unlike = sorted([*_way_back(context, taken), *_not_moved_back(context, taken)])
    if not context.connection.is_manual:
        unlike += _lacking_folders(context, taken)
        rights = sorted(_rights_back(context, taken, {}))
        facts.doubts = [
            *context.evidence.doubts,
            *(f"the host did not take over the old rights of {one}" for one in rights),
        ]
    if unlike:
        raise StageFailed(f"these files are not as in the snapshot: {', '.join(unlike[:5])}")
    facts.is_back = True
    if _leads_back_its_own(context):
        stage.say(f"{counted(len(context.writes()), 'file')} of this run equal the snapshot, byte for byte")
    else:
        count = sum(file.digest is not None and not pack_of(path) for path, file in context.files_before().items())
        stage.say(f"all {counted(count, 'file')} that the snapshot holds equal it, byte for byte")


def start_again(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Start the game with the restored files."""
    if not context.evidence.was_running:
        stage.say("the game is left stopped, as it was before")
        return
    context.look_before_start_again()
    if context.in_place and context.is_running():
        context.control.reload()
        stage.say("told to read its files again")
        return
    context.start_game(stage)


def watch_again(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Watch the game come up with the restored files."""
    if not context.evidence.was_running:
        stage.say("nothing to watch")
        return
    verdict, facts.back = context.watch_start(stage)
    if verdict.trouble and not verdict.is_up:
        raise StageFailed(verdict.trouble)
    if verdict.trouble:
        facts.lacks = verdict.trouble
    stage.say("; ".join(["the game runs again", *([verdict.trouble] if verdict.trouble else [])]))
