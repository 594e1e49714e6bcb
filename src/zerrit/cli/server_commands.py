"""The group `server` with all its commands, which are in several modules."""

from zerrit.cli import manual, server_compare
from zerrit.cli.servers import server

__all__ = ["manual", "server", "server_compare"]
