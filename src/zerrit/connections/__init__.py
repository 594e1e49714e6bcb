"""How a server's files are reached. One protocol, one file for each kind of link."""

from zerrit.connections.connection import PART_PREFIX, PASSING, Limits, Link, LinkError, LinkFault, RemoteFile
from zerrit.connections.folder import FolderLink
from zerrit.connections.ftp import FtpLink, FtpsLink
from zerrit.connections.manual import HandLink
from zerrit.connections.sftp import SftpLink, is_private_key

__all__ = [
    "PART_PREFIX",
    "PASSING",
    "FolderLink",
    "FtpLink",
    "FtpsLink",
    "HandLink",
    "Limits",
    "Link",
    "LinkError",
    "LinkFault",
    "RemoteFile",
    "SftpLink",
    "is_private_key",
]
