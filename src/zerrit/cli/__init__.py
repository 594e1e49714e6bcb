"""The command `zerrit`: local files need no service, `SERVER:path` goes through it."""

from zerrit.cli.main import main

__all__ = ["main"]
