"""From the segments of an address to nodes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from zerrit.core.addresses import Segment
from zerrit.core.documents.entry_keys import Keys
from zerrit.core.documents.node import Node


def select(root: Node, keys: Keys, segments: tuple[Segment, ...]) -> list[Node]:
    """All nodes that the segments lead to from `root`, in the order of the text; empty when none does."""
    nodes = [root]
    for segment in segments:
        nodes = list(below(keys, nodes, segment))
        if not nodes:
            return []
    return in_text_order(nodes, segments)


def in_text_order(nodes: list[Node], segments: tuple[Segment, ...]) -> list[Node]:
    """The same nodes sorted; only `**` brings them out of order."""
    return sorted(nodes, key=lambda node: node.start) if any(s.is_deep for s in segments) else nodes


def below(keys: Keys, nodes: list[Node], segment: Segment) -> Iterator[Node]:
    """One segment further down."""
    if segment.is_deep:
        seen: set[int] = set()
        for node in nodes:
            if id(node) in seen:  # then all below it is too
                continue
            for deeper in node.walk():
                if id(deeper) not in seen:
                    seen.add(id(deeper))
                    yield deeper
        return
    for node in nodes:
        if segment.is_any_name or segment.is_name_pattern:
            chosen: Sequence[Node] = [child for child in node.children if segment.fits_name(child.name)]
            if segment.keys:
                names = dict.fromkeys(child.name for child in node.children if segment.fits_name(child.name))
                keyed = (child for name in names for child in keys.with_key(node, name, segment.keys))
                chosen = sorted(keyed, key=lambda child: child.start)
        elif segment.keys:
            chosen = keys.with_key(node, segment.name, segment.keys)
        elif segment.ordinal:
            chosen = keys.siblings(node, segment.name).nodes
        else:
            name = segment.name
            chosen = [child for child in node.children if child.name == name]
        yield from chosen[segment.ordinal - 1 : segment.ordinal] if segment.ordinal else chosen
