"""Find a place in a document, or say which ones are near."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import replace
from itertools import islice
from typing import Final

from zerrit.core.addresses import Segment, print_kind, print_segments, quote_key, quote_name
from zerrit.core.documents.conditions import chosen_of, values_at
from zerrit.core.documents.document import Document
from zerrit.core.documents.node import Node
from zerrit.core.documents.scalars import as_number
from zerrit.core.documents.selection import below, in_text_order
from zerrit.core.errors import AddressNotFound
from zerrit.core.nearest import nearest
from zerrit.core.wording import counted

MAX_DEEPER: Final = 3  # places further down are named; where there are more, they say nothing
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
    if segment.chooses and (fitting := list(below(document.keys, parents, _without_choice(segment)))):
        message = f"{where} has {_none_that_fits(document, segment, fitting)}"
    elif segment.keys and (not segment.name or any(map(segment.fits_name, names))):
        same = [child for parent in parents for child in parent.children if segment.fits_name(child.name)]
        keyed = {key: child.name for child in same if (key := document.keys.key_of(child))}
        close = nearest(_wanted(segment), list(keyed)) or tuple(keyed)[:MAX_LISTED]
        similar = [f"{prefix}{quote_name(keyed[key])}[{quote_key(key)}]" for key in close]
        kind = segment.name or "item"
        message = f"{where} has no {kind} that fits [{','.join(k.text for k in segment.keys)}]."
    elif segment.ordinal and not segment.chooses and segment.name in names:
        count = sum(child.name == segment.name for parent in parents for child in parent.children)
        message = f"{where} has {count} of {segment.name}, so there is no number {segment.ordinal}."
    else:
        similar = _deeper(document, segment, parents, prefix)
        if not similar:
            close = nearest(segment.name, names) or tuple(names[:MAX_LISTED])
            similar = [f"{prefix}{quote_name(name)}" for name in close]
        message = f"{where} has no `{segment.name or segment}`."
    if similar:
        message += f" {'Nearest' if len(similar) <= 3 else 'There are'}: {', '.join(similar)}."
    line = document.line_of(place)
    return AddressNotFound(message, f"{document.path}#{print_segments(segments)}", document.path, line, tuple(similar))


def _without_choice(segment: Segment) -> Segment:
    return replace(segment, conditions=(), excluded=(), ordinal=0)


def _none_that_fits(document: Document, segment: Segment, candidates: list[Node]) -> str:
    """Why none of the entries meets the conditions: no one has such a field, or a word is where a number is asked for."""
    plain = _without_choice(segment)
    said = [f"{counted(len(candidates), 'entry', 'entries')} at `{plain}`, and none that fits `{segment}`."]
    for condition in segment.conditions:
        if chosen_of(document.keys, candidates, replace(segment, conditions=(condition,), excluded=())):
            continue
        values = [value for node in candidates for value in values_at(document.keys, node, condition.place)]
        place = print_segments(condition.place)
        if not values:
            fields = dict.fromkeys(child.name for node in candidates[:50] for child in node.children if child.name)
            close = nearest(place.removeprefix("@"), [name.removeprefix("@") for name in fields])
            known = f" Is `{close[0]}` meant?" if close else f" They have {', '.join(list(fields)[:MAX_LISTED])}."
            said.append(f"None of them has a value at `{place}`.{known}")
        elif condition.operator in (">", "<", ">=", "<=") and not any(as_number(value) is not None for value in values):
            said.append(f"`{place}` is not a number in any of them, such as `{values[0][:40]}`.")
        elif condition.operator == "=":
            wanted = condition.values[0].text
            there = nearest(wanted, list(dict.fromkeys(values))) or tuple(dict.fromkeys(values))[:MAX_LISTED]
            said.append(f"`{place}` is {' or '.join(f'`{one[:40]}`' for one in there)} there.")
    if len(said) == 1 and len(segment.conditions) + len(segment.excluded) > 1:
        said.append("Each bracket fits some of them, but no entry fits all.")
    return " ".join(said)


def _deeper(document: Document, segment: Segment, parents: list[Node], prefix: str) -> list[str]:
    """Where the same name, with the same key, is further down: the level between was left out."""
    if segment.is_any_name or not segment.name:
        return []
    holders = [
        node
        for parent in parents
        for node in parent.walk()
        if node is not parent and any(segment.fits_name(child.name) for child in node.children)
    ]
    found = list(islice(below(document.keys, holders, segment), MAX_DEEPER + 1)) or _similar(document, holders, segment)
    if len(found) <= MAX_DEEPER:
        return [document.keys.address_of(node) for node in found]
    depth = len(parents[0].names)
    kinds = dict.fromkeys(print_kind((*node.names[depth:-1], "")).removesuffix("*") for node in found)
    return [f"{prefix}{kind}{segment}" for kind in kinds][:MAX_DEEPER]


def _similar(document: Document, holders: list[Node], segment: Segment) -> list[Node]:
    """Children of that name whose keys are near the one that was asked for."""
    named = [child for node in holders for child in node.children if segment.fits_name(child.name)]
    keyed = {key: node for node in named if (key := document.keys.key_of(node))}
    return [keyed[key] for key in nearest(_wanted(segment), list(keyed), most=MAX_DEEPER)] if segment.keys else []


def _wanted(segment: Segment) -> str:
    """The key that was asked for, without its wildcards."""
    return segment.keys[0].text.replace("*", "").replace("?", "")


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
