"""From the settings of a connection to an open one."""

from __future__ import annotations

from pathlib import Path
from typing import TypedDict, assert_never

from zerrit import settings as kinds
from zerrit.connections.connection import Connection, Limits
from zerrit.connections.folder import FolderConnection
from zerrit.connections.ftp import FtpConnection, FtpsConnection
from zerrit.connections.manual import ManualConnection
from zerrit.connections.sftp import SftpConnection


def open_connection(settings: kinds.AnyConnection, secret: str, limits: Limits, uploaded: Path) -> Connection:
    """Open a connection. `uploaded` is the folder with what a person uploaded last, for a manual connection.

    Raises ConnectionFailed.
    """
    match settings:
        case kinds.FolderConnection(folder=folder):
            return FolderConnection(Path(folder))
        case kinds.FtpConnection():
            return FtpConnection(*_where(settings, secret), **_how(settings, limits))
        case kinds.FtpsConnection(identity=identity):
            return FtpsConnection(*_where(settings, secret), identity=identity, **_how(settings, limits))
        case kinds.SftpConnection(identity=identity):
            return SftpConnection(*_where(settings, secret), identity=identity, **_how(settings, limits))
        case kinds.ManualConnection():
            return ManualConnection(uploaded)
        case _:
            assert_never(settings)


class _How(TypedDict):
    parallel: int
    old_names: str
    limits: Limits


def _where(settings: kinds.RemoteConnection, secret: str) -> tuple[str, int, str, str, str]:
    return settings.host, settings.port, settings.user, secret, settings.folder


def _how(settings: kinds.RemoteConnection, limits: Limits) -> _How:
    return {"parallel": settings.parallel, "old_names": settings.old_names, "limits": limits}
