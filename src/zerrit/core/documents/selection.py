"""From the segments of an address to nodes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from zerrit.core.addresses import KeyPattern, Segment
from zerrit.core.documents.conditions import chosen_of
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


def _inside(keys: Keys, node: Node, segment: Segment) -> list[Node]:
    """What `name[key]` leads to where nothing called `name` has a key: what is called so in the one group or list of that name.

    So an entry is found by the same words whether its table gives names or its fields do. In scripts `name.key` is one, too.
    """
    holders = [child for child in node.children if child.name == segment.name]
    if len(holders) == 1 and not holders[0].is_value:
        holder = holders[0]
        found = [
            child for child in holder.children if child.name and any(key.matches(child.name) for key in segment.keys)
        ]
        found = found or keys.with_key(holder, "", segment.keys)
        if found:
            return found
    dotted = f"{segment.name}."
    return [
        child
        for child in node.children
        if child.name.startswith(dotted) and any(key.matches(child.name[len(dotted) :]) for key in segment.keys)
    ]


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
        exact = _called_so(keys, node, segment)
        chosen = exact or _named(keys, node, segment)
        if segment.chooses and not exact:
            chosen = chosen_of(keys, chosen, segment)
        if segment.ordinal:
            at = segment.ordinal - 1 if segment.ordinal > 0 else len(chosen) + segment.ordinal
            chosen = chosen[at : at + 1] if at >= 0 else ()
        yield from chosen


def _named(keys: Keys, node: Node, segment: Segment) -> Sequence[Node]:
    """What is below a node by its name and key alone."""
    if segment.choices:
        exact = [child for child in node.children if child.name == segment.name]
        if exact:
            return exact  # a name that is written so
    if segment.is_any_name or segment.is_name_pattern or segment.choices:
        if not segment.keys:
            return [child for child in node.children if segment.fits_name(child.name)]
        names = dict.fromkeys(child.name for child in node.children if segment.fits_name(child.name))
        keyed = (child for name in names for child in keys.with_key(node, name, segment.keys))
        return sorted(keyed, key=lambda child: child.start)
    if segment.keys:
        return keys.with_key(node, segment.name, segment.keys) or _inside(keys, node, segment)
    if segment.ordinal:
        return keys.siblings(node, segment.name).nodes
    name = segment.name
    return [child for child in node.children if child.name == name]


def _called_so(keys: Keys, node: Node, segment: Segment) -> Sequence[Node]:
    """The entries whose key is, to the letter, what looks like a condition: a line such as `PORT=7700`."""
    written = [one.text for one in segment.conditions] + [f"!{one.text}" for one in segment.excluded]
    if len(written) != 1 or segment.keys or segment.is_pattern_of_names:
        return ()
    return keys.with_key(node, segment.name, (KeyPattern(written[0], is_literal=True),))
