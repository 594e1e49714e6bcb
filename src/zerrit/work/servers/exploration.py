"""Trying a way to a server before it is added: what is there, how quick it is, whether it can be written, what the game does."""

from __future__ import annotations

import contextlib
import time
from dataclasses import dataclass
from typing import Final

from zerrit.connections import Connection, ConnectionFailed, ConnectionFault, Listed
from zerrit.core.discovery import Discovery, SeenFile, discover
from zerrit.records import Server
from zerrit.settings import (
    AnyConnection,
    AnyControl,
    IdentifiedConnection,
    Maintenance,
    ManualConnection,
    ManualControl,
    NoDatabase,
)
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.servers.controls import control_of

MOST_FOLDERS: Final = 150  #: that are listed
MOST_SECONDS: Final = 8.0
MOST_FILES: Final = 20_000
DEEPEST: Final = 6
READ_FROM: Final = (4_000, 2_000_000)  # bytes of a file that is read to measure
WRITTEN: Final = "zerrit-write-test.txt"


@dataclass(frozen=True, slots=True)
class Exploration:
    """What was found below a folder of a host.

    `here` is what is directly in it. `is_complete` is false where there was more than was looked at. Times are in
    milliseconds and speeds in bytes for each second; None where it was not measured. `can_write` is None where it was not
    tried, and `write_problem` says why it failed. `identity` is the certificate or key that the host showed.
    """

    identity: str
    here: tuple[Listed, ...]
    found: Discovery
    folders: int
    files: int
    is_complete: bool
    listing_ms: float
    read_speed: float | None
    can_write: bool | None
    write_problem: str
    notes: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class ControlTest:
    """What a control said of its game: in words, and how long it took."""

    is_running: bool
    state: str
    milliseconds: float


def explore(workspace: Workspace, connection: AnyConnection, secret: str, *, may_write: bool = False) -> Exploration:
    """Look at what a connection leads to. Nothing is kept; with `may_write` a small file is written and removed.

    Raises Refused: there is nothing to look at. ConnectionFailed, with the identity that the host shows if that is why.
    """
    if isinstance(connection, ManualConnection):
        raise Refused(
            "You carry these files yourself, so there is nothing to test. Add the server, then show its files."
        )
    server = _passing_by(workspace, connection=connection, connection_secret=secret)
    began = time.perf_counter()
    with workspace.connection_to(server) as opened:
        here = tuple(opened.listing())
        listing_ms = (time.perf_counter() - began) * 1000
        looked = _Looking(opened, here)
        looked.at_all()
        can_write, problem = _tried_to_write(opened) if may_write else (None, "")
        return Exploration(
            getattr(opened, "identity", "") if isinstance(connection, IdentifiedConnection) else "",
            here,
            discover(looked.files, looked.folders),
            len(looked.folders),
            len(looked.files),
            looked.is_complete,
            listing_ms,
            _read_speed(opened, looked.files),
            can_write,
            problem,
            tuple(connection.notes),
        )


class _Looking:
    """Looking below a folder, the nearest folders first, within bounds."""

    def __init__(self, connection: Connection, here: tuple[Listed, ...]) -> None:
        self._connection = connection
        self.files: list[SeenFile] = []
        self.folders: list[str] = []
        self.is_complete = True
        self._next: list[str] = []
        self._take("", here)

    def _take(self, folder: str, listed: tuple[Listed, ...]) -> None:
        for one in listed:
            path = f"{folder}/{one.name}" if folder else one.name
            if one.is_folder:
                self.folders.append(path)
                self._next.append(path)
            elif len(self.files) < MOST_FILES:
                self.files.append(SeenFile(path, one.size))
            else:
                self.is_complete = False

    def at_all(self) -> None:
        until = time.perf_counter() + MOST_SECONDS
        count = 0
        while self._next:
            folder = self._next.pop(0)
            if count >= MOST_FOLDERS or time.perf_counter() > until or folder.count("/") >= DEEPEST:
                self.is_complete = False
                return
            count += 1
            try:
                listed = tuple(self._connection.listing(folder))
            except ConnectionFailed as error:
                if error.fault not in (ConnectionFault.DENIED, ConnectionFault.MISSING):
                    raise
                continue
            self._take(folder, listed)


def _read_speed(connection: Connection, files: list[SeenFile]) -> float | None:
    """Bytes for each second of one file of a fair size; None where there is none that may be read."""
    low, high = READ_FROM
    fitting = sorted((file for file in files if low <= file.size <= high), key=lambda file: -file.size)[:3]
    for file in fitting:
        began = time.perf_counter()
        try:
            data = connection.read(file.path)
        except ConnectionFailed:
            continue
        return len(data) / max(time.perf_counter() - began, 1e-6)
    return None


def _tried_to_write(connection: Connection) -> tuple[bool, str]:
    """Write a small file, read it, remove it. It is named so that whoever finds it knows whose it was."""
    said = b"Zerrit wrote this file to see whether it can write here. You may remove it.\n"
    try:
        if any(one.name == WRITTEN for one in connection.listing()):
            return False, f"{WRITTEN} is there already, from an earlier test. Remove it, then test again."
        connection.write(WRITTEN, said)
        is_same = connection.read(WRITTEN) == said
        connection.remove(WRITTEN)
    except ConnectionFailed as error:
        with contextlib.suppress(ConnectionFailed):
            connection.remove(WRITTEN)
        return False, str(error)
    return is_same, "" if is_same else "What was read back is not what was written."


def test_control(workspace: Workspace, control: AnyControl, secret: str) -> ControlTest:
    """Ask a control whether its game runs. Nothing is kept, nothing is stopped or started. Raises ControlError, Refused."""
    if isinstance(control, ManualControl):
        raise Refused("You stop and start the game yourself, so there is nothing to ask.")
    server = _passing_by(workspace, control=control, control_secret=secret)
    began = time.perf_counter()
    state = control_of(workspace, server).state()
    return ControlTest(state.is_running, state.word, (time.perf_counter() - began) * 1000)


def _passing_by(
    workspace: Workspace,
    *,
    connection: AnyConnection | None = None,
    connection_secret: str = "",
    control: AnyControl | None = None,
    control_secret: str = "",
) -> Server:
    """A server that is never stored."""
    seal = workspace.vault.seal
    server = Server(id="", title="", gamebook=None, created_at=workspace.now(), reported={})
    server.connection = connection if connection is not None else ManualConnection()
    server.control = control if control is not None else ManualControl()
    server.connection_secret = seal(connection_secret) if connection_secret else None
    server.control_secret = seal(control_secret) if control_secret else None
    server.database, server.database_secret = NoDatabase(), None
    server.maintenance = Maintenance()
    return server
