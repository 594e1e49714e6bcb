"""
Deploys and rollbacks: the same careful path for both, stage by stage as `zerrit.work.stages` orders them.

Nothing is written before the game has stopped, everything that it holds is kept as a snapshot, and the plan of what is
to be written is kept too. From the first written byte on, any failure leads back to that snapshot, which is verified in
its turn. No stage relies on what an earlier one had in memory: a service that was killed takes up every run where it was.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from contextlib import ExitStack
from datetime import datetime, timedelta
from functools import cached_property
from typing import Any, Final

import structlog
from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.control import Act, Control, ControlError
from zerrit.core.errors import ZerritError
from zerrit.core.gamebooks import Gamebook
from zerrit.core.wording import counted, sentence
from zerrit.links import PASSING, HandLink, Link, LinkError
from zerrit.records import Change, Look, Run, RunFile, Server, Wait, content_sizes, digest_of
from zerrit.work.activity import note
from zerrit.work.carrying import lacking
from zerrit.work.changes import get_change, worked_out
from zerrit.work.controls import control_of
from zerrit.work.culprit import find_culprit
from zerrit.work.journal import Journal, Stage, StageFailed
from zerrit.work.kept_gamebooks import gamebook_of
from zerrit.work.planning import Plan, Writes, can_reload, plan_changes, plan_rollback, require_whole, way_back
from zerrit.work.rehearsing import rehearse
from zerrit.work.runs import RUNNING, get_run
from zerrit.work.servers import get_server
from zerrit.work.snapshots import latest_snapshot, store_snapshot, take_live
from zerrit.work.stages import BEFORE_WRITING, GOING_BACK, RESUMED_AT, StageName, after, after_failure
from zerrit.work.taking import FetchedFile, Held, Known, Taken, known_files, take
from zerrit.work.watch import Before, Verdict, Watched
from zerrit.work.workspace import Workspace

log = structlog.get_logger("zerrit.deploys")

POLL: Final = 0.2  # seconds
HAND_POLL: Final = 1.0  # seconds between two looks at what a person was asked to do
#: Minutes before a stop at which players are told of it again.
REMINDERS: Final = (30, 15, 10, 5, 2, 1)
RESTORE_PAUSE: Final = 0.5  # seconds before the second try; doubled up to the longest
LONGEST_PAUSE: Final = 10.0
MOST_RESUMES: Final = 3  #: a run that ended the service so often is led back
EXPECTED_ERRORS: Final = (ZerritError, LinkError, ControlError, StageFailed)


class Suspended(Exception):
    """The service stops while a run waits; the run is taken up at the next start."""


class Cancelled(StageFailed):
    """Somebody wants the run to end."""


def carry_out(workspace: Workspace, run_id: int) -> None:
    """Do a run from where it is to its end; whatever happens ends in the journal."""
    try:
        with workspace.storing.shared():
            runner = _Runner(workspace, run_id)
            runner.go()
            runner.find_culprit()
    except Suspended:
        log.info("run.suspended", run=run_id)
    except Exception as error:
        # Not even the beginning could be made, for instance since the database is damaged; a run must not stay open.
        log.exception("run.broke", run=run_id)
        journal = Journal(workspace, run_id)
        at = StageName(journal.run().stage)
        said = "Nothing was written" if at in BEFORE_WRITING else "The run broke off"
        journal.end("failed", f"{said}. It ended at {at}: {sentence(str(error))}")


def words_ahead(minutes: int) -> list[int]:
    """So many minutes before a stop players are told of it, for an announcement that begins `minutes` before."""
    return [minutes, *(m for m in REMINDERS if m < minutes)]


def open_runs(workspace: Workspace) -> list[int]:
    """The runs that a service left open; called once at its start, before new ones can begin."""
    with workspace.session() as session:
        found = list(session.scalars(select(Run.id).where(Run.state == RUNNING)))
    for run_id in found:
        log.warning("run.resuming", run=run_id)
        journal = Journal(workspace, run_id)
        journal.close_open_stages("the service ended here")
        journal.note(resumed=journal.run().evidence.get("resumed", 0) + 1)
    return found


class _Runner:
    def __init__(self, workspace: Workspace, run_id: int) -> None:
        self.workspace = workspace
        self.journal = Journal(workspace, run_id)
        with workspace.session() as session:
            run = get_run(session, run_id)
            self.server: Server = get_server(session, run.server_id)
            self.gamebook: Gamebook | None = gamebook_of(session, self.server)[0]
            self.kind = run.kind
            self.person = run.person
            self.options: Mapping[str, Any] = run.options
            self.change_ids = tuple(run.change_ids)
            self.target_id = run.target_id
        self._taken: Taken | None = None
        self._plan: Plan | None = None
        self._open = ExitStack()

    # --- the machine --------------------------------------------------------------------------------------------------

    def go(self) -> None:
        run = self.journal.run()
        stage = StageName(run.stage)
        stage = RESUMED_AT.get(stage, stage)
        if run.evidence.get("resumed", 0) > MOST_RESUMES and stage not in GOING_BACK:
            self.journal.note(reason="the service ended again and again during this run")
            stage = after_failure(stage)
        try:
            while stage is not StageName.END:
                stage = self._do(stage) if self._is_asked_for(stage) else after(stage, in_place=self._in_place)
        finally:
            self._open.close()
        self._end()

    def _is_asked_for(self, name: StageName) -> bool:
        if name is StageName.REHEARSE:
            return bool(self.options.get("rehearse") or self.server.care.get("must_rehearse")) and bool(self.change_ids)
        if name is StageName.ANNOUNCE:
            return bool(self.options.get("announce") or self.options.get("wait"))
        return True

    @property
    def _in_place(self) -> bool:
        """The game runs on; it reads the new files at a reload."""
        return bool(self._evidence.get("in_place"))

    def _do(self, name: StageName) -> StageName:
        """One stage, with its journal; returns the one that follows."""
        stage = self.journal.begin(name)
        facts: dict[str, object] = {}
        try:
            self._require_wanted(name)
            _STAGES[name](self, stage, facts)
        except Suspended:
            self.journal.interrupt(stage, "the service stops; it goes on at its next start")
            raise
        except Exception as error:
            if not isinstance(error, EXPECTED_ERRORS):
                log.error("run.unexpected", run=self.journal.run_id, stage=name, exc_info=error)
            following = after_failure(name)
            is_first = "reason" not in self._evidence
            if is_first:
                facts |= {"reason": str(error), "failed_at": name}
            elif following is StageName.END:
                facts["failed_back"] = str(error)
            self.journal.finish(stage, "failed", str(error) or type(error).__name__, following, **facts)
            return following
        following = after(name, in_place=bool(facts.get("in_place", self._in_place)))
        self.journal.finish(stage, "done", stage.detail, following, **facts)
        return following

    @property
    def _evidence(self) -> Mapping[str, Any]:
        return self.journal.run().evidence

    def _require_wanted(self, name: StageName) -> None:
        """Nobody has cancelled the run, or given it up on its way back."""
        run = self.journal.run()
        if name in GOING_BACK or name is StageName.RELEASE:
            by = run.options.get("given_up")
            if by:
                raise StageFailed(f"{by} gave up waiting")
        elif run.cancelled_by:
            raise Cancelled(f"cancelled by {run.cancelled_by}")

    def _pause(self, name: StageName, seconds: float) -> None:
        """Wait a little, unless the service stops or somebody cancels."""
        if self.workspace.stopping.wait(seconds):
            raise Suspended
        self._require_wanted(name)

    # --- link and control ---------------------------------------------------------------------------------------------

    @property
    def link(self) -> Link:
        """The open link. It makes new connections by itself; a link that could not be opened is tried anew each time."""
        if self._link is None:
            self._link = self._open.enter_context(self.workspace.link_to(self.server))
        return self._link

    _link: Link | None = None

    @cached_property
    def control(self) -> Control:
        return control_of(self.workspace, self.server)

    @property
    def _watched(self) -> Watched:
        if self._elsewhere is None:
            places = self.server.care.get("crash_places", ())
            self._elsewhere = {
                f"{place.rstrip('/')}/": self._open.enter_context(self.workspace.link_to(self.server, folder=place))
                for place in places
            }
        return Watched(self.link, self.control, self.gamebook, self._elsewhere)

    _elsewhere: dict[str, Link] | None = None

    def _is_running(self) -> bool:
        return self.control.state().is_running

    def _wait(self, name: StageName, is_so: Callable[[], bool], else_say: str, asks: str = "") -> None:
        """Wait until it is so: as long as the workspace is patient, or for as long as a person needs."""
        if asks:
            self.journal.note(asks=asks)
        deadline = time.monotonic() + self.workspace.patience
        while True:
            try:
                if is_so():
                    break
            except ControlError as error:
                if not error.is_passing or time.monotonic() > deadline:
                    raise
            if not asks and time.monotonic() > deadline:
                raise StageFailed(
                    f"{else_say} within {self.workspace.patience:g} s. Look at its log and at the host's panel, then try again."
                )
            self._pause(name, HAND_POLL if asks else POLL)
        if asks:
            self.journal.note(asks="")

    def _stop_game(self, name: StageName, stage: Stage) -> None:
        state = self.control.state()
        if not state.is_running:
            stage.say(f"the game was not running ({state.word})")
            return
        asks = ""
        if Act.STOP in self.control.by_hand:
            asks = f"Stop {self.server.title} now. Zerrit looks whether its log says so; or say that it is stopped."
        else:
            self.control.stop()
        stage.say("told to stop" if not asks else "waiting for a person to stop it")
        self._wait(name, lambda: not self._is_running(), "the game did not stop", asks)
        stage.say(f"the game has stopped ({self.control.state().word})")

    def _start_game(self, name: StageName, stage: Stage) -> None:
        if self._is_running():
            stage.say("it runs already")
            return
        if Act.START in self.control.by_hand:
            stage.say("waiting for a person to start it")
            asks = f"Start {self.server.title} now, then say that it is started."
            self._wait(name, self._is_running, "the game did not start", asks)
            stage.say("started by hand")
            return
        self.control.start()
        stage.say("told to start")

    # --- forward ------------------------------------------------------------------------------------------------------

    def preflight(self, stage: Stage, facts: dict[str, object]) -> None:
        swept = 0 if self.link.by_hand else self.link.sweep()
        state = self.control.state()
        facts["was_running"] = state.is_running
        if self.target_id is not None:
            require_whole(self.workspace, self.server.id, self.target_id)
        paths = self._touched()
        facts["in_place"] = state.is_running and Act.RELOAD in self.control.can and can_reload(self.gamebook, paths)
        said = [f"link and control answer; the game {'runs' if state.is_running else 'does not run'}"]
        said += [f"{counted(swept, 'left-over part file')} removed"] if swept else []
        said += ["the game reads these files at a reload, so it runs on"] if facts["in_place"] else []
        stage.say("; ".join(said))

    def _touched(self) -> list[str]:
        """The files that the changes of a deploy touch, by what they are built on."""
        found: set[str] = set()
        with self.workspace.session() as session:
            for change_id in self.change_ids:
                found |= worked_out(self.workspace, session, get_change(session, change_id)).replayed.touched
        return sorted(found)

    def rehearse(self, stage: Stage, facts: dict[str, object]) -> None:
        """Start a copy with the files as the run would leave them."""
        taken = take_live(self.workspace, self.server)
        plan = plan_changes(self.workspace, self.server.id, self.change_ids, taken)
        held = taken.digests
        for path, digest in plan.writes.items():
            if digest is None:
                held.pop(path, None)
            else:
                held[path] = digest
        verdict = rehearse(
            self.workspace,
            self.server,
            self.gamebook,
            held,
            expected=plan.expected,
            say=stage.say,
            pause=lambda seconds: self._pause(StageName.REHEARSE, seconds),
        )
        facts["rehearsal"] = {"log": verdict.log, "doubts": list(verdict.doubts)}
        if verdict.trouble:
            raise StageFailed(f"the rehearsal failed: {verdict.trouble}")
        stage.say("; ".join(["a copy started with it and stayed up", *verdict.doubts]))

    def announce(self, stage: Stage, facts: dict[str, object]) -> None:
        name = StageName.ANNOUNCE
        if not self._is_running():
            stage.say("nobody to tell: the game does not run")
            return
        self._count_down(name, stage)
        if self.options.get("wait") == "empty":
            self._wait_until_empty(name, stage)

    def _count_down(self, name: StageName, stage: Stage) -> None:
        minutes = int(self.options.get("announce", 0))
        if not minutes:
            return
        kept = self._evidence.get("stop_at")
        stop_at = datetime.fromisoformat(kept) if kept else self.workspace.now() + timedelta(minutes=minutes)
        self.journal.note(stop_at=stop_at.isoformat())
        told: set[int] = set(self._evidence.get("told", ()))
        for left in words_ahead(minutes):
            if left in told:
                continue
            at = stop_at - timedelta(minutes=left)
            while self.workspace.now() < at:
                rest = (stop_at - self.workspace.now()).total_seconds()
                stage.say(f"stops in {int(rest // 60)}:{int(rest % 60):02d}; next word at {left} min")
                self._pause(name, min(1.0, max(0.05, (at - self.workspace.now()).total_seconds())))
            if self.workspace.now() < stop_at:
                self._tell(left, stage)
            self.journal.add("told", left)
        while self.workspace.now() < stop_at:
            self._pause(name, min(1.0, max(0.05, (stop_at - self.workspace.now()).total_seconds())))
        stage.say(f"told {counted(minutes, 'minute')} ahead")

    def _tell(self, left: int, stage: Stage) -> None:
        text = str(self.server.care.get("announcement") or "The server restarts in {minutes}.")
        try:
            self.control.announce(text.replace("{minutes}", counted(left, "minute")))
        except ControlError as error:
            # Who cannot be told is not a reason to leave a server as it is.
            self.journal.add("doubts", f"nobody could be told: {error}")
            stage.say(str(error))

    def _wait_until_empty(self, name: StageName, stage: Stage) -> None:
        until = self.options.get("until")
        limit = datetime.fromisoformat(until) if until else None
        while True:
            players = self.control.players()
            if players == 0:
                stage.say("nobody is on the server")
                return
            if limit is not None and self.workspace.now() >= limit:
                stage.say(f"{counted(players, 'player')} still there at the time that was given; going on")
                return
            stage.say(f"waiting: {counted(players, 'player')} on the server")
            self._pause(name, HAND_POLL)

    def stop(self, stage: Stage, facts: dict[str, object]) -> None:
        self._stop_game(StageName.STOP, stage)

    def read(self, stage: Stage, facts: dict[str, object]) -> None:
        self._require_stopped()
        with self.workspace.session() as session:
            newest = latest_snapshot(session, self.server.id)
            known = known_files(session, newest.id) if newest is not None else {}
        self._taken, self._plan = self._take_and_plan(known)
        if self._have_rewritten_shown(self._taken, self._plan, stage):
            self._taken, self._plan = self._take_and_plan(known)
        drifted = sorted(
            path
            for path, digest in self._taken.digests.items()
            if path in known and known[path].digest not in (None, digest)
        )
        facts["drifted"] = drifted
        facts["left_out"] = dict(self._taken.left_out)
        facts["expected"] = {name: list(words) for name, words in self._plan.expected.items()}
        facts["brings"] = [
            {
                "change": one.change_id,
                "effects": [[effect.takes_effect, list(effect.addresses)] for effect in one.effects],
                "looks": list(one.looks),
            }
            for one in self._plan.changes
        ]
        said = f"{counted(len(self._taken.files), 'file')}, {counted(self._taken.read, 'of them read', 'of them read')}"
        stage.say(said + (f"; changed since the last fetch: {', '.join(drifted[:5])}" if drifted else ""))

    def _take_and_plan(self, known: Known) -> tuple[Taken, Plan]:
        taken = take(self.workspace, self.link, self.gamebook, known)
        if self.change_ids:
            return taken, plan_changes(self.workspace, self.server.id, self.change_ids, taken)
        if self.target_id is not None:
            return taken, plan_rollback(self.workspace, self.server.id, self.target_id, taken)
        return taken, Plan({})

    def _have_rewritten_shown(self, taken: Taken, plan: Plan, stage: Stage) -> bool:
        """Ask for the files that the game wrote when it stopped, where they are about to be written: what a person showed
        before then lacks that. Returns whether some were shown since.
        """
        link, gamebook, stop = self.link, self.gamebook, self.journal.last_done(StageName.STOP)
        if not isinstance(link, HandLink) or gamebook is None or stop is None:
            return False
        # Who stops it by hand shows its files before Zerrit believes that it has stopped.
        since = stop.started_at if Act.STOP in self.control.by_hand else stop.ended_at or stop.started_at
        wanted = sorted(path for path in plan.writes if path in taken.by_path and gamebook.is_rewritten(path))

        def lacking() -> list[str]:
            shown = link.shown_at()
            return [path for path in wanted if shown.get(path, 0.0) < since.timestamp()]

        asked = lacking()
        if asked:
            stage.say(f"waiting to be shown {', '.join(asked)}")
            asks = (
                f"The game wrote {', '.join(asked)} when it stopped. Download that again from {self.server.title} and show "
                f"it: zerrit take-in {self.server.id} FOLDER. Else what the game kept there would be lost."
            )
            self._wait(StageName.READ, lambda: not lacking(), "", asks)
        return bool(asked)

    def _require_stopped(self) -> None:
        """Nothing is written to a game that runs, unless it reads those files at a reload."""
        if not self._in_place and self._is_running():
            raise StageFailed("the game runs again; something outside of Zerrit started it")

    def snapshot(self, stage: Stage, facts: dict[str, object]) -> None:
        taken, plan = self._taken, self._plan
        assert taken is not None  # noqa: S101 (a run that was killed begins again with `read`)
        assert plan is not None  # noqa: S101
        files = [RunFile(path=path, old=taken.digests.get(path), new=new) for path, new in plan.writes.items()]
        # What the game itself rewrites does not make other files of those that it ran with.
        drifted = [
            path
            for path in self._evidence.get("drifted", ())
            if self.gamebook is None or not self.gamebook.is_rewritten(path)
        ]
        was_good = bool(self._evidence.get("was_running")) and not drifted

        def keep(session: Session) -> int:
            reason = f"before {self._title(session)}"
            return store_snapshot(self.workspace, session, self.server.id, taken.files, reason, is_good=was_good).id

        before_id = self.journal.plan(files, keep)
        stage.say(f"snapshot {before_id}; {counted(len(files), 'file')} to write")

    def _title(self, session: Session) -> str:
        titles = [(one.id, one.title) for one in (session.get(Change, c) for c in self.change_ids) if one]
        if titles:
            return ", ".join(f"change {id_}: {title}" for id_, title in titles)
        return f"rollback to snapshot {self.target_id}" if self.target_id else "restart"

    def write(self, stage: Stage, facts: dict[str, object]) -> None:
        self._require_stopped()
        writes = self._writes()
        if self.link.by_hand:
            self._hand_out(StageName.WRITE, writes, stage)
            return
        self._put(writes, stage, StageName.WRITE)
        stage.say(f"{counted(len(writes), 'file')} written")

    def _writes(self) -> Writes:
        with self.workspace.session() as session:
            return {file.path: file.new for file in get_run(session, self.journal.run_id).files}

    def _put(self, writes: Mapping[str, str | None], stage: Stage, name: StageName) -> None:
        """Take away first, then write: on a host that ignores letter case a new name may be an old one."""
        held = Held(self.workspace, {path: digest for path, digest in writes.items() if digest is not None})
        order = sorted(writes.items(), key=lambda one: one[1] is not None)
        for number, (path, digest) in enumerate(order, 1):
            self._require_wanted(name)
            stage.say(f"{path} ({number} of {len(order)})")
            if digest is None:
                self.link.remove(path)
            else:
                self.link.write(path, held[path])

    def _hand_out(self, name: StageName, writes: Mapping[str, str | None], stage: Stage) -> None:
        """Ask a person to carry the files, until what is taken in again is what should be there."""

        def is_there() -> bool:
            wanted = lacking(self.link, writes)
            stage.say(f"{len(writes) - len(wanted)} of {counted(len(writes), 'file')} are there")
            return not wanted

        asks = (
            f"Put {counted(len(writes), 'file')} on {self.server.title}: zerrit run hand-out {self.journal.run_id} "
            "--save-to FOLDER makes a folder of them with a step sheet. Then take them in again, so that Zerrit sees them."
        )
        self._wait(name, is_there, "", asks if writes else "")

    def verify(self, stage: Stage, facts: dict[str, object]) -> None:
        writes = self._writes()
        present = {file.path for file in self.link.files()}
        for path, digest in writes.items():
            if digest is None and path in present:
                raise StageFailed(f"{path} should be gone, but is still there")
            if digest is not None and (path not in present or digest_of(self.link.read(path)) != digest):
                raise StageFailed(f"{path} was read back and is not what was written")
        stage.say(f"{counted(len(writes), 'file')} read back, all as written")

    def start(self, stage: Stage, facts: dict[str, object]) -> None:
        self._look_before("before_start")
        self._start_game(StageName.START, stage)

    def reload(self, stage: Stage, facts: dict[str, object]) -> None:
        self._look_before("before_start")
        self.control.reload()
        stage.say("told to read its files again")

    def _look_before(self, name: str) -> None:
        """What lies there before the game is started; after a kill, what lay there the first time."""
        if name not in self._evidence:
            self.journal.note(**{name: self._watched.look_before().as_evidence()})

    def watch(self, stage: Stage, facts: dict[str, object]) -> None:
        verdict, evidence = self._watch_from("before_start", StageName.WATCH, stage)
        doubts = [*self._evidence.get("doubts", ()), *verdict.doubts]
        facts |= evidence | {"doubts": doubts}
        if verdict.trouble:
            raise StageFailed(verdict.trouble)
        facts["lines"] = sorted(verdict.lines)
        facts |= self._against_last_good(verdict)
        self._accept()
        stage.say("; ".join(["up, no crash file, nothing bad in the log", *doubts]))

    def _watch_from(self, before: str, name: StageName, stage: Stage) -> tuple[Verdict, dict[str, Any]]:
        evidence = self._evidence
        seen = Before.of_evidence(evidence[before])
        in_place = bool(evidence.get("in_place")) and name is StageName.WATCH
        watched = self._watched
        expected = evidence.get("expected", {}) if not in_place else {}
        if in_place:  # it was ready all the time, and does not say so again
            watched = Watched(watched.link, watched.control, _without_ready(self.gamebook), watched.elsewhere)
        self._have_log_shown(watched.gamebook)
        verdict = watched.start(
            seen,
            settle=float(self.server.care.get("settle") or self.workspace.settle),
            patience=float(self.server.care.get("patience") or self.workspace.patience),
            say=stage.say,
            pause=lambda seconds: self._pause(name, seconds),
            expected=expected,
        )
        return verdict, verdict.as_evidence(seen)

    def _have_log_shown(self, gamebook: Gamebook | None) -> None:
        """A link by hand shows no log by itself."""
        if self.link.by_hand and gamebook is not None and gamebook.rules.trouble.ready_pattern:
            self.journal.note(
                asks=f"Show Zerrit {gamebook.rules.trouble.log} of {self.server.title} as it is now, and crash files if there "
                f"are new ones: zerrit take-in {self.server.id} FOLDER. If the game does not come up, end this run: "
                f"zerrit run cancel {self.journal.run_id}."
            )

    def _against_last_good(self, verdict: Verdict) -> dict[str, object]:
        """What this start's log says that the last good one did not, and the other way round."""
        with self.workspace.session() as session:
            query = select(Run).where(
                Run.server_id == self.server.id, Run.after_id.is_not(None), Run.id != self.journal.run_id
            )
            last = session.scalar(query.order_by(Run.id.desc()).limit(1))
        lines = set(last.evidence.get("lines", ())) if last is not None else set()
        if last is None or not lines:
            return {}
        return {
            "log_new": sorted(verdict.lines - lines)[:50],
            "log_gone": sorted(lines - verdict.lines)[:50],
            "log_against": last.id,
        }

    def _accept(self) -> None:
        """The server holds the new files and runs with them: keep that as a snapshot, which is a good one."""
        writes = self._writes()
        with self.workspace.session() as session:
            run = get_run(session, self.journal.run_id)
            if run.before_id is None or run.after_id is not None:
                return
            sizes = content_sizes(session, [digest for digest in writes.values() if digest])
            kept = [file for path, file in known_files(session, run.before_id).items() if path not in writes]
            kept += [FetchedFile(path, sizes[digest], 0, digest) for path, digest in writes.items() if digest]
            run.after_id = store_snapshot(
                self.workspace,
                session,
                self.server.id,
                sorted(kept, key=lambda file: file.path),
                f"after {self._title(session)}",
                is_good=True,
            ).id

    # --- letting go, and back -----------------------------------------------------------------------------------------

    def release(self, stage: Stage, facts: dict[str, object]) -> None:
        """Nothing was written: let the game run again, if it did."""
        if not self.link_is_free_of_parts():
            stage.say("left-over part files could not be removed")
        if not self._evidence.get("was_running"):
            stage.say("the game is left as it was")
            return
        self._start_game(StageName.RELEASE, stage)
        self._wait(StageName.RELEASE, self._is_running, "the game did not start")
        stage.say("the game runs, as before")

    def link_is_free_of_parts(self) -> bool:
        try:
            if not self.link.by_hand:
                self.link.sweep()
        except LinkError:
            return False
        return True

    def stop_again(self, stage: Stage, facts: dict[str, object]) -> None:
        if self._in_place:
            stage.say("the game runs on; it reads these files at a reload")
            return
        self._stop_game(StageName.STOP_AGAIN, stage)

    def restore(self, stage: Stage, facts: dict[str, object]) -> None:
        """Write what differs from the snapshot. The way there may be what broke, so it is tried for as long as it takes."""
        deadline = time.monotonic() + self.workspace.patience
        pause = RESTORE_PAUSE
        while True:
            try:
                writes = self._put_back(stage)
                break
            except LinkError as error:
                if error.fault not in PASSING or time.monotonic() > deadline:
                    raise
                stage.say(f"{error} Trying again.")
                self._pause(StageName.RESTORE, pause)
                pause = min(pause * 2, LONGEST_PAUSE)
        stage.say(f"{counted(len(writes), 'file')} put back")

    def _put_back(self, stage: Stage) -> Writes:
        if not self.link.by_hand:
            self.link.sweep()
        writes = self._way_back()
        if self.link.by_hand:
            self._hand_out(StageName.RESTORE, writes, stage)
        else:
            self._put(writes, stage, StageName.RESTORE)
        return writes

    def _wanted(self) -> dict[str, FetchedFile]:
        before_id = self.journal.run().before_id
        assert before_id is not None  # noqa: S101 (nothing is written before there is one)
        with self.workspace.session() as session:
            return known_files(session, before_id)

    def _way_back(self) -> Writes:
        """What differs from the snapshot. Where the game runs on, or a person carries the files, only of those that the
        run wrote: what else differs is the game's, or was shown since.
        """
        writes = way_back(
            self._take_again().digests, {path: file.digest for path, file in self._wanted().items() if file.digest}
        )
        if not self._in_place and not self.link.by_hand:
            return writes
        planned = self._writes()
        return {path: digest for path, digest in writes.items() if path in planned}

    def _take_again(self) -> Taken:
        """What the server holds now. What the run wrote is read, whatever its time says."""
        planned = self._writes()
        known = {path: file for path, file in self._wanted().items() if path not in planned}
        return take(self.workspace, self.link, self.gamebook, known)

    def verify_again(self, stage: Stage, facts: dict[str, object]) -> None:
        unlike = sorted(self._way_back())
        if unlike:
            raise StageFailed(f"these files are not as in the snapshot: {', '.join(unlike[:5])}")
        facts["is_back"] = True
        compared = self._writes() if self._in_place else self._wanted()
        stage.say(f"all {counted(len(compared), 'file')} equal the snapshot, byte for byte")

    def start_again(self, stage: Stage, facts: dict[str, object]) -> None:
        if not self._evidence.get("was_running"):
            stage.say("the game is left stopped, as it was before")
            return
        self._look_before("before_start_again")
        if self._in_place and self._is_running():
            self.control.reload()
            stage.say("told to read its files again")
            return
        self._start_game(StageName.START_AGAIN, stage)

    def watch_again(self, stage: Stage, facts: dict[str, object]) -> None:
        if not self._evidence.get("was_running"):
            stage.say("nothing to watch")
            return
        verdict, evidence = self._watch_from("before_start_again", StageName.WATCH_AGAIN, stage)
        facts["back"] = evidence
        if verdict.trouble:
            raise StageFailed(verdict.trouble)
        stage.say("the game runs again")

    def find_culprit(self) -> None:
        """After a start that failed, name the step that did it, where a copy of the server can be started."""
        run = self.journal.run()
        may = self.server.care.get("may_rehearse") and self.gamebook is not None and self.gamebook.rules.rehearse
        if (
            run.state != "rolled-back"
            or run.evidence.get("failed_at") != StageName.WATCH
            or not may
            or run.cancelled_by
        ):
            return

        def say(text: str) -> None:
            self.journal.note(culprit=f"searching: {text}")

        def pause(seconds: float) -> None:
            if self.workspace.stopping.wait(seconds):
                raise Suspended

        try:
            found = find_culprit(self.workspace, self.journal.run_id, say, pause)
        except Suspended:
            self.journal.note(culprit="")
            raise
        except EXPECTED_ERRORS as error:
            found = f"The culprit could not be searched for: {error}"
        self.journal.note(culprit=found)
        with self.workspace.session() as session:
            note(self.workspace, session, self.person, f"{self.kind}.culprit", self.server.id, found)

    # --- the end ------------------------------------------------------------------------------------------------------

    def _end(self) -> None:
        """Close the run and its changes; all of it or nothing, since a service may be killed here too."""
        with self.workspace.session() as session:
            run = get_run(session, self.journal.run_id)
            state, outcome = _outcome(run)
            note(self.workspace, session, self.person, f"{self.kind}.{state}", self.server.id, outcome)
            self._set_changes(session, state, run.evidence)
            run.state, run.outcome, run.ended_at = state, outcome, self.workspace.now()
        self.workspace.publish("run", {"run": self.journal.run_id, "state": state})
        for change_id in self.change_ids:
            self.workspace.publish("change", {"change": change_id})
        self.workspace.publish("server", {"server": self.server.id})

    def _set_changes(self, session: Session, state: str, evidence: Mapping[str, Any]) -> None:
        became = {"deployed": "deployed", "rolled-back": "rolled-back"}.get(state, "checked")
        brings = {one["change"]: one for one in evidence.get("brings", ())}
        now = self.workspace.now()
        for change_id in self.change_ids:
            change = session.get(Change, change_id)
            if change is None:
                continue
            change.state, change.queue_place, change.updated_at = became, None, now
            if became != "deployed":
                continue
            brought = brings.get(change_id, {})
            change.looks = [Look(text=text, note="", person="") for text in brought.get("looks", ())]
            holds = ("reload",) if evidence.get("in_place") else ("reload", "restart")
            change.waits = [
                Wait(takes_effect=when, addresses=addresses, held_at=now if when in holds else None, person="")
                for when, addresses in brought.get("effects", ())
            ]


_STAGES: Final[Mapping[StageName, Callable[[_Runner, Stage, dict[str, object]], None]]] = {
    StageName.PREFLIGHT: _Runner.preflight,
    StageName.REHEARSE: _Runner.rehearse,
    StageName.ANNOUNCE: _Runner.announce,
    StageName.STOP: _Runner.stop,
    StageName.READ: _Runner.read,
    StageName.SNAPSHOT: _Runner.snapshot,
    StageName.WRITE: _Runner.write,
    StageName.VERIFY: _Runner.verify,
    StageName.START: _Runner.start,
    StageName.RELOAD: _Runner.reload,
    StageName.WATCH: _Runner.watch,
    StageName.RELEASE: _Runner.release,
    StageName.STOP_AGAIN: _Runner.stop_again,
    StageName.RESTORE: _Runner.restore,
    StageName.VERIFY_AGAIN: _Runner.verify_again,
    StageName.START_AGAIN: _Runner.start_again,
    StageName.WATCH_AGAIN: _Runner.watch_again,
}


def _without_ready(gamebook: Gamebook | None) -> Gamebook | None:
    if gamebook is None:
        return None
    trouble = gamebook.rules.trouble.model_copy(update={"ready_pattern": ""})
    return Gamebook(gamebook.rules.model_copy(update={"trouble": trouble}), gamebook.source)


def _outcome(run: Run) -> tuple[str, str]:
    """How a run ended, and in words; all from what the journal says."""
    evidence = run.evidence
    count = counted(len(run.files), "file")
    if "reason" not in evidence:
        state = "deployed" if run.change_ids else "done"
        what = f"{count} written and read back" if run.change_ids else f"{count} put back and compared"
        said = f"{what if run.kind != 'restart' else f'Stopped, kept as snapshot {run.before_id}, started'}; the game is up."
        return state, " ".join(
            [said, *(sentence(doubt[:1].upper() + doubt[1:]) for doubt in evidence.get("doubts", ()))]
        )
    at, why = evidence["failed_at"], sentence(evidence["reason"])
    ended_in = {stage.name: stage.state for stage in run.stages}
    if StageName(at) in BEFORE_WRITING:
        state = "cancelled" if run.cancelled_by else "failed"
        runs_on = ended_in.get(StageName.RELEASE) != "failed"
        more = (
            "" if runs_on else f" The game does not run: {sentence(evidence.get('failed_back', ''))} Start it by hand."
        )
        return state, f"Nothing was written. It ended at {at}: {why}{more}"
    again = " Mend the change, then deploy it again." if run.change_ids and not run.cancelled_by else ""
    if "failed_back" not in evidence:
        runs = "and the game runs" if evidence.get("was_running") else "and the game is stopped, as it was"
        return (
            "rolled-back",
            f"The files are those of snapshot {run.before_id} again {runs}. It ended at {at}: {why}{again}",
        )
    failed_back = sentence(evidence["failed_back"])
    if evidence.get("is_back"):
        said = f"The files are those of snapshot {run.before_id} again, but the game does not come up: {failed_back} "
        said += "Look at its log, and start it by hand; the files are right."
    elif run.options.get("given_up"):
        said = (
            f"{failed_back} The server is as it was left then, perhaps with new files and old ones together. Snapshot "
            f"{run.before_id} is safe; to go back after all: zerrit rollback {run.server_id} {run.before_id}."
        )
    else:
        said = (
            f"Going back to snapshot {run.before_id} failed at {run.stages[-1].name}: {failed_back} The snapshot is safe; "
            f"when the server can be reached again: zerrit rollback {run.server_id} {run.before_id}."
        )
    return "failed", f"{said} What led to it, at {at}: {why}"
