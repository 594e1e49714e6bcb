"""Run the service in this process until it is told to stop."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from pathlib import Path
from typing import Final

import click
from sqlalchemy.exc import DatabaseError

from zerrit.cli.output import echo
from zerrit.core.errors import ZerritError
from zerrit.web import Service, Settings, Tls, bound_socket, configure_log, create_app, open_workspace
from zerrit.work.base.workspace import Bounds

SERVICE_TROUBLE: Final = 3


def serve_forever(
    data: Path,
    host: str,
    port: int,
    admin: str,
    admin_password: str | None,
    *,
    hosts: Sequence[str],
    commands: bool,
    folders_below: Sequence[Path],
    new_key: bool,
    log_json: bool,
    tls_cert: Path | None,
    tls_key: Path | None,
) -> None:
    """Bind and open the data first, so that what is wrong is a clear message; serve until SIGTERM or Ctrl-C."""
    configure_log(as_json=log_json)
    tls = _tls(tls_cert, tls_key)
    try:
        listening = bound_socket(host, port)
    except OSError as error:
        echo(f"zerrit: port {port} on {host} cannot be used ({error.strerror}). Choose another with --port.", err=True)
        raise SystemExit(SERVICE_TROUBLE) from error
    settings = Settings(
        data,
        admin,
        admin_password,
        new_key=new_key,
        hosts=(host, *hosts),
        bounds=Bounds(commands, tuple(folders_below)),
    )
    try:
        workspace = open_workspace(settings, lambda *_: None)
        workspace.database.close()
        if workspace.data is not None:
            workspace.data.close()
    except (ZerritError, OSError, DatabaseError) as error:
        echo(f"zerrit: the data in {data} cannot be used: {error}", err=True)
        raise SystemExit(SERVICE_TROUBLE) from error
    echo(f"Zerrit listens on {'https' if tls else 'http'}://{host}:{listening.getsockname()[1]}", err=True)
    with contextlib.suppress(KeyboardInterrupt):  # Ctrl-C is how a person ends it; by then it has stopped cleanly
        Service(create_app(settings), tls).run(sockets=[listening])


def _tls(certificate: Path | None, key: Path | None) -> Tls | None:
    if certificate is None and key is None:
        return None
    if certificate is None or key is None:
        raise click.UsageError("Give both --tls-cert and --tls-key.")
    tls = Tls(certificate, key)
    try:
        tls.check()
    except OSError as error:  # ssl.SSLError is one
        echo(f"zerrit: {certificate} and {key} cannot be used as certificate and key: {error}", err=True)
        raise SystemExit(SERVICE_TROUBLE) from error
    return tls
