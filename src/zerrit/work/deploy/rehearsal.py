"""A rehearsal: a copy of a server is started beside it with other files, watched, and thrown away."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Final

from zerrit import settings as kinds
from zerrit.connections import FolderConnection
from zerrit.control import Act, ControlError, GameState
from zerrit.core.addresses import parse_address
from zerrit.core.documents.value_edits import parse_operation, set_values
from zerrit.core.gamebooks import Gamebook
from zerrit.core.paths import safe_path
from zerrit.core.wildcards import path_matches
from zerrit.records import Server
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.deploy.start_watch import Verdict, Watched
from zerrit.work.snapshots.live_files import Held

STOP_PATIENCE: Final = 10.0  # seconds


def require_rehearsal(server: Server, gamebook: Gamebook | None) -> Gamebook:
    """The gamebook that says how. Raises Refused: it does not, or the server's admin has not allowed it."""
    if gamebook is None or gamebook.rules.rehearse is None:
        raise Refused(f"The gamebook of {server.id} does not say how a copy of the server is started (`rehearse`).")
    if not server.maintenance.may_rehearse:
        raise Refused(
            f"A rehearsal runs the gamebook's command on this machine; allow that for {server.id} first: "
            f"zerrit server set {server.id} --may-rehearse"
        )
    return gamebook


def rehearse(
    workspace: Workspace,
    server: Server,
    gamebook: Gamebook | None,
    digests: Mapping[str, str],
    *,
    expected: Mapping[str, Sequence[str]],
    say: Callable[[str], None],
    pause: Callable[[float], None],
) -> Verdict:
    """Start a copy that holds these contents, and watch it. Whatever happens, it is gone afterwards.

    Raises Refused: see `require_rehearsal`. ControlError: the command cannot be run.
    """
    book = require_rehearsal(server, gamebook)
    with tempfile.TemporaryDirectory(prefix="zerrit-rehearsal-") as scratch:
        folder = Path(scratch) / "copy"
        port = _free_port()
        say("laying out a copy")
        _lay_out(workspace, server, book, digests, folder, port)
        with Scratch(book, folder, port) as game:
            watched = Watched(FolderConnection(folder), game, book)
            before = watched.look_before()
            game.start()
            say("the copy was started")
            return watched.start(
                before,
                settle=server.maintenance.settle or workspace.settle,
                patience=server.maintenance.patience or workspace.patience,
                say=say,
                pause=pause,
                expected=expected,
            )


def _lay_out(
    workspace: Workspace, server: Server, book: Gamebook, digests: Mapping[str, str], folder: Path, port: int
) -> None:
    assert book.rules.rehearse is not None  # noqa: S101 (`require_rehearsal` saw to it)
    rules = book.rules.rehearse
    held = Held(workspace, {p: d for p, d in digests.items() if not any(path_matches(w, p) for w in rules.without)})
    if isinstance(server.connection, kinds.FolderConnection):  # what is only watched is on this machine too
        with workspace.connection_to(server) as connection:
            for file in connection.files():
                if file.path not in digests and book.is_watched(file.path):
                    _put(folder, file.path, connection.read(file.path))
    place = parse_address(rules.port_at) if rules.port_at else None
    for path, data in held.items():
        if place is not None and place.path == path:
            edited = set_values(book.read(data, path), place.segments, parse_operation(f"={port}"))
            _put(folder, path, edited.document.to_bytes())
        else:
            _put(folder, path, data)


def _put(folder: Path, path: str, data: bytes) -> None:
    target = folder.joinpath(*safe_path(path).split("/"))
    target.parent.mkdir(parents=True, exist_ok=True)
    target.write_bytes(data)


def _free_port() -> int:
    with socket.create_server(("127.0.0.1", 0)) as found:
        port: int = found.getsockname()[1]
    return port


class Scratch:
    """The copy's process as a control."""

    is_manual: frozenset[Act] = frozenset()
    can = frozenset((Act.START, Act.STOP))

    def __init__(self, book: Gamebook, folder: Path, port: int) -> None:
        assert book.rules.rehearse is not None  # noqa: S101 (`require_rehearsal` saw to it)
        filled = {"{folder}": str(folder), "{port}": str(port), "{python}": sys.executable}
        self._words = [_filled(word, filled) for word in book.rules.rehearse.command]
        self._folder = folder
        self._process: subprocess.Popen[bytes] | None = None

    def __enter__(self) -> Scratch:
        return self

    def __exit__(self, *_: object) -> None:
        self.stop()

    def state(self) -> GameState:
        if self._process is None:
            return GameState(False, "not started")
        code = self._process.poll()
        return GameState(code is None, "running" if code is None else f"it ended with {code}")

    def start(self) -> None:
        if not shutil.which(self._words[0]):
            raise ControlError(f"The command of the rehearsal is not on this machine: {self._words[0]}")
        self._process = subprocess.Popen(  # noqa: S603 (the gamebook's command, which the server's admin has allowed)
            self._words,
            cwd=self._folder,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )

    def stop(self) -> None:
        """End it with all that it started."""
        if self._process is None or self._process.poll() is not None:
            return
        for number in (signal.SIGTERM, signal.SIGKILL):
            with suppress(ProcessLookupError):
                os.killpg(self._process.pid, number)
            try:
                self._process.wait(STOP_PATIENCE)
                return
            except subprocess.TimeoutExpired:
                continue

    def reload(self) -> None:
        raise ControlError("A copy is not made to read again.")

    def announce(self, text: str) -> None:
        raise ControlError("No one plays on a copy.")

    def players(self) -> int:
        return 0


def _filled(word: str, filled: Mapping[str, str]) -> str:
    for name, value in filled.items():
        word = word.replace(name, value)
    return word
