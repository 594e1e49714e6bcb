"""The stages of a run up to its end, in their order; see `zerrit.work.deploy.stages`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import timedelta
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.connections import PASSING, ConnectionFailed, ManualConnection, RemoteFile
from zerrit.control import Act, ControlError
from zerrit.core.examination.game_files import databases_in
from zerrit.core.paths import pack_of
from zerrit.core.wording import counted
from zerrit.records import BroughtFacts, RehearsalFacts, Run, RunFacts, RunFile, content_sizes, digest_of, load_content
from zerrit.work.base.run_records import get_run
from zerrit.work.changes.changes import get_change, worked_out
from zerrit.work.deploy import rehearsal
from zerrit.work.deploy.file_writing import Written, read_back, write_files
from zerrit.work.deploy.journal import Stage, StageFailed
from zerrit.work.deploy.packing import Writes, packed_by_host, with_packed_paths
from zerrit.work.deploy.rows_back import rows_path
from zerrit.work.deploy.run_context import MANUAL_POLL, RunContext
from zerrit.work.deploy.run_folders import to_be_made
from zerrit.work.deploy.run_moves import look_at, mark_all, move_all, with_moves
from zerrit.work.deploy.stages import StageName
from zerrit.work.deploy.start_watch import Verdict
from zerrit.work.deploy.write_plan import (
    Plan,
    can_reload,
    not_brought_back,
    plan_changes,
    plan_restart,
    plan_rollback,
    require_whole,
    watched_in_the_way,
)
from zerrit.work.servers.start_logs import logs_of_start
from zerrit.work.snapshots.live_files import Known, Taken, known_files, take, with_contents, with_insides
from zerrit.work.snapshots.snapshots import digests, get_snapshot, latest_snapshot, store_snapshot, take_live

#: Minutes before a stop at which players are told of it again.
LEAST_FREE: Final = 64 << 20  #: bytes of the data folder's disk; a quarter of the server's files is added
MOST_EARLIER: Final = 50  #: runs among which the last good full start is searched; reloads keep no lines
REMINDERS: Final = (30, 15, 10, 5, 2, 1)


def words_ahead(minutes: int) -> list[int]:
    """So many minutes before a stop players are told of it, for an announcement that begins `minutes` before."""
    return [minutes, *(m for m in REMINDERS if m < minutes)]


def preflight(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Try connection and control, look at free space, and plan."""
    _require_room(context)
    swept = 0 if context.connection.is_manual else context.connection.sweep()
    state = context.control.state()
    facts.was_running = state.is_running
    if context.target_id is not None:
        require_whole(context.workspace, context.server.id, context.target_id)
        known = Taken(tuple(_newest_files(context).values()))
        moves = plan_rollback(context.workspace, context.server.id, context.target_id, known).besides.moves
        facts.doubts = _what_stays_away(context, known, moves)
    paths, has_database = _touched(context)
    # A running game writes to its database, so that is never written beside it.
    may_run = not has_database and can_reload(context.gamebook, paths)
    _require_rows_taken(context, paths)
    facts.in_place = state.is_running and Act.RELOAD in context.control.can and may_run
    said = [f"connection and control answer; the game {'runs' if state.is_running else 'does not run'}"]
    said += [f"{counted(swept, 'left-over part file')} removed"] if swept else []
    said += ["the game reads these files at a reload, so it runs on"] if facts.in_place else []
    stage.say("; ".join(said))


def _require_rows_taken(context: RunContext, paths: Sequence[str]) -> None:
    """The database server takes the rows as the run would make them: tried in a transaction that is undone.

    Raises StageFailed: it refuses them.
    """
    path = rows_path(context.server.database)
    if path is None:
        return
    if context.target_id is not None:
        with context.workspace.session() as session:
            wanted = digests(session, get_snapshot(session, context.server.id, context.target_id)).get(path)
    elif path in paths:
        taken = take_live(context.workspace, context.server)
        wanted = plan_changes(context.workspace, context.server.id, context.change_ids, taken).writes.get(path)
    else:
        wanted = None
    if wanted is None:
        return
    with context.workspace.session() as session:
        data = load_content(session, wanted)
    refusal = context.connection.refusal(path, data)
    if refusal:
        raise StageFailed(f"{path}: {refusal} Nothing was stopped and nothing was written")


def _require_room(context: RunContext) -> None:
    """There is room for the snapshot and the journal; a run that cannot be written down cannot be carried on safely."""
    with context.workspace.session() as session:
        newest = latest_snapshot(session, context.server.id)
        known = known_files(session, newest.id) if newest is not None else {}
    wanted = LEAST_FREE + sum(file.size for file in known.values() if file.digest) // 4
    free = context.workspace.data.free() if context.workspace.data is not None else wanted
    if free < wanted:
        raise StageFailed(
            f"Only {free >> 20} MB are free where Zerrit keeps its data ({context.workspace.folder}); a run needs "
            f"{wanted >> 20} MB. Free some room there, or prune snapshots, then deploy it again."
        )


def _touched(context: RunContext) -> tuple[list[str], bool]:
    """The files that the changes of a deploy touch, by what they are built on, with those that are packed then.

    And whether a database is one of them.
    """
    found: set[str] = set()
    has_database = False
    with context.workspace.session() as session:
        for change_id in context.change_ids:
            replayed = worked_out(context.workspace, session, get_change(session, change_id)).replayed
            found |= replayed.touched
            has_database |= bool(databases_in(replayed.documents, replayed.touched))
    return sorted(with_packed_paths(context.gamebook, found)), has_database


def rehearse(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Start a copy with the files as the run would leave them."""
    taken = take_live(context.workspace, context.server)
    plan = plan_changes(context.workspace, context.server.id, context.change_ids, taken)
    held = {path: digest for path, digest in taken.digests.items() if not pack_of(path)}
    for path, digest in plan.writes.items():
        if digest is None:
            held.pop(path, None)
        else:
            held[path] = digest
    verdict = rehearsal.rehearse(
        context.workspace,
        context.server,
        context.gamebook,
        held,
        expected=plan.expected,
        say=stage.say,
        pause=lambda seconds: context.pause(stage, seconds),
    )
    facts.rehearsal = RehearsalFacts(log=verdict.log, doubts=list(verdict.doubts))
    if verdict.trouble:
        raise StageFailed(f"the rehearsal failed: {verdict.trouble}")
    stage.say("; ".join(["a copy started with it and stayed up", *verdict.doubts]))


def announce(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Tell the players, or wait until no one plays."""
    if not context.is_running():
        stage.say("no one to tell: the game does not run")
        return
    _count_down(context, stage)
    if context.options.wait == "empty":
        _wait_until_empty(context, stage)


def _count_down(context: RunContext, stage: Stage) -> None:
    minutes = context.options.announce
    if not minutes:
        return
    stop_at = context.evidence.stop_at
    if stop_at is None:
        stop_at = context.workspace.now() + timedelta(minutes=minutes)
        context.journal.note(RunFacts(stop_at=stop_at))
    told = set(context.evidence.told)
    for left in words_ahead(minutes):
        if left in told:
            continue
        at = stop_at - timedelta(minutes=left)
        while context.workspace.now() < at:
            rest = (stop_at - context.workspace.now()).total_seconds()
            stage.say(f"stops in {int(rest // 60)}:{int(rest % 60):02d}; next word at {left} min")
            context.park(stage, min(1.0, max(0.05, (at - context.workspace.now()).total_seconds())))
        if context.workspace.now() < stop_at:
            _tell(context, left, stage)
        context.journal.note(RunFacts(told=[*context.evidence.told, left]))
    while context.workspace.now() < stop_at:
        context.park(stage, min(1.0, max(0.05, (stop_at - context.workspace.now()).total_seconds())))
    stage.say(f"told {counted(minutes, 'minute')} ahead")


def _tell(context: RunContext, left: int, stage: Stage) -> None:
    text = context.server.maintenance.announcement or "The server restarts in {minutes}."
    try:
        context.control.announce(text.replace("{minutes}", counted(left, "minute")))
    except ControlError as error:
        # Who cannot be told is not a reason to leave a server as it is.
        context.journal.doubt(f"no one could be told: {error}")
        stage.say(str(error))


def _wait_until_empty(context: RunContext, stage: Stage) -> None:
    limit = context.options.until
    while True:
        players = context.control.players()
        if players == 0:
            stage.say("no one is on the server")
            return
        if limit is not None and context.workspace.now() >= limit:
            stage.say(f"{counted(players, 'player')} still there at the time that was given; going on")
            return
        stage.say(f"waiting: {counted(players, 'player')} on the server")
        context.park(stage, MANUAL_POLL)


def stop(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Stop the game and see that it has stopped."""
    is_new = context.evidence.changed_before_stop is None
    if is_new and not context.connection.is_manual and context.is_running():
        context.journal.note(RunFacts(changed_before_stop=_changed_since_last(context)))
    context.journal.note(RunFacts(told_to_stop=True))
    context.stop_game(stage)


def _changed_since_last(context: RunContext) -> list[str]:
    """The files that are not as in the latest snapshot while the game still runs: another program or person wrote them."""
    known = _newest_files(context)
    changed: list[str] = []
    doubtful: list[RemoteFile] = []
    seen: set[str] = set()
    for file in context.connection.files():
        seen.add(file.path)
        was = known.get(file.path)
        if was is None or was.digest is None:
            continue
        # Size and time alone do not vouch for it: a person may have written it within the same second.
        is_same = bool(file.stamp) and file.stamp == was.stamp and file.size == was.size
        if was.size != file.size:
            changed.append(file.path)
        elif not is_same:
            doubtful.append(file)
    for file, data in context.connection.read_many(doubtful):
        if isinstance(data, ConnectionFailed):
            raise data
        changed += [file.path] if digest_of(data) != known[file.path].digest else []
    return sorted([*changed, *(path for path in known if path not in seen and not pack_of(path))])


def _newest_files(context: RunContext) -> Known:
    with context.workspace.session() as session:
        newest = latest_snapshot(session, context.server.id)
        return known_files(session, newest.id) if newest is not None else {}


def read(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Read the files again: the game may have written some when it stopped."""
    _require_stopped(context)
    known = _newest_files(context)
    context.taken, context.plan = _take_and_plan(context, known)
    if _have_rewritten_shown(context, context.taken, context.plan, stage):
        context.taken, context.plan = _take_and_plan(context, known)
    drifted = sorted(
        path
        for path, digest in context.taken.digests.items()
        if path in known and known[path].digest not in (None, digest)
    )
    at_stop = _written_at_stop(context, known, context.taken)
    others = [path for path in drifted if path not in at_stop]
    facts.drifted = others
    facts.written_at_stop = sorted(at_stop)
    facts.left_out = dict(context.taken.left_out)
    facts.refused = dict.fromkeys(context.plan.left_out, "the settings of the server say that its host refuses it")
    facts.expected = {name: list(words) for name, words in context.plan.expected.items()}
    facts.expected_back = {name: list(words) for name, words in context.plan.expected_back.items()}
    facts.brings = [
        BroughtFacts(
            change=one.change_id,
            effects=[(effect.takes_effect, list(effect.addresses)) for effect in one.effects],
            looks=list(one.looks),
        )
        for one in context.plan.changes
    ]
    if context.target_id is not None:
        facts.doubts = _what_stays_away(context, context.taken, context.plan.besides.moves)
    said = f"{counted(len(context.taken.files), 'file')}, {counted(context.taken.read, 'of them read', 'of them read')}"
    said += f"; changed since the last fetch: {', '.join(others[:5])}" if others else ""
    said += f"; written while it stopped: {', '.join(sorted(at_stop)[:5])}" if at_stop else ""
    stage.say(said)


def _what_stays_away(context: RunContext, taken: Taken, moves: Mapping[str, str]) -> list[str]:
    """The watched files that a rollback by request cannot bring back, in a sentence; said before the game is stopped."""
    assert context.target_id is not None  # noqa: S101 (only asked of a rollback)
    lost = not_brought_back(context.workspace, context.target_id, taken, moves)
    if not lost:
        return []
    named = ", ".join(lost[:5]) + (", …" if len(lost) > 5 else "")
    return [
        f"{counted(len(lost), 'watched file')} cannot be brought back, since the content is not kept, only size and time: {named}"
    ]


def _written_at_stop(context: RunContext, known: Known, taken: Taken) -> dict[str, str | None]:
    """Files that were as in the latest snapshot until the game was told to stop, and are not now; with their digest then.

    The game or its host wrote them. Where it is not known how they were before the stop, none are.
    """
    changed = context.evidence.changed_before_stop
    if changed is None:
        return {}
    before = set(changed)
    now = taken.digests
    return {
        path: file.digest
        for path, file in known.items()
        if file.digest is not None and path not in before and now.get(path) != file.digest
    }


def _take_and_plan(context: RunContext, known: Known) -> tuple[Taken, Plan]:
    taken = take(context.workspace, context.connection, context.gamebook, known)
    can_move = not context.connection.is_manual
    touched = watched_in_the_way(
        context.workspace, context.server.id, context.change_ids, context.target_id, taken, can_move=can_move
    )
    taken = with_contents(context.workspace, context.connection, taken, touched)
    if context.change_ids:
        at_stop = _written_at_stop(context, known, taken)
        plan = plan_changes(context.workspace, context.server.id, context.change_ids, taken, at_stop, can_move=can_move)
        return taken, plan
    if context.target_id is not None:
        return taken, plan_rollback(context.workspace, context.server.id, context.target_id, taken)
    return taken, plan_restart(context.workspace, context.server.id, taken)


def _have_rewritten_shown(context: RunContext, taken: Taken, plan: Plan, stage: Stage) -> bool:
    """Ask for the files that the game wrote when it stopped, where they are about to be written: what a person showed
    before then lacks that. Returns whether some were shown since.
    """
    connection, gamebook, stop = context.connection, context.gamebook, context.journal.last_done(StageName.STOP)
    if not isinstance(connection, ManualConnection) or gamebook is None or stop is None:
        return False
    # Who stops it manually shows its files before Zerrit believes that it has stopped.
    since = stop.started_at if Act.STOP in context.control.is_manual else stop.ended_at or stop.started_at
    wanted = sorted(path for path in plan.writes if path in taken.by_path and gamebook.is_rewritten(path))

    def lacking() -> list[str]:
        shown = connection.shown_at()
        return [path for path in wanted if shown.get(path, 0.0) < since.timestamp()]

    asked = lacking()
    if asked:
        stage.say(f"waiting to be shown {', '.join(asked)}")
        asks = (
            f"The game wrote {', '.join(asked)} when it stopped. Download that again from {context.server.title} and show "
            f"it: zerrit server upload {context.server.id} FOLDER. Else what the game kept there would be lost."
        )
        context.wait(stage, lambda: not lacking(), "", asks)
    return bool(asked)


def _require_stopped(context: RunContext) -> None:
    """Nothing is written to a game that runs, unless it reads those files at a reload."""
    if not context.in_place and context.is_running():
        raise StageFailed("the game runs again; something outside of Zerrit started it")


def snapshot(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Store what the server has now, and what is to be written."""
    taken, plan = context.taken, context.plan
    assert taken is not None  # noqa: S101 (a run that was killed begins again with `read`)
    assert plan is not None  # noqa: S101
    old = taken.contents
    executable = plan.besides.executable
    files = [
        RunFile(
            path=path,
            old=old.get(path),
            new=new,
            may_be_left_out=path in plan.may_leave_out,
            is_executable=executable.get(path),
        )
        for path, new in plan.writes.items()
    ]
    plan.besides.note(facts)
    # What the game itself rewrites does not make other files of those that it ran with.
    drifted = [
        path for path in context.evidence.drifted if context.gamebook is None or not context.gamebook.is_rewritten(path)
    ]
    was_good = context.evidence.was_running and not drifted

    def keep(session: Session) -> int:
        reason = f"before {context.title(session)}"
        return store_snapshot(
            context.workspace,
            session,
            context.server.id,
            taken.files,
            reason,
            is_good=was_good,
            empty_folders=taken.empty_folders,
        ).id

    before_id = context.journal.plan(files, keep)
    stage.say(f"snapshot {before_id}; {counted(len(files), 'file')} to write{plan.besides}")


def write(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Write each file beside its target and rename it."""
    _require_stopped(context)
    writes = context.writes()
    if context.connection.is_manual:
        context.instructions(writes, stage)
        return
    evidence = context.evidence
    if evidence.folders_made is None:
        new = with_moves(writes, evidence.moves) | {f"{folder}/x": "" for folder in evidence.folders_new}
        context.journal.note(RunFacts(folders_made=to_be_made(context.connection, context.files_before(), new)))
    written = _written_persistently(context, writes, stage)
    for folder in evidence.folders_new:
        context.connection.make_folder(folder)
    mark_all(context.connection, evidence.marked)
    if written.refused:
        facts.refused = {**context.evidence.refused, **written.refused}
        context.journal.leave_out(written.refused)
    said = [f"{counted(len(context.writes()), 'file')} written"]
    rows = rows_path(context.server.database)
    said += [f"the rows of {rows} last, in one transaction"] if rows in writes else []
    said += [f"{counted(len(evidence.moves), 'file')} moved on the host"] if evidence.moves else []
    said += [f"{counted(len(written.removed_folders), 'empty folder')} removed"] if written.removed_folders else []
    said += [f"the host refused {counted(len(written.refused), 'file')}, left out"] if written.refused else []
    stage.say("; ".join(said))


def _written_persistently(context: RunContext, writes: Writes, stage: Stage) -> Written:
    """Move and write the files; where the connection breaks, go on with those that lack, as long as each try brings some
    further.
    """
    done, optional = context.journal.written()
    evidence, executable = context.evidence, context.executable()
    # A game that runs on could read a file before it is complete; and at the path of a symbolic link, which is left out of the
    # listing, a file that is written in place would end up wherever the link leads.
    before = context.files_before()
    there = before.keys() | evidence.left_out.keys()
    new = set() if context.in_place else writes.keys() - there
    while True:
        left = {path: digest for path, digest in writes.items() if path not in done}
        try:
            move_all(context.connection, evidence.moves)
            return write_files(
                context.workspace,
                context.connection,
                left,
                context.saying(stage),
                may_leave_out=optional,
                executable=executable,
                new=new,
                replaced={path: file.digest for path, file in before.items() if file.digest},
                emptied=evidence.folders_gone,
                note=context.journal.note_written,
            )
        except ConnectionFailed as error:
            now, _ = context.journal.written()
            if error.fault not in PASSING or len(now) <= len(done):
                raise
            stage.say(f"{error} Going on with the files that lack.")
            done = now


def verify(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Read back what was written and compare the hashes."""
    writes = context.writes()
    read_back(context.connection, writes, context.saying(stage))
    if not context.connection.is_manual:
        doubts = look_at(context.connection, context.evidence, context.files_before(), context.executable())
        facts.doubts = [*context.evidence.doubts, *doubts]
    stage.say(f"{counted(len(writes), 'file')} read back, all as written")


def start(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Start the game."""
    context.look_before_start()
    context.start_game(stage)


def reload(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Have the running game read its files again."""
    context.look_before_start()
    context.control.reload()
    stage.say("told to read its files again")


def watch(context: RunContext, stage: Stage, facts: RunFacts) -> None:
    """Watch the game come up: its state, its log, crash files."""
    verdict, seen = context.watch_start(stage)
    doubts = [*context.evidence.doubts, *verdict.doubts]
    facts.take_over(seen)
    facts.doubts = doubts
    if verdict.trouble:
        raise StageFailed(verdict.trouble)
    if not context.in_place:  # after a reload the log has only a part of what a start says
        facts.lines = sorted(verdict.lines)
        facts.take_over(_against_last_good(context, verdict))
    at_start = _accept(context)
    facts.written_at_start = at_start
    if not (context.in_place or context.connection.is_manual):
        facts.kept_logs = logs_of_start(context.connection, _before_start(context))
    after_id = context.journal.run().after_id
    if after_id is not None and not context.connection.is_manual:
        with context.workspace.session() as session:
            held = digests(session, get_snapshot(session, context.server.id, after_id))
        doubts += packed_by_host(context.workspace, context.gamebook, held)
    said = ["up, no crash file, nothing bad in the log"]
    said += [f"written while it started: {', '.join(at_start[:5])}"] if at_start else []
    stage.say("; ".join([*said, *doubts]))


def _before_start(context: RunContext) -> dict[str, tuple[int, int]]:
    """Size and time of every file before the start."""
    tracked = {path: (file.size, file.modified) for path, file in context.files_at_start().items()}
    return tracked | {path: (size, modified) for path, size, modified in context.evidence.outside_before}


def _against_last_good(context: RunContext, verdict: Verdict) -> RunFacts:
    """What this start's log says that the last good one did not, and the other way round."""
    with context.workspace.session() as session:
        query = select(Run).where(
            Run.server_id == context.server.id, Run.after_id.is_not(None), Run.id != context.journal.run_id
        )
        earlier = session.scalars(query.order_by(Run.id.desc()).limit(MOST_EARLIER))
        last = next((run for run in earlier if run.evidence.lines), None)
    if last is None:
        return RunFacts()
    lines = set(last.evidence.lines)
    return RunFacts(
        log_new=sorted(verdict.lines - lines)[:50], log_gone=sorted(lines - verdict.lines)[:50], log_against=last.id
    )


def _accept(context: RunContext) -> list[str]:
    """The server holds the new files and runs with them: keep that as a snapshot, which is a good one.

    What the game or its host wrote since the start (a folder packed, a file made) belongs to it. Returns those files.
    """
    run = context.journal.run()
    if run.before_id is None or run.after_id is not None:
        return context.evidence.written_at_start
    wanted = context.files_at_start()
    if context.connection.is_manual:
        with context.workspace.session() as session:
            sizes = content_sizes(session, [kept for file in wanted.values() if (kept := file.digest or file.content)])
        files = [
            file._replace(size=sizes.get(file.digest or file.content or "", file.size)) for file in wanted.values()
        ]
        files, _ = with_insides(context.workspace, context.gamebook, files, context.files_before())
        empty: frozenset[str] | None = None
        at_start: list[str] = []
    else:
        written = context.writes()
        known = {path: file for path, file in wanted.items() if path not in written}
        # A watched file that the run wrote was read back; what the file is now, its time says from here on.
        taken = take(context.workspace, context.connection, context.gamebook, known)
        empty = taken.empty_folders
        files = [
            file._replace(content=written[file.path]) if file.digest is None and file.path in written else file
            for file in taken.files
        ]
        now = {file.path: file.digest for file in files if file.digest}
        was = {path: file.digest for path, file in wanted.items() if file.digest}
        at_start = sorted(path for path in now.keys() | was.keys() if now.get(path) != was.get(path))
    with context.workspace.session() as session:
        run = get_run(session, context.journal.run_id)
        run.after_id = store_snapshot(
            context.workspace,
            session,
            context.server.id,
            sorted(files, key=lambda file: file.path),
            f"after {context.title(session)}",
            is_good=True,
            empty_folders=empty,
        ).id
    return at_start
