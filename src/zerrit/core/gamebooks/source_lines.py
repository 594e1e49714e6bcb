"""From a place in the data of a gamebook (`("refers", 2, "list")`) to a line of its text."""

from __future__ import annotations

from zerrit.core.documents import Document, Finding, Node, Severity

Location = tuple[int | str, ...]


def locate(document: Document, location: Location) -> tuple[str, Node]:
    """The place in words, and the node there; the nearest one above it where it is absent."""
    node = document.root
    words: list[str] = []
    for part in location:
        if isinstance(part, int):
            child = node.children[part] if part < len(node.children) else None
        else:
            child = node.child(part)
        if child is None:
            break
        node = child
        words.append(str(part + 1) if isinstance(part, int) else part)
    return " / ".join(words), node


def finding_at(document: Document, location: Location, message: str, hint: str = "") -> Finding:
    """A finding in the gamebook itself."""
    _, node = locate(document, location)
    line, column = document.source.locate(node.start)
    return Finding("gamebook.invalid", Severity.ERROR, message, document.path, line, column, hint=hint)
