"""What can follow in an address that someone is typing, and which values a field can be given."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Final

from zerrit.core.addresses import parse_node_address, quote_key, quote_name
from zerrit.core.documents import Document
from zerrit.core.documents.selection import select
from zerrit.core.errors import AddressInvalid

MOST: Final = 200  #: that a shell is given at once


def complete_node(document: Document, typed: str) -> list[str]:
    """The node addresses of a document that begin with what was typed, one segment further at most."""
    before, slash, last = _cut(typed)
    try:
        parents = select(document.root, document.keys, parse_node_address(before)) if before else [document.root]
    except AddressInvalid:
        return []
    found: dict[str, None] = {}
    for parent in parents[:MOST]:
        for child in parent.children:
            key = document.keys.key_of(child)
            name = quote_name(child.name) if child.name else ""
            segment = f"{name}[{quote_key(key)}]" if key else name
            if segment.casefold().startswith(last.casefold()):
                found[f"{before}{slash}{segment}"] = None
            if len(found) >= MOST:
                return list(found)
    return list(found)


def _cut(typed: str) -> tuple[str, str, str]:
    """What is complete, the slash, and the segment that is being typed; a slash in quotes or brackets parts nothing."""
    depth, quoted, at = 0, False, -1
    for index, sign in enumerate(typed):
        if sign == '"':
            quoted = not quoted
        elif not quoted and sign in "[]":
            depth += 1 if sign == "[" else -1
        elif sign == "/" and not quoted and depth <= 0:
            at = index
    return (typed[:at], "/", typed[at + 1 :]) if at >= 0 else ("", "", typed)


def complete_value(words: Iterable[str], typed: str) -> list[str]:
    """Operations that give a field one of its words: `=shallow`."""
    return [operation for word in words if (operation := f"={word}").casefold().startswith(typed.casefold())][:MOST]
