"""
The console of the stand-in games: a TCP port that takes a password and then commands, in packets.

A packet is three little-endian 32-bit numbers (size of what follows, request id, kind), a text that ends in a zero
byte, and one more zero byte. Kind 3 is the password; the answer has its id, or -1 when it is wrong. Kind 2 is a
command; the answer is of kind 0.
"""

from __future__ import annotations

import contextlib
import socketserver
import struct
import threading
from collections.abc import Callable, Mapping
from typing import Final

SIGN_IN: Final = 3
COMMAND: Final = 2
ANSWER: Final = 0
MOST: Final = 4096  # bytes of one packet
SPLIT: Final = 4000  # longer answers come in several packets


class ConsoleServer:
    """One console for each game, each on a port of its own; `answer(command)` does what a command says."""

    def __init__(self, answers: Mapping[str, Callable[[str], str]], password: str) -> None:
        self._servers = {name: _Listening(answer, password) for name, answer in answers.items()}
        self.ports: dict[str, int] = {name: server.server_address[1] for name, server in self._servers.items()}

    def start(self) -> None:
        for server in self._servers.values():
            threading.Thread(target=server.serve_forever, args=(0.1,), daemon=True).start()

    def stop(self) -> None:
        for server in self._servers.values():
            server.shutdown()
            server.server_close()


class _Talk(socketserver.StreamRequestHandler):
    """One connection: nothing is answered before the password was right."""

    server: _Listening

    def handle(self) -> None:
        is_in = False
        with contextlib.suppress(OSError, struct.error):
            while (packet := self._packet()) is not None:
                number, kind, text = packet
                if kind == SIGN_IN:
                    is_in = text == self.server.password
                    self._send(number, ANSWER, "")
                    self._send(number if is_in else -1, COMMAND, "")
                elif not is_in:
                    return
                elif kind == COMMAND:
                    said = self.server.answer(text)
                    for start in range(0, max(len(said), 1), SPLIT):
                        self._send(number, ANSWER, said[start : start + SPLIT])
                else:
                    self._send(number, ANSWER, "unknown request")

    def _packet(self) -> tuple[int, int, str] | None:
        head = self.rfile.read(4)
        if len(head) < 4:
            return None
        (size,) = struct.unpack("<i", head)
        if not 10 <= size <= MOST:
            return None
        body = self.rfile.read(size)
        number, kind = struct.unpack("<ii", body[:8])
        return number, kind, body[8:-2].decode("utf-8", "replace")

    def _send(self, number: int, kind: int, text: str) -> None:
        body = struct.pack("<ii", number, kind) + text.encode() + b"\0\0"
        self.wfile.write(struct.pack("<i", len(body)) + body)


class _Listening(socketserver.ThreadingTCPServer):
    daemon_threads = True

    def __init__(self, answer: Callable[[str], str], password: str) -> None:
        super().__init__(("127.0.0.1", 0), _Talk)
        self.answer = answer
        self.password = password
