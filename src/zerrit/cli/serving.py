"""Run the service in this process until it is told to stop."""

from __future__ import annotations

import socket
from pathlib import Path
from typing import Final

import click
import uvicorn

from zerrit.web import Settings, create_app
from zerrit.web.app import configure_log

STOP_PATIENCE: Final = 5  # seconds that open connections (event streams) get when the service stops
SERVICE_TROUBLE: Final = 3


def serve_forever(data: Path, host: str, port: int, admin: str, admin_password: str | None, *, log_json: bool) -> None:
    """Bind first, so that a taken port is a clear message; then serve until SIGTERM or Ctrl-C."""
    configure_log(as_json=log_json)
    listening = _bind(host, port)
    app = create_app(Settings(data, admin, admin_password))
    config = uvicorn.Config(app, log_level="warning", access_log=False, timeout_graceful_shutdown=STOP_PATIENCE)
    click.echo(f"Zerrit listens on http://{host}:{listening.getsockname()[1]}", err=True)
    uvicorn.Server(config).run(sockets=[listening])


def _bind(host: str, port: int) -> socket.socket:
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    listening = socket.socket(family, socket.SOCK_STREAM)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((host, port))
    except OSError as error:
        click.echo(
            f"zerrit: port {port} on {host} cannot be used ({error.strerror}). Choose another with --port.", err=True
        )
        raise SystemExit(SERVICE_TROUBLE) from error
    return listening
