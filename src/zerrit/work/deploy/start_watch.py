"""Watching a game start: is it up, did it leave a crash file, what does its log say, what did it load."""

from __future__ import annotations

import math
import re
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Final

from zerrit.connections import PASSING, Connection, ConnectionFailed, RemoteFile
from zerrit.control import Control, ControlError, GameState
from zerrit.core.expressions import compile_pattern
from zerrit.core.gamebooks import Gamebook
from zerrit.core.paths import fixed_folder
from zerrit.core.rules import LoadedRules
from zerrit.core.wildcards import path_matches
from zerrit.core.wording import counted
from zerrit.records import BeforeStart, StartFacts
from zerrit.work.servers.game_log import StartLog, log_marks

EXCERPT_LINES: Final = 40
LIVE_LINES: Final = 200  # of a log, while a game starts
MOST_OF_A_CRASH: Final = 20_000  # characters
POLL: Final = 0.25  # seconds
_HERE: Final = ""  #: the game's own folder among the places of crash files


@dataclass(frozen=True, slots=True)
class Crash:
    """A crash file that came with a start. `place` is the folder outside of the game's own, or empty."""

    place: str
    path: str
    modified: int
    text: str


@dataclass(frozen=True)
class Verdict:
    """How a start went. `trouble` is empty when all is well; `doubts` are what one should know anyway.

    `is_up`: the game runs and is ready, whatever it lacks.
    """

    trouble: str
    log: str
    crashes: tuple[Crash, ...] = ()
    doubts: tuple[str, ...] = ()
    is_up: bool = False
    lines: frozenset[str] = field(default_factory=frozenset)  #: what the log says, without times and numbers

    def facts(self, before: BeforeStart) -> StartFacts:
        """What a run keeps of it."""
        return StartFacts(
            log=self.log,
            crash_files=crash_texts(self.crashes),
            crash_times=crash_times(self.crashes),
            old_crash_files=len(before.crash_files),
            newest_old_crash=_newest_crash(before, datetime.now(UTC)),
            doubts=list(self.doubts),
        )


def crash_texts(crashes: Sequence[Crash]) -> dict[str, str]:
    """The texts of crash files by path."""
    return {f"{one.place}{one.path}": one.text for one in crashes}


def crash_times(crashes: Sequence[Crash]) -> dict[str, datetime]:
    """When crash files were written, by their host's clock, by path."""
    return {f"{one.place}{one.path}": datetime.fromtimestamp(one.modified, UTC) for one in crashes}


def _newest_crash(before: BeforeStart, now: datetime) -> str:
    """The newest of the crash files that were there, with its age, in words; empty where there was none."""
    if not before.crash_files:
        return ""
    place, path, _, modified = max(before.crash_files, key=lambda one: one[3])
    return f"{place}{path}, {age_in_words(modified, now)}"


@dataclass(frozen=True)
class Watched:
    """A game to be watched: its connection, its control, its gamebook, and further places where crash files come to lie."""

    connection: Connection
    control: Control
    gamebook: Gamebook | None
    elsewhere: Mapping[str, Connection] = field(default_factory=dict)

    def look_before(self) -> BeforeStart:
        """What is there before a start."""
        crash_files = frozenset((place, file.path, file.size, file.modified) for place, file in self._crash_files())
        return BeforeStart(crash_files=crash_files, log=log_marks(self.connection, self._log_pattern))

    def start(
        self,
        before: BeforeStart,
        *,
        settle: float,
        patience: float,
        say: Callable[[str], None],
        pause: Callable[[float], None],
        expected: Mapping[str, Sequence[str]],
        hear: Callable[[str], None] | None = None,
    ) -> Verdict:
        """Wait until the game says that it is ready and has stayed up for `settle` seconds, or until trouble shows.

        `hear` is given the last lines of its log, each time that it was looked at.

        Patience is for programs: where a person carries the log, it is waited for as long as they need.
        """
        start_log = StartLog(self.connection, self._log_pattern, before.log)
        ready_pattern = self.gamebook.rules.trouble.ready_pattern if self.gamebook else ""
        deadline = time.monotonic() + patience
        ready_deadline = math.inf if self.connection.is_manual else deadline
        ready_since: float | None = None
        while True:
            began = time.monotonic()
            state = self._state(deadline)
            log = start_log.read()
            if hear is not None:
                hear("\n".join(log.splitlines()[-LIVE_LINES:]))
            crashes = self.crashes_since(before)
            problem = self._problem(state, log, crashes)
            now = time.monotonic()
            if not problem and ready_since is None and now > ready_deadline:
                problem = f"the game did not say that it is ready within {patience:g} s; its log shows how far it came"
            if problem:
                # A game that goes down writes its log and its crash file at about the same time, in either order.
                pause(POLL)
                log, crashes = start_log.read(), self.crashes_since(before)
                return Verdict(self._problem(state, log, crashes) or problem, self._excerpt(log), crashes)
            if ready_since is None and (not ready_pattern or compile_pattern(ready_pattern).search(log)):
                ready_since = now
                say(f"the game is up; seeing whether it stays up for {settle:g} s")
            if ready_since is not None and now - ready_since >= settle:
                return self._loaded(log, expected, start_log.doubt)
            # A host that is slow to list is not asked without a break.
            pause(max(POLL, now - began))

    def says_something(self, before: BeforeStart) -> bool:
        """Whether there is trouble to see, or the log says that the game is ready, or would never say so."""
        ready_pattern = self.gamebook.rules.trouble.ready_pattern if self.gamebook else ""
        log = StartLog(self.connection, self._log_pattern, before.log).read()
        is_ready = not ready_pattern or compile_pattern(ready_pattern).search(log) is not None
        return is_ready or bool(self._problem(self._state(0), log, self.crashes_since(before)))

    # --- what is seen -------------------------------------------------------------------------------------------------

    def _state(self, deadline: float) -> GameState | None:
        """None while the control is not to be had just now."""
        try:
            return self.control.state()
        except ControlError as error:
            if not error.is_passing or time.monotonic() > deadline:
                raise
            return None

    def _problem(self, state: GameState | None, log: str, crashes: Sequence[Crash]) -> str:
        reasons = []
        if crashes:
            reasons.append(f"a new crash file appeared: {', '.join(f'{c.place}{c.path}' for c in crashes)}")
        if state is not None and not state.is_running:
            reasons.append(f"the game is not running (the control says: {state.word})")
        patterns = self.gamebook.rules.trouble.log_patterns if self.gamebook else ()
        line = next(
            (one for one in log.splitlines() if any(compile_pattern(pattern).search(one) for pattern in patterns)), ""
        )
        if line:
            reasons.append(f"its log says: {line.strip()}")
        return "; ".join(reasons)

    def _loaded(self, log: str, expected: Mapping[str, Sequence[str]], doubt: str) -> Verdict:
        """What the game says that it loaded, against what it should have."""
        rules = self.gamebook.rules.trouble.loaded if self.gamebook else ()
        doubts = [doubt] if doubt else []
        trouble: list[str] = []
        for rule in rules:
            lacking = [word for word in expected.get(rule.list_name, ()) if word not in _named(rule, log)]
            if lacking:
                said = f"the game did not say that it loaded {', '.join(lacking)} (of {rule.list_name})"
                (trouble if rule.required else doubts).append(said)
        lines = self._lines(log)
        return Verdict("; ".join(trouble), self._excerpt(log), doubts=tuple(doubts), is_up=True, lines=lines)

    def _crash_files(self) -> list[tuple[str, RemoteFile]]:
        found: list[tuple[str, RemoteFile]] = []
        for pattern in self.gamebook.rules.trouble.crash_files if self.gamebook else ():
            below = fixed_folder(pattern)
            found += [(_HERE, file) for file in self.connection.files(below) if path_matches(pattern, file.path)]
        for place, connection in self.elsewhere.items():
            found += [(place, file) for file in connection.files()]
        return found

    def crashes_since(self, before: BeforeStart) -> tuple[Crash, ...]:
        """The crash files that are there now and were not before."""
        return tuple(
            Crash(place, file.path, file.modified, self._text_of(place, file))
            for place, file in self._crash_files()
            if (place, file.path, file.size, file.modified) not in before.crash_files
        )

    def _text_of(self, place: str, file: RemoteFile) -> str:
        try:
            data = (self.elsewhere[place] if place else self.connection).read(file.path)
        except ConnectionFailed as error:
            if error.fault in PASSING:
                raise
            return f"(cannot be read: {error})"
        return data.decode("utf-8", "replace")[:MOST_OF_A_CRASH]

    # --- the log ------------------------------------------------------------------------------------------------------

    @property
    def _log_pattern(self) -> str:
        return self.gamebook.rules.trouble.log if self.gamebook else ""

    def _is_noise(self, line: str) -> bool:
        patterns = self.gamebook.rules.trouble.noise if self.gamebook else ()
        return any(compile_pattern(pattern).search(line) for pattern in patterns)

    def _excerpt(self, log: str) -> str:
        lines = log.splitlines()
        telling = [line for line in lines if not self._is_noise(line)]
        shown = telling[-EXCERPT_LINES:]
        if len(telling) < len(lines):
            shown.append(f"({counted(len(lines) - len(telling), 'line')} of known noise left out)")
        return "\n".join(shown)

    def _lines(self, log: str) -> frozenset[str]:
        return frozenset(plain_line(line) for line in log.splitlines() if line.strip() and not self._is_noise(line))


def plain_line(line: str) -> str:
    """A line of a log without what differs at every start: times and numbers."""
    return re.sub(r"\d+", "#", line).strip()[:200]


def _named(rule: LoadedRules, log: str) -> set[str]:
    pattern = compile_pattern(rule.line)
    found = (pattern.search(line) for line in log.splitlines())
    return {match.group("name") for match in found if match is not None}


def age_in_words(modified: int, now: datetime) -> str:
    """How long ago a file was written, by the clock of its host."""
    seconds = int((now - datetime.fromtimestamp(modified, UTC)).total_seconds())
    for size, word in ((86400, "day"), (3600, "hour"), (60, "minute")):
        if seconds >= size:
            return f"{counted(seconds // size, word)} old"
    return f"{counted(max(seconds, 0), 'second')} old"
