"""The server around the application."""

from __future__ import annotations

import asyncio
import socket
from typing import Final

import h11
import uvicorn
from fastapi import FastAPI
from uvicorn.protocols.http.h11_impl import H11Protocol

_POLICY: Final = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)
#: On every answer, the server's own refusals of broken requests too.
HEADERS: Final = [
    ("Content-Security-Policy", _POLICY),
    ("X-Content-Type-Options", "nosniff"),
    ("Referrer-Policy", "no-referrer"),
]
MOST_CONNECTIONS: Final = 500  # at once; further ones are answered with 503
HEAD_PATIENCE: Final = 20.0  # seconds for the head of a request
BODY_PATIENCE: Final = 600.0  # and for its body; an archive over a slow line takes its time
KEEP_ALIVE: Final = 20  # seconds; longer than clients do, or one may send a request just when its connection is closed
STOP_PATIENCE = 10  # seconds that answers under way get when the service stops


class Patience(H11Protocol):
    """One connection. A request that does not arrive in time is not waited for: half-open connections cost something."""

    _look: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]  # as in the base class
        super().connection_made(transport)
        self._waited = 0.0
        self._seen: object = (None, True, False)
        self._look = self.loop.call_later(HEAD_PATIENCE, self._look_again)

    def connection_lost(self, exc: Exception | None) -> None:
        if self._look is not None:
            self._look.cancel()
        super().connection_lost(exc)

    def _look_again(self) -> None:
        is_waiting = self.cycle is None or self.cycle.response_complete  # for the head of a request
        is_sending = not is_waiting and self.cycle.more_body and not self.cycle.response_started
        state = (self.cycle, is_waiting, is_sending)
        # A connection that is between two requests at this moment has only just begun to wait.
        self._waited = self._waited + HEAD_PATIENCE if state == self._seen else 0.0
        self._seen = state
        if (is_waiting and self._waited >= HEAD_PATIENCE) or (is_sending and self._waited >= BODY_PATIENCE):
            self.transport.close()
            return
        self._look = self.loop.call_later(HEAD_PATIENCE, self._look_again)

    def send_400_response(self, msg: str) -> None:
        """The refusal of what is no request, with the headers that every answer has."""
        named = [(name.lower().encode(), value.encode()) for name, value in HEADERS]
        headers = [(b"content-type", b"text/plain; charset=utf-8"), (b"connection", b"close"), *named]
        for event in (h11.Response(status_code=400, headers=headers), h11.Data(data=msg.encode()), h11.EndOfMessage()):
            self.transport.write(self.conn.send(event) or b"")
        self.transport.close()


class Service(uvicorn.Server):
    """Serves the application; when it is told to stop, it first lets the listeners of the event stream go."""

    def __init__(self, app: FastAPI) -> None:
        config = uvicorn.Config(
            app,
            http=Patience,
            log_level="warning",
            access_log=False,
            timeout_graceful_shutdown=STOP_PATIENCE,
            timeout_keep_alive=KEEP_ALIVE,
            headers=HEADERS,
            server_header=False,
            limit_concurrency=MOST_CONNECTIONS,
        )
        super().__init__(config)
        self._app = app

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        self._app.state.context.events.close()
        await super().shutdown(sockets)


def bound_socket(host: str, port: int) -> socket.socket:
    """A socket that listens there; 0 takes any free port. Raises OSError: it is taken, or not ours to use."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    listening = socket.socket(family, socket.SOCK_STREAM)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((host, port))
    except OSError:
        listening.close()
        raise
    return listening
