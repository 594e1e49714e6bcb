"""The stages of a run up to its end, in their order; see `zerrit.work.deploy.stages`."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.connections import ManualConnection
from zerrit.control import Act, ControlError
from zerrit.core.wording import counted
from zerrit.records import Run, RunFile, content_sizes, digest_of
from zerrit.work.base.run_records import get_run
from zerrit.work.changes.changes import get_change, worked_out
from zerrit.work.deploy import rehearsal
from zerrit.work.deploy.journal import Stage, StageFailed
from zerrit.work.deploy.run_context import BEFORE_START, MANUAL_POLL, Facts, Going
from zerrit.work.deploy.stages import StageName
from zerrit.work.deploy.start_watch import Verdict
from zerrit.work.deploy.write_plan import Plan, can_reload, plan_changes, plan_restart, plan_rollback, require_whole
from zerrit.work.snapshots.live_files import Known, Taken, known_files, take
from zerrit.work.snapshots.snapshots import latest_snapshot, store_snapshot, take_live

#: Minutes before a stop at which players are told of it again.
LEAST_FREE: Final = 64 << 20  #: bytes of the data folder's disk; a quarter of the server's files is added
MOST_EARLIER: Final = 50  #: runs among which the last good full start is searched; reloads keep no lines
REMINDERS: Final = (30, 15, 10, 5, 2, 1)


def words_ahead(minutes: int) -> list[int]:
    """So many minutes before a stop players are told of it, for an announcement that begins `minutes` before."""
    return [minutes, *(m for m in REMINDERS if m < minutes)]


def preflight(going: Going, stage: Stage, facts: Facts) -> None:
    """Try connection and control, look at free space, and plan."""
    _require_room(going)
    swept = 0 if going.connection.is_manual else going.connection.sweep()
    state = going.control.state()
    facts["was_running"] = state.is_running
    if going.target_id is not None:
        require_whole(going.workspace, going.server.id, going.target_id)
    paths = _touched(going)
    facts["in_place"] = state.is_running and Act.RELOAD in going.control.can and can_reload(going.gamebook, paths)
    said = [f"connection and control answer; the game {'runs' if state.is_running else 'does not run'}"]
    said += [f"{counted(swept, 'left-over part file')} removed"] if swept else []
    said += ["the game reads these files at a reload, so it runs on"] if facts["in_place"] else []
    stage.say("; ".join(said))


def _require_room(going: Going) -> None:
    """There is room for the snapshot and the journal; a run that cannot be written down cannot be carried on safely."""
    with going.workspace.session() as session:
        newest = latest_snapshot(session, going.server.id)
        known = known_files(session, newest.id) if newest is not None else {}
    wanted = LEAST_FREE + sum(file.size for file in known.values() if file.digest) // 4
    free = going.workspace.data.free() if going.workspace.data is not None else wanted
    if free < wanted:
        raise StageFailed(
            f"Only {free >> 20} MB are free where Zerrit keeps its data ({going.workspace.folder}); a run needs "
            f"{wanted >> 20} MB. Free some room there, or prune snapshots, then deploy it again."
        )


def _touched(going: Going) -> list[str]:
    """The files that the changes of a deploy touch, by what they are built on."""
    found: set[str] = set()
    with going.workspace.session() as session:
        for change_id in going.change_ids:
            found |= worked_out(going.workspace, session, get_change(session, change_id)).replayed.touched
    return sorted(found)


def rehearse(going: Going, stage: Stage, facts: Facts) -> None:
    """Start a copy with the files as the run would leave them."""
    taken = take_live(going.workspace, going.server)
    plan = plan_changes(going.workspace, going.server.id, going.change_ids, taken)
    held = taken.digests
    for path, digest in plan.writes.items():
        if digest is None:
            held.pop(path, None)
        else:
            held[path] = digest
    verdict = rehearsal.rehearse(
        going.workspace,
        going.server,
        going.gamebook,
        held,
        expected=plan.expected,
        say=stage.say,
        pause=lambda seconds: going.pause(stage, seconds),
    )
    facts["rehearsal"] = {"log": verdict.log, "doubts": list(verdict.doubts)}
    if verdict.trouble:
        raise StageFailed(f"the rehearsal failed: {verdict.trouble}")
    stage.say("; ".join(["a copy started with it and stayed up", *verdict.doubts]))


def announce(going: Going, stage: Stage, facts: Facts) -> None:
    """Tell the players, or wait until no one plays."""
    if not going.is_running():
        stage.say("no one to tell: the game does not run")
        return
    _count_down(going, stage)
    if going.options.get("wait") == "empty":
        _wait_until_empty(going, stage)


def _count_down(going: Going, stage: Stage) -> None:
    minutes = int(going.options.get("announce", 0))
    if not minutes:
        return
    kept = going.evidence.get("stop_at")
    stop_at = datetime.fromisoformat(kept) if kept else going.workspace.now() + timedelta(minutes=minutes)
    if not kept:
        going.journal.note(stop_at=stop_at.isoformat())
    told: set[int] = set(going.evidence.get("told", ()))
    for left in words_ahead(minutes):
        if left in told:
            continue
        at = stop_at - timedelta(minutes=left)
        while going.workspace.now() < at:
            rest = (stop_at - going.workspace.now()).total_seconds()
            stage.say(f"stops in {int(rest // 60)}:{int(rest % 60):02d}; next word at {left} min")
            going.park(stage, min(1.0, max(0.05, (at - going.workspace.now()).total_seconds())))
        if going.workspace.now() < stop_at:
            _tell(going, left, stage)
        going.journal.add("told", left)
    while going.workspace.now() < stop_at:
        going.park(stage, min(1.0, max(0.05, (stop_at - going.workspace.now()).total_seconds())))
    stage.say(f"told {counted(minutes, 'minute')} ahead")


def _tell(going: Going, left: int, stage: Stage) -> None:
    text = going.server.maintenance.announcement or "The server restarts in {minutes}."
    try:
        going.control.announce(text.replace("{minutes}", counted(left, "minute")))
    except ControlError as error:
        # Who cannot be told is not a reason to leave a server as it is.
        going.journal.add("doubts", f"no one could be told: {error}")
        stage.say(str(error))


def _wait_until_empty(going: Going, stage: Stage) -> None:
    until = going.options.get("until")
    limit = datetime.fromisoformat(until) if until else None
    while True:
        players = going.control.players()
        if players == 0:
            stage.say("no one is on the server")
            return
        if limit is not None and going.workspace.now() >= limit:
            stage.say(f"{counted(players, 'player')} still there at the time that was given; going on")
            return
        stage.say(f"waiting: {counted(players, 'player')} on the server")
        going.park(stage, MANUAL_POLL)


def stop(going: Going, stage: Stage, facts: Facts) -> None:
    """Stop the game and see that it has stopped."""
    if "changed_before_stop" not in going.evidence and not going.connection.is_manual and going.is_running():
        going.journal.note(changed_before_stop=_changed_since_last(going))
    going.journal.note(told_to_stop=True)
    going.stop_game(stage)


def _changed_since_last(going: Going) -> list[str]:
    """The files that are not as in the latest snapshot while the game still runs: another program or person wrote them."""
    known = _newest_files(going)
    changed: list[str] = []
    seen: set[str] = set()
    for file in going.connection.files():
        seen.add(file.path)
        was = known.get(file.path)
        if was is None or was.digest is None:
            continue
        # Size and time alone do not vouch for it: a person may have written it within the same second.
        is_same = bool(file.stamp) and file.stamp == was.stamp and file.size == was.size
        if not is_same and (was.size != file.size or digest_of(going.connection.read(file.path)) != was.digest):
            changed.append(file.path)
    return sorted([*changed, *(path for path in known if path not in seen)])


def _newest_files(going: Going) -> Known:
    with going.workspace.session() as session:
        newest = latest_snapshot(session, going.server.id)
        return known_files(session, newest.id) if newest is not None else {}


def read(going: Going, stage: Stage, facts: Facts) -> None:
    """Read the files again: the game may have written some when it stopped."""
    _require_stopped(going)
    known = _newest_files(going)
    going.taken, going.plan = _take_and_plan(going, known)
    if _have_rewritten_shown(going, going.taken, going.plan, stage):
        going.taken, going.plan = _take_and_plan(going, known)
    drifted = sorted(
        path
        for path, digest in going.taken.digests.items()
        if path in known and known[path].digest not in (None, digest)
    )
    at_stop = _written_at_stop(going, known, going.taken)
    others = [path for path in drifted if path not in at_stop]
    facts["drifted"] = others
    facts["written_at_stop"] = sorted(at_stop)
    facts["left_out"] = dict(going.taken.left_out)
    facts["expected"] = {name: list(words) for name, words in going.plan.expected.items()}
    facts["expected_back"] = {name: list(words) for name, words in going.plan.expected_back.items()}
    facts["brings"] = [
        {
            "change": one.change_id,
            "effects": [[effect.takes_effect, list(effect.addresses)] for effect in one.effects],
            "looks": list(one.looks),
        }
        for one in going.plan.changes
    ]
    said = f"{counted(len(going.taken.files), 'file')}, {counted(going.taken.read, 'of them read', 'of them read')}"
    said += f"; changed since the last fetch: {', '.join(others[:5])}" if others else ""
    said += f"; written while it stopped: {', '.join(sorted(at_stop)[:5])}" if at_stop else ""
    stage.say(said)


def _written_at_stop(going: Going, known: Known, taken: Taken) -> dict[str, str | None]:
    """Files that were as in the latest snapshot until the game was told to stop, and are not now; with their digest then.

    The game or its host wrote them. Where it is not known how they were before the stop, none are.
    """
    if "changed_before_stop" not in going.evidence:
        return {}
    before = set(going.evidence["changed_before_stop"])
    now = taken.digests
    return {
        path: file.digest
        for path, file in known.items()
        if file.digest is not None and path not in before and now.get(path) != file.digest
    }


def _take_and_plan(going: Going, known: Known) -> tuple[Taken, Plan]:
    taken = take(going.workspace, going.connection, going.gamebook, known)
    if going.change_ids:
        at_stop = _written_at_stop(going, known, taken)
        return taken, plan_changes(going.workspace, going.server.id, going.change_ids, taken, at_stop)
    if going.target_id is not None:
        return taken, plan_rollback(going.workspace, going.server.id, going.target_id, taken)
    return taken, plan_restart(going.workspace, going.server.id, taken)


def _have_rewritten_shown(going: Going, taken: Taken, plan: Plan, stage: Stage) -> bool:
    """Ask for the files that the game wrote when it stopped, where they are about to be written: what a person showed
    before then lacks that. Returns whether some were shown since.
    """
    connection, gamebook, stop = going.connection, going.gamebook, going.journal.last_done(StageName.STOP)
    if not isinstance(connection, ManualConnection) or gamebook is None or stop is None:
        return False
    # Who stops it manually shows its files before Zerrit believes that it has stopped.
    since = stop.started_at if Act.STOP in going.control.is_manual else stop.ended_at or stop.started_at
    wanted = sorted(path for path in plan.writes if path in taken.by_path and gamebook.is_rewritten(path))

    def lacking() -> list[str]:
        shown = connection.shown_at()
        return [path for path in wanted if shown.get(path, 0.0) < since.timestamp()]

    asked = lacking()
    if asked:
        stage.say(f"waiting to be shown {', '.join(asked)}")
        asks = (
            f"The game wrote {', '.join(asked)} when it stopped. Download that again from {going.server.title} and show "
            f"it: zerrit server upload {going.server.id} FOLDER. Else what the game kept there would be lost."
        )
        going.wait(stage, lambda: not lacking(), "", asks)
    return bool(asked)


def _require_stopped(going: Going) -> None:
    """Nothing is written to a game that runs, unless it reads those files at a reload."""
    if not going.in_place and going.is_running():
        raise StageFailed("the game runs again; something outside of Zerrit started it")


def snapshot(going: Going, stage: Stage, facts: Facts) -> None:
    """Store what the server has now, and what is to be written."""
    taken, plan = going.taken, going.plan
    assert taken is not None  # noqa: S101 (a run that was killed begins again with `read`)
    assert plan is not None  # noqa: S101
    files = [RunFile(path=path, old=taken.digests.get(path), new=new) for path, new in plan.writes.items()]
    # What the game itself rewrites does not make other files of those that it ran with.
    drifted = [
        path
        for path in going.evidence.get("drifted", ())
        if going.gamebook is None or not going.gamebook.is_rewritten(path)
    ]
    was_good = bool(going.evidence.get("was_running")) and not drifted

    def keep(session: Session) -> int:
        reason = f"before {going.title(session)}"
        return store_snapshot(going.workspace, session, going.server.id, taken.files, reason, is_good=was_good).id

    before_id = going.journal.plan(files, keep)
    stage.say(f"snapshot {before_id}; {counted(len(files), 'file')} to write")


def write(going: Going, stage: Stage, facts: Facts) -> None:
    """Write each file beside its target and rename it."""
    _require_stopped(going)
    writes = going.writes()
    if going.connection.is_manual:
        going.instructions(writes, stage)
        return
    going.put(writes, stage)
    stage.say(f"{counted(len(writes), 'file')} written")


def verify(going: Going, stage: Stage, facts: Facts) -> None:
    """Read back what was written and compare the hashes."""
    writes = going.writes()
    present = {file.path for file in going.connection.files()}
    for path, digest in writes.items():
        if digest is None and path in present:
            raise StageFailed(f"{path} should be gone, but is still there")
        if digest is not None and (path not in present or digest_of(going.connection.read(path)) != digest):
            raise StageFailed(f"{path} was read back and is not what was written")
    stage.say(f"{counted(len(writes), 'file')} read back, all as written")


def start(going: Going, stage: Stage, facts: Facts) -> None:
    """Start the game."""
    going.look_before(BEFORE_START)
    going.start_game(stage)


def reload(going: Going, stage: Stage, facts: Facts) -> None:
    """Have the running game read its files again."""
    going.look_before(BEFORE_START)
    going.control.reload()
    stage.say("told to read its files again")


def watch(going: Going, stage: Stage, facts: Facts) -> None:
    """Watch the game come up: its state, its log, crash files."""
    verdict, evidence = going.watch_from(BEFORE_START, stage)
    doubts = [*going.evidence.get("doubts", ()), *verdict.doubts]
    facts |= evidence | {"doubts": doubts}
    if verdict.trouble:
        raise StageFailed(verdict.trouble)
    if not going.in_place:  # after a reload the log has only a part of what a start says
        facts["lines"] = sorted(verdict.lines)
        facts |= _against_last_good(going, verdict)
    at_start = _accept(going)
    facts["written_at_start"] = at_start
    said = ["up, no crash file, nothing bad in the log"]
    said += [f"written while it started: {', '.join(at_start[:5])}"] if at_start else []
    stage.say("; ".join([*said, *doubts]))


def _against_last_good(going: Going, verdict: Verdict) -> dict[str, object]:
    """What this start's log says that the last good one did not, and the other way round."""
    with going.workspace.session() as session:
        query = select(Run).where(
            Run.server_id == going.server.id, Run.after_id.is_not(None), Run.id != going.journal.run_id
        )
        earlier = session.scalars(query.order_by(Run.id.desc()).limit(MOST_EARLIER))
        last = next((run for run in earlier if run.evidence.get("lines")), None)
    lines = set(last.evidence.get("lines", ())) if last is not None else set()
    if last is None or not lines:
        return {}
    return {
        "log_new": sorted(verdict.lines - lines)[:50],
        "log_gone": sorted(lines - verdict.lines)[:50],
        "log_against": last.id,
    }


def _accept(going: Going) -> list[str]:
    """The server holds the new files and runs with them: keep that as a snapshot, which is a good one.

    What the game or its host wrote since the start (a folder packed, a file made) belongs to it. Returns those files.
    """
    run = going.journal.run()
    if run.before_id is None or run.after_id is not None:
        return list(going.evidence.get("written_at_start", ()))
    wanted = going.files_at_start()
    if going.connection.is_manual:
        with going.workspace.session() as session:
            sizes = content_sizes(session, [file.digest for file in wanted.values() if file.digest])
        files = [file._replace(size=sizes.get(file.digest or "", file.size)) for file in wanted.values()]
        at_start: list[str] = []
    else:
        written = going.writes()
        known = {path: file for path, file in wanted.items() if path not in written}
        files = list(take(going.workspace, going.connection, going.gamebook, known).files)
        now = {file.path: file.digest for file in files if file.digest}
        was = {path: file.digest for path, file in wanted.items() if file.digest}
        at_start = sorted(path for path in now.keys() | was.keys() if now.get(path) != was.get(path))
    with going.workspace.session() as session:
        run = get_run(session, going.journal.run_id)
        run.after_id = store_snapshot(
            going.workspace,
            session,
            going.server.id,
            sorted(files, key=lambda file: file.path),
            f"after {going.title(session)}",
            is_good=True,
        ).id
    return at_start
