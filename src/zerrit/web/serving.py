"""The server around the application."""

from __future__ import annotations

import socket

import uvicorn
from fastapi import FastAPI

STOP_PATIENCE = 10  # seconds that answers under way get when the service stops


class Service(uvicorn.Server):
    """Serves the application; when it is told to stop, it first lets the listeners of the event stream go."""

    def __init__(self, app: FastAPI) -> None:
        config = uvicorn.Config(app, log_level="warning", access_log=False, timeout_graceful_shutdown=STOP_PATIENCE)
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
