"""Find a place in a document, or say which ones are near."""

from __future__ import annotations

from bisect import bisect_right
from typing import Final

from zerrit.core.addresses import Segment, print_segments, quote_key, quote_name
from zerrit.core.documents.document import Document
from zerrit.core.documents.node import Node
from zerrit.core.documents.selection import below, in_text_order
from zerrit.core.errors import AddressNotFound
from zerrit.core.nearest import nearest

MAX_LISTED: Final = 8  # so many existing names are shown for a wrong one without any near name


def find(document: Document, segments: tuple[Segment, ...]) -> list[Node]:
    """All nodes that the segments lead to, in the order of the text; that there are none is an error.

    Raises AddressNotFound: nothing fits; it carries the nearest existing addresses.
    """
    nodes = [document.root]
    for depth, segment in enumerate(segments):
        found = list(below(document.keys, nodes, segment))
        if not found:
            raise _not_found(document, segments, depth, nodes)
        nodes = found
    return in_text_order(nodes, segments)


def _not_found(document: Document, segments: tuple[Segment, ...], depth: int, parents: list[Node]) -> AddressNotFound:
    segment = segments[depth]
    prefix = "".join(f"{part}/" for part in segments[:depth])
    names = list(dict.fromkeys(child.name for parent in parents[:50] for child in parent.children if child.name))
    place = parents[0]
    where = f"{document.path}#{print_segments(segments[:depth])}" if depth else document.path
    similar: list[str] = []
    if segment.keys and (segment.name in names or not segment.name):
        wanted = segment.keys[0].text
        same = [child for parent in parents for child in parent.children if child.name == segment.name]
        keys = [key for key in map(document.keys.key_of, same) if key]
        close = nearest(wanted.replace("*", "").replace("?", ""), keys) or tuple(keys[:MAX_LISTED])
        similar = [f"{prefix}{quote_name(segment.name)}[{quote_key(key)}]" for key in close]
        kind = segment.name or "item"
        message = f"{where} has no {kind} that fits [{','.join(k.text for k in segment.keys)}]."
    elif segment.ordinal and segment.name in names:
        count = sum(child.name == segment.name for parent in parents for child in parent.children)
        message = f"{where} has {count} of {segment.name}, so there is no number {segment.ordinal}."
    else:
        close = nearest(segment.name, names) or tuple(names[:MAX_LISTED])
        similar = [f"{prefix}{quote_name(name)}" for name in close]
        message = f"{where} has no `{segment.name or segment}`."
    if similar:
        message += f" {'Nearest' if len(similar) <= 3 else 'There are'}: {', '.join(similar)}."
    line = document.line_of(place)
    return AddressNotFound(message, f"{document.path}#{print_segments(segments)}", document.path, line, tuple(similar))


def node_at(document: Document, start: int, name: str) -> Node:
    """The node called `name` that begins at the offset `start`.

    Raises AddressNotFound: none begins there.
    """
    node = document.root
    while True:
        if node.start == start and node.name == name:
            return node
        children = node.children
        index = bisect_right(children, start, key=lambda child: child.start) - 1
        if index < 0 or (children[index].end <= start and children[index].start != start):
            line = document.source.line_at(min(start, len(document.text)))
            raise AddressNotFound(f"{document.path}: `{name}` is not where it was.", name, document.path, line, ())
        node = children[index]


def enclosing(document: Document, offset: int) -> Node:
    """The innermost node with a name or key that the offset (characters, 0-based) is in; the root at worst."""
    node = document.root
    while True:
        children = node.children
        index = bisect_right(children, offset, key=lambda child: child.start) - 1
        if index < 0 or children[index].end < offset:
            return node
        node = children[index]
