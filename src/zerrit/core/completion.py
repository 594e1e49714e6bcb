"""What can follow in an address that someone is typing, and which values a field can be given."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from typing import Final

from zerrit.core.addresses import parse_node_address, quote_key, quote_name
from zerrit.core.documents import Document, Node
from zerrit.core.documents.conditions import values_at
from zerrit.core.documents.selection import select
from zerrit.core.errors import AddressInvalid

MOST: Final = 200  #: that a shell is given at once
_SAMPLE: Final = 2000  #: entries that are looked at for what a field holds
_COMPARED: Final = re.compile(r"\s*([^=!<>~\[\]]+?)\s*(!?=)(.*)", re.DOTALL)


def complete_node(document: Document, typed: str) -> list[str]:
    """The node addresses of a document that begin with what was typed, one segment further at most.

    In a bracket that is open, its keys and, as conditions, the fields of the entries and what they hold.
    """
    before, slash, last = _cut(typed)
    opened = _open_bracket(last)
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
                break
    if opened is not None:
        found |= dict.fromkeys(f"{before}{slash}{one}" for one in _conditions(document, parents, last, opened))
    return list(found)[:MOST]


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


def _open_bracket(segment: str) -> int | None:
    """Where the bracket is that is not closed yet."""
    quoted, opened = False, None
    for index, sign in enumerate(segment):
        if sign == '"':
            quoted = not quoted
        elif not quoted and sign in "[]":
            opened = index if sign == "[" else None
    return opened


def _conditions(document: Document, parents: Sequence[Node], segment: str, opened: int) -> Iterator[str]:
    """What the open bracket of a segment can become: a field with `=`, or the condition with each value that is there."""
    head, inner = segment[:opened], segment[opened + 1 :]
    try:
        pattern = parse_node_address(head or "*")
        entries = [entry for parent in parents[:MOST] for entry in select(parent, document.keys, pattern)][:_SAMPLE]
        compared = _COMPARED.fullmatch(inner)
        place = parse_node_address(compared.group(1)) if compared else ()
    except AddressInvalid:
        return
    if compared is None:
        shown = inner.strip().casefold()
        names = {child.name.removeprefix("@"): None for entry in entries for child in entry.children if child.is_value}
        yield from (f"{head}[{quote_name(name)}=" for name in names if name and name.casefold().startswith(shown))
        return
    *earlier, typed = compared.group(3).split(",")
    values = dict.fromkeys(value for entry in entries for value in values_at(document.keys, entry, place))
    listed = "".join(f"{one}," for one in earlier)
    for value in values:
        if value.casefold().startswith(typed.strip().strip('"').casefold()):
            yield f"{head}[{compared.group(1)}{compared.group(2)}{listed}{quote_key(value)}]"


def complete_value(words: Iterable[str], typed: str) -> list[str]:
    """Operations that give a field one of its words: `=shallow`."""
    return [operation for word in words if (operation := f"={word}").casefold().startswith(typed.casefold())][:MOST]
