"""How a server's files are reached. One protocol, one file for each kind of link."""

from zerrit.links.folder import FolderLink
from zerrit.links.ftp import FtpLink
from zerrit.links.link import PART_PREFIX, Link, LinkError, LinkFault, RemoteFile

__all__ = ["PART_PREFIX", "FolderLink", "FtpLink", "Link", "LinkError", "LinkFault", "RemoteFile"]
