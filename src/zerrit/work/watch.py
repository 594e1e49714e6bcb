"""Watching a game start: is it up, did it write a crash file, what does its log say."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Final

from zerrit.control import Control
from zerrit.core.gamebooks import Gamebook, compile_pattern
from zerrit.core.paths import path_matches
from zerrit.links import Link, LinkError, LinkFault

EXCERPT_LINES: Final = 40
POLL: Final = 0.25  # seconds


@dataclass(frozen=True, slots=True)
class Before:
    """What lay there before the start: an old crash file must not be taken for a new one."""

    crash_files: frozenset[tuple[str, int, int]]
    log_length: int


@dataclass(frozen=True, slots=True)
class Verdict:
    """How a start went. `trouble` is empty when all is well."""

    trouble: str
    log_excerpt: str
    crash_files: dict[str, str] = field(default_factory=dict)


def look_before(link: Link, gamebook: Gamebook | None) -> Before:
    return Before(frozenset(_crash_files(link, gamebook)), len(_log(link, gamebook)))


def watch_start(
    link: Link,
    control: Control,
    gamebook: Gamebook | None,
    before: Before,
    *,
    settle: float,
    patience: float,
    say: Callable[[str], None],
) -> Verdict:
    """Wait until the game says that it is ready and has stayed up for `settle` seconds, or until trouble shows."""
    trouble = gamebook.rules.trouble if gamebook else None
    ready_pattern = trouble.ready_pattern if trouble else ""
    deadline = time.monotonic() + patience
    ready_since: float | None = None
    while True:
        state = control.state()
        log = _log(link, gamebook)[before.log_length :].decode("utf-8", "replace")
        crashed = {path: "" for path, _, _ in _crash_files(link, gamebook) - before.crash_files}
        problem = _problem(state.is_running, state.word, log, crashed, trouble.log_patterns if trouble else ())
        if problem:
            for path in crashed:
                crashed[path] = link.read(path).decode("utf-8", "replace")[:20_000]
            return Verdict(problem, _excerpt(log), crashed)
        now = time.monotonic()
        if ready_since is None and (not ready_pattern or compile_pattern(ready_pattern).search(log)):
            ready_since = now
            say(f"the game is up; seeing whether it stays up for {settle:g} s")
        if ready_since is not None and now - ready_since >= settle:
            return Verdict("", _excerpt(log))
        if now > deadline:
            return Verdict(f"the game did not say that it is ready within {patience:g} s", _excerpt(log))
        time.sleep(POLL)


def _problem(is_running: bool, word: str, log: str, crashed: dict[str, str], patterns: tuple[str, ...]) -> str:
    reasons = []
    if crashed:
        reasons.append(f"a new crash file appeared: {', '.join(sorted(crashed))}")
    if not is_running:
        reasons.append(f"the game is not running (the control says: {word})")
    line = next(
        (line for line in log.splitlines() if any(compile_pattern(pattern).search(line) for pattern in patterns)), ""
    )
    if line:
        reasons.append(f"its log says: {line.strip()}")
    return "; ".join(reasons)


def _crash_files(link: Link, gamebook: Gamebook | None) -> set[tuple[str, int, int]]:
    patterns = gamebook.rules.trouble.crash_files if gamebook else ()
    if not patterns:
        return set()
    return {
        (file.path, file.size, file.modified)
        for file in link.list()
        if any(path_matches(pattern, file.path) for pattern in patterns)
    }


def _log(link: Link, gamebook: Gamebook | None) -> bytes:
    path = gamebook.rules.trouble.log if gamebook else ""
    if not path:
        return b""
    try:
        return link.read(path)
    except LinkError as error:
        if error.fault is LinkFault.MISSING:
            return b""  # a game that never ran has no log yet
        raise


def _excerpt(log: str) -> str:
    return "\n".join(log.splitlines()[-EXCERPT_LINES:])
