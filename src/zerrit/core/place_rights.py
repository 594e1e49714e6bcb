"""
Whether everything that a change does is at places that someone may change.

Places are addresses that choose, as anywhere else: `stalls.xml#ware[kind=cloth]/price`, `events/*.yml`, with a server before
them or not. What is outside is found in two ways that both have to be satisfied: the rest of the file has the same values in
the same order, and the same text but for blanks and the signs between entries.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Final

from zerrit.core.addresses import Address, parse_address
from zerrit.core.documents import Document, Node
from zerrit.core.documents.selection import select
from zerrit.core.examination.game_files import Files
from zerrit.core.steps import Replay
from zerrit.core.wildcards import path_matches

MOST_TOLD: Final = 20
_ITEM: Final = re.compile(r"^(?:[ \t]*-(?=\s|$))+", re.MULTILINE)
_BETWEEN: Final = re.compile(r"[\s,]+")

Values = tuple[tuple[str, ...], str | None, bool, str]


def places_on(places: Sequence[str], server: str) -> tuple[Address, ...]:
    """The places among those given that speak of a server. Raises AddressInvalid."""
    addresses = (parse_address(text) for text in places)
    return tuple(one for one in addresses if one.server in ("", server))


def outside(places: Sequence[Address], files: Files, replayed: Replay) -> list[str]:
    """What a change does besides, as addresses or paths, the first of them; empty where all is at these places.

    `files` are those that it is built on.
    """
    found: list[str] = []
    for path in sorted(replayed.touched):
        if not _is_whole(places, path):
            found += _in_file(places, path, files.documents.get(path), replayed.documents.get(path))
    binaries = files.others.keys() | replayed.others.keys()
    other = {path for path in binaries if files.others.get(path) != replayed.others.get(path)}
    marked = files.marks.executable ^ replayed.marks.executable
    emptied = files.marks.empty_folders ^ replayed.marks.empty_folders
    moved = {*replayed.moved, *replayed.moved.values()}
    besides = {*other, *marked, *emptied, *moved, *replayed.left} - {path for path in replayed.touched if path in found}
    found += [path for path in sorted(besides) if not _is_whole(places, path)]
    return list(dict.fromkeys(found))[:MOST_TOLD]


def _is_whole(places: Sequence[Address], path: str) -> bool:
    """The complete file is such a place."""
    return any(not one.segments and path_matches(one.path, path) for one in places)


def _in_file(places: Sequence[Address], path: str, old: Document | None, new: Document | None) -> Iterator[str]:
    own = [one for one in places if one.segments and path_matches(one.path, path)]
    if old is None or new is None or not own or not old.ok or not new.ok or old.format is not new.format:
        yield path
        return
    kept_old, kept_new = _rest(own, old), _rest(own, new)
    if kept_old.values != kept_new.values:
        listed = set(kept_old.values)
        there = set(kept_new.values)
        apart = [
            f"{path}#{address}"
            for kept, other in ((kept_new, listed), (kept_old, there))
            for value, address in zip(kept.values, kept.addresses(), strict=True)
            if value not in other
        ]
        yield from list(dict.fromkeys(apart))[:MOST_TOLD] or [path]  # the same values in another order
    elif kept_old.text != kept_new.text:
        yield f"{path} (text between its entries)"


class _Rest:
    """What a file holds besides the places: its values in their order, and its text without blanks and commas."""

    def __init__(self, document: Document, values: list[Values], nodes: list[Node], text: str) -> None:
        self._document = document
        self.values = values
        self._nodes = nodes
        self.text = text

    def addresses(self) -> list[str]:
        return [self._document.keys.address_of(node) for node in self._nodes]


def _rest(places: Sequence[Address], document: Document) -> _Rest:
    chosen: dict[int, Node] = {}
    for one in places:
        chosen |= {id(node): node for node in select(document.root, document.keys, one.segments)}
    values: list[Values] = []
    nodes: list[Node] = []
    ways: list[tuple[Node, tuple[str, ...]]] = [(document.root, ())]
    while ways:
        node, names = ways.pop()
        if id(node) in chosen:
            continue
        if node.parent is not None:
            values.append((names, node.value, node.is_quoted, node.comment))
            nodes.append(node)
        ways += [(child, (*names, child.name)) for child in reversed(node.children)]
    if not document.format.traits.ordered:
        return _Rest(document, values, nodes, "")  # rows of a database have no text around them
    text, at = [], 0
    for node in sorted(chosen.values(), key=lambda one: one.lead_start):
        if node.end > at:
            text.append(document.text[at : max(node.lead_start, at)])
            at = node.end
    text.append(document.text[at:])
    rest = "".join(text)
    # In a script, and between plain lines, a blank may mean something.
    return _Rest(
        document, values, nodes, rest if document.format.traits.line_based else _BETWEEN.sub("", _ITEM.sub("", rest))
    )
