"""Looking into the database files that games use."""

from zerrit.databases.sqlite import query

__all__ = ["query"]
