"""
The family of errors that a call of the core can end in.

    ZerritError            this call cannot go on; the message says what, where and what to do
    ├── AddressInvalid     the text is not an address
    ├── AddressNotFound    the address leads to no node of the document
    ├── EditRefused        the edit would break the document, or does not fit the value that is there
    ├── SnippetRefused     the snippet is not a usable part of such a document
    ├── MergeRefused       the three documents cannot be merged as they are
    ├── FigureRefused      a figure cannot be worked out from what is there
    ├── PathRefused        the path would lead out of the server's folder
    ├── ArchiveRefused     the archive is damaged, too large, or made to do harm
    └── GamebookInvalid    the gamebook cannot be used; carries its findings

A fault *in a file* is not an error but a finding (`zerrit.core.documents.findings`): all of them are listed,
and reading goes on.
"""

from __future__ import annotations


class ZerritError(Exception):
    """Base of all errors that a caller may show to a person as they are.

    `kind` is the short stable name that the service uses as the problem type.
    """

    kind = "error"


class AddressInvalid(ZerritError):
    """The text is not an address. Carries `text`, `offset` (0-based, in characters) and the bare `reason`."""

    kind = "address-invalid"

    def __init__(self, message: str, text: str, offset: int, reason: str = "") -> None:
        super().__init__(message)
        self.text = text
        self.offset = offset
        self.reason = reason


class AddressNotFound(ZerritError):
    """An address leads to no node. Carries `address`, `path`, `line` (of the nearest parent) and `similar`."""

    kind = "address-not-found"

    def __init__(self, message: str, address: str, path: str, line: int, similar: tuple[str, ...]) -> None:
        super().__init__(message)
        self.address = address
        self.path = path
        self.line = line
        self.similar = similar


class EditRefused(ZerritError):
    """The edit cannot be made; the document is as it was."""

    kind = "edit-refused"


class SnippetRefused(ZerritError):
    """The snippet cannot be merged; the target is as it was.

    `places` are the groups that it could belong to, where there are several; one of them can be named with `into`.
    """

    kind = "snippet-refused"

    def __init__(self, message: str, places: tuple[str, ...] = ()) -> None:
        super().__init__(message)
        self.places = places


class MergeRefused(ZerritError):
    """The documents cannot be merged; nothing was changed."""

    kind = "merge-refused"


class FigureRefused(ZerritError):
    """A figure cannot be worked out from what is in the files."""

    kind = "figure-refused"


class PathRefused(ZerritError):
    """The path would lead out of the server's folder, or is not a file name."""

    kind = "path-refused"


class ArchiveRefused(ZerritError):
    """The archive cannot be used, and nothing of it was."""

    kind = "archive-refused"


class GamebookInvalid(ZerritError):
    """The gamebook cannot be used."""

    kind = "gamebook-invalid"
