"""
Control by commands on the machine where Zerrit runs.

A command is a list of words and never passes through a shell, unless the admin asks for one. `{text}` in a word of
`announce` becomes the announcement; with a shell it is in the variable ZERRIT_TEXT, since it must not become a
command itself.
"""

from __future__ import annotations

import contextlib
import os
import re
import shlex
import subprocess
import threading
from collections.abc import Mapping, Sequence
from typing import IO, Final

from zerrit.control.control import Act, ControlError, GameState, cannot
from zerrit.settings import STATE_HELP

TIMEOUT: Final = 60.0  # seconds
AFTER_END: Final = 1.0  # seconds to wait for the rest of what a command printed, once it has ended
MAX_ANSWER: Final = 64 * 1024  # bytes kept of what a command prints
STOPPED_CODES: Final = (1, 3)  #: 3 is what init scripts and systemctl answer (LSB, "program is not running")
STOPPED_WORDS: Final = frozenset(("stopped", "inactive", "offline", "down", "dead", "not running"))
RUNNING_WORDS: Final = frozenset(("running", "active", "online", "up"))
SHOWN: Final = 300  # characters of an answer in a message


class CommandControl:
    """`commands` by act, and `state`, which answers as `STATE_HELP` says."""

    is_manual: frozenset[Act] = frozenset()

    def __init__(
        self, commands: Mapping[str, Sequence[str]], *, use_shell: bool = False, timeout: float = TIMEOUT
    ) -> None:
        self._commands = commands
        self._use_shell = use_shell
        self._timeout = timeout

    @property
    def can(self) -> frozenset[Act]:
        return frozenset(act for act in Act if self._commands.get(act))

    def state(self) -> GameState:
        done = self._run("state", self._words("state"))
        said = next(iter(done.stdout.strip().splitlines()), "")[:80]
        word = said.strip().strip(".").lower()
        is_running = done.returncode == 0 and word not in STOPPED_WORDS
        if done.returncode not in (0, *STOPPED_CODES) or (done.returncode in STOPPED_CODES and word in RUNNING_WORDS):
            told = (done.stderr.strip() or said)[:SHOWN]
            raise ControlError(
                f"The command `state` ended with {done.returncode}{f' and printed `{told}`' if told else ''}, which does not "
                f"say whether the game runs. {STATE_HELP}"
            )
        return GameState(is_running, said or ("running" if is_running else "stopped"))

    def stop(self) -> None:
        self._do(Act.STOP)

    def start(self) -> None:
        self._do(Act.START)

    def reload(self) -> None:
        self._do(Act.RELOAD)

    def announce(self, text: str) -> None:
        self._do(Act.ANNOUNCE, text)

    def players(self) -> int:
        return first_number(self._do(Act.PLAYERS), "the command `players`")

    def _do(self, act: Act, text: str = "") -> str:
        if act not in self.can:
            raise cannot(act, "by commands", f"Give the server a command for `{act}`.")
        words = self._words(act)
        if not self._use_shell:
            words = [word.replace("{text}", text) for word in words]
        done = self._run(act, words, text)
        if done.returncode != 0:
            said = (done.stderr or done.stdout).strip()[:SHOWN]
            raise ControlError(
                f"The command `{act}` ({shlex.join(words)[:SHOWN]}) ended with {done.returncode}"
                + (f": {said}" if said else ".")
            )
        return done.stdout

    def _words(self, name: str) -> list[str]:
        return list(self._commands[name])

    def _run(self, name: str, words: Sequence[str], text: str = "") -> subprocess.CompletedProcess[str]:
        try:
            process = subprocess.Popen(  # noqa: S603 (the admin's own commands; a shell only where asked for)
                " ".join(words) if self._use_shell else list(words),
                shell=self._use_shell,
                bufsize=0,
                stdin=subprocess.DEVNULL,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
                env=os.environ | {"ZERRIT_TEXT": text},
            )
            said, wrong = _Drained(process.stdout), _Drained(process.stderr)
            try:
                code = process.wait(self._timeout)
            except BaseException:
                process.kill()
                process.wait()
                raise
            return subprocess.CompletedProcess(process.args, code, said.text(), wrong.text())
        except subprocess.TimeoutExpired as error:
            raise ControlError(
                f"The command `{name}` did not end within {self._timeout:g} s. It should ask for it and return at once."
            ) from error
        except OSError as error:
            raise ControlError(
                f"The command `{name}` cannot be run: {words[0] if words else ''}: {error.strerror}. Is its path right?"
            ) from error


class _Drained:
    """What a command prints, read to its end, so that nothing holds the command up; only its start is kept.

    A game that the command leaves running may hold the pipe open for weeks; that holds nothing up either.
    """

    def __init__(self, pipe: IO[bytes] | None) -> None:
        assert pipe is not None  # noqa: S101 (both are asked for)
        self._pipe = pipe
        self._start = bytearray()
        self._thread = threading.Thread(target=self._drain, name="zerrit-command", daemon=True)
        self._thread.start()

    def _drain(self) -> None:
        with contextlib.suppress(OSError), self._pipe as pipe:
            while block := pipe.read(65536):
                self._start += block[: MAX_ANSWER - len(self._start)]

    def text(self) -> str:
        self._thread.join(AFTER_END)
        return bytes(self._start).decode("utf-8", "replace")


def first_number(text: str, what: str) -> int:
    """The first whole number in a text. Raises ControlError, which says that `what` holds none."""
    found = re.search(r"\d+", text)
    if found is None:
        raise ControlError(
            f"{what[0].upper()}{what[1:]} answered without a number: {text.strip()[:SHOWN] or 'nothing'}"
        )
    return int(found.group())
