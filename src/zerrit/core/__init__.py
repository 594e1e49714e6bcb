"""
The heart of Zerrit: pure functions and value objects without I/O, framework or database.

    documents    files as exact text plus a tree over it; edits as splices
    addresses    names of places
    compare      two documents in, differences out
    merge        published snippets into documents
    gamebooks    what is known of one game's files
    checks       findings from documents and a gamebook
"""

from zerrit.core.addresses import Address, parse_address
from zerrit.core.documents import Document, Finding, Severity, read_document
from zerrit.core.errors import ZerritError

__all__ = ["Address", "Document", "Finding", "Severity", "ZerritError", "parse_address", "read_document"]
