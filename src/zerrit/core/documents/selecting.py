"""From the segments of an address to nodes."""

from __future__ import annotations

from collections.abc import Iterator

from zerrit.core.addresses import KeyPattern, Segment
from zerrit.core.documents.keys import Keys
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
            for deeper in node.walk():
                if id(deeper) not in seen:
                    seen.add(id(deeper))
                    yield deeper
        return
    for node in nodes:
        ordinal = 0
        for child in node.children:
            if not segment.is_any_name and child.name != segment.name:
                continue
            ordinal += 1
            if segment.ordinal and segment.ordinal != ordinal:
                continue
            if segment.keys and not _fits_keys(keys, child, segment.keys):
                continue
            yield child


def _fits_keys(keys: Keys, node: Node, patterns: tuple[KeyPattern, ...]) -> bool:
    key = keys.key_of(node)
    return bool(key) and any(pattern.matches(key) for pattern in patterns)
