"""How a server's files are reached. One protocol, one file for each kind of connection."""

from zerrit.connections.connection import (
    MAX_KEPT,
    PART_PREFIX,
    PASSING,
    Connection,
    ConnectionFailed,
    ConnectionFault,
    Limits,
    Listed,
    NewFile,
    RemoteFile,
)
from zerrit.connections.folder import FolderConnection
from zerrit.connections.ftp import FtpConnection, FtpsConnection
from zerrit.connections.manual import ManualConnection
from zerrit.connections.opening import open_connection
from zerrit.connections.sftp import SftpConnection, is_private_key
from zerrit.connections.with_tables import open_with_tables

__all__ = [
    "MAX_KEPT",
    "PART_PREFIX",
    "PASSING",
    "Connection",
    "ConnectionFailed",
    "ConnectionFault",
    "FolderConnection",
    "FtpConnection",
    "FtpsConnection",
    "Limits",
    "Listed",
    "ManualConnection",
    "NewFile",
    "RemoteFile",
    "SftpConnection",
    "is_private_key",
    "open_connection",
    "open_with_tables",
]
