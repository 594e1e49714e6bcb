"""How a server's files are reached. One protocol, one file for each kind of link."""

from zerrit.links.folder import FolderLink
from zerrit.links.ftp import FtpLink, FtpsLink
from zerrit.links.hand import HandLink
from zerrit.links.link import PART_PREFIX, PASSING, Limits, Link, LinkError, LinkFault, RemoteFile
from zerrit.links.sftp import SftpLink, is_private_key

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
