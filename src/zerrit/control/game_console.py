"""
The console that many game servers offer over TCP: a password, then commands as text.

Written from the public description of the protocol. A packet is three little-endian 32-bit numbers (the size of what
follows, a request id, a kind), a text that ends in a zero byte, and one more zero byte. Kind 3 brings the password
and is answered with its own id, or with -1 where it is wrong; kind 2 is a command; answers are of kind 0. A long answer
comes in several packets, of which none says that it is the last; so an empty packet is sent behind the command, and
what comes before the answer to that one belongs to the command.
"""

from __future__ import annotations

import itertools
import socket
import struct
import time
from collections.abc import Mapping, Sequence
from types import TracebackType
from typing import Final, Self

from zerrit.control.commands import CommandControl, first_number
from zerrit.control.control import Act, ControlError, GameState, cannot

TIMEOUT: Final = 10.0  # seconds
MAX_TIME: Final = 60.0  # seconds that one answer may take
AFTER_ANSWER: Final = 1.0  # seconds that a server has to say more which does not answer the empty packet
_PASSWORD: Final = 3
_COMMAND: Final = 2
_ANSWER: Final = 0
_MOST: Final = 1 << 20  # bytes of one packet; the usual ones have at most 4096
_MOST_ANSWER: Final = 1 << 22


class ConsoleControl:
    """`commands` are the texts for stop, reload, announce (with `{text}`) and players.

    A console that is gone cannot start a game: `start` is a command on this machine, or it is done manually.
    """

    def __init__(
        self,
        host: str,
        port: int,
        password: str,
        commands: Mapping[str, str],
        *,
        start: Sequence[str] = (),
        timeout: float = TIMEOUT,
    ) -> None:
        self._host, self._port, self._password = host, port, password
        self._commands = commands
        self._starter = CommandControl({"start": start}) if start else None
        self._timeout = timeout

    @property
    def is_manual(self) -> frozenset[Act]:
        return frozenset() if self._starter else frozenset((Act.START,))

    @property
    def can(self) -> frozenset[Act]:
        started = {Act.START} if self._starter else set()
        return frozenset(started | {act for act in Act if act is not Act.START and self._commands.get(act)})

    def state(self) -> GameState:
        try:
            with _Talk(self._host, self._port, self._password, self._timeout):
                return GameState(True, "its console answers")
        except _NotThere:
            return GameState(False, "its console does not answer")

    def stop(self) -> None:
        self._say(Act.STOP)

    def start(self) -> None:
        if self._starter is None:
            raise cannot(Act.START, "over the console", "Start it manually.")
        self._starter.start()

    def reload(self) -> None:
        self._say(Act.RELOAD)

    def announce(self, text: str) -> None:
        self._say(
            Act.ANNOUNCE, " ".join(text.replace("\0", " ").split())
        )  # a line break could end the command and begin another one

    def players(self) -> int:
        return first_number(self._say(Act.PLAYERS), "the console's answer to `players`")

    def _say(self, act: Act, text: str = "") -> str:
        if act not in self.can:
            raise cannot(act, "over the console", f"Give the server a console command for `{act}`.")
        try:
            with _Talk(self._host, self._port, self._password, self._timeout) as talk:
                return talk.ask(self._commands[act].replace("{text}", text))
        except _NotThere as error:
            raise ControlError(
                f"The console at {self._host}:{self._port} does not answer. Does the game run, and is the port right?",
                is_passing=True,
            ) from error


class _NotThere(Exception):
    """Nothing listens there."""


class _Talk:
    """One connection, signed in."""

    def __init__(self, host: str, port: int, password: str, timeout: float) -> None:
        self._where = f"{host}:{port}"
        self._numbers = itertools.count(1)
        try:
            self._socket = socket.create_connection((host, port), timeout)
        except (OSError, UnicodeError) as error:
            raise _NotThere from error
        try:
            self._sign_in(password)
        except (TimeoutError, ConnectionError) as error:
            self._socket.close()
            raise self._broken(error) from error
        except BaseException:
            self._socket.close()
            raise

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._socket.close()

    def _sign_in(self, password: str) -> None:
        number = next(self._numbers)
        self._send(number, _PASSWORD, password)
        for _ in range(8):  # an empty answer may come before the one that says whether the password is right
            answered, kind, _ = self._receive()
            if answered == -1:
                raise ControlError(f"The console at {self._where} refuses the password. Correct it.")
            if kind == _COMMAND and answered == number:
                return
        raise ControlError(f"What answers at {self._where} does not answer to a password. Is the port right?")

    def ask(self, command: str) -> str:
        number, behind = next(self._numbers), next(self._numbers)
        self._send(number, _COMMAND, command)
        self._send(behind, _ANSWER, "")
        parts: list[str] = []
        size = 0
        ends = time.monotonic() + MAX_TIME
        while True:
            try:
                answered, _, text = self._receive()
            except TimeoutError as error:
                if parts:
                    return "".join(parts)
                raise self._broken(error) from error
            except ConnectionError:
                # Told to stop, a game may end before it has answered all.
                return "".join(parts)
            if answered == behind:
                return "".join(parts)
            parts.append(text)
            size += len(text)
            if size > _MOST_ANSWER:
                raise ControlError(f"The console at {self._where} answers without end.")
            self._socket.settimeout(AFTER_ANSWER)
            if time.monotonic() > ends:
                raise ControlError(f"The console at {self._where} answers without end.")

    def _send(self, number: int, kind: int, text: str) -> None:
        body = struct.pack("<ii", number, kind) + text.encode() + b"\0\0"
        try:
            self._socket.sendall(struct.pack("<i", len(body)) + body)
        except OSError as error:
            raise self._broken(error) from error

    def _receive(self) -> tuple[int, int, str]:
        try:
            (size,) = struct.unpack("<i", self._exactly(4))
            if not 10 <= size <= _MOST:
                raise ControlError(
                    f"What answers at {self._where} is not a game console (a packet of {size} bytes). Is the port right?"
                )
            body = self._exactly(size)
        except (TimeoutError, ConnectionError):
            raise
        except OSError as error:
            raise self._broken(error) from error
        number, kind = struct.unpack("<ii", body[:8])
        return number, kind, body[8:].rstrip(b"\0").decode("utf-8", "replace")

    def _exactly(self, size: int) -> bytes:
        data = bytearray()
        ends = time.monotonic() + MAX_TIME
        while len(data) < size:
            more = self._socket.recv(size - len(data))
            if not more:
                raise ConnectionResetError("closed")
            data += more
            if time.monotonic() > ends:
                raise TimeoutError("it sends too slowly")
        return bytes(data)

    def _broken(self, error: Exception) -> ControlError:
        return ControlError(
            f"The connection to the console at {self._where} broke ({error}). Try again.", is_passing=True
        )
