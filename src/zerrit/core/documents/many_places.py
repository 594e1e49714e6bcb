"""
Edits made at many places at once: a field added to each of 2,000 entries, all of a kind made comments.

What is to be written is gathered for all places and read again once. Where what is written at one place depends on the next, as in
scripts and lines, and for moves, the places are edited one after the other, the last first, so that those before stay where they
are.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from zerrit.core.addresses import Segment
from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import writer_of
from zerrit.core.documents.lookup import find
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Splice
from zerrit.core.documents.structural_edits import comments_for, line_sign, renaming_of
from zerrit.core.documents.value_edits import Edit, ValueChange, place_of, require_few, require_turns, rewrite
from zerrit.core.errors import EditRefused

EditOne = Callable[[Document, tuple[Segment, ...]], Edit]


def places_of(document: Document, segments: tuple[Segment, ...]) -> list[Node]:
    """The nodes that a pattern leads to. Raises AddressNotFound, EditRefused: they are too many."""
    nodes = find(document, segments)
    require_few(len(nodes))
    return nodes


def in_turn(document: Document, nodes: Sequence[Node], edit_one: EditOne) -> Edit:
    """Edit places one after the other.

    Raises EditRefused: one refuses it, and then none is edited; or they are too many.
    """
    require_turns(document, len(nodes))
    places = [document.keys.segments_of(node) for node in nodes]
    current = document
    changes: list[ValueChange] = []
    for place in reversed(places):
        edit = edit_one(current, place)
        current = edit.document
        changes[:0] = edit.changes
    return Edit(current, tuple(changes))


def can_gather(document: Document) -> bool:
    """What is written at one place does not depend on what is written at the next."""
    traits = document.format.traits
    return not (traits.line_based or traits.sections)


def add_field_at(document: Document, nodes: Sequence[Node], name: str, value_of: Callable[[Node], str]) -> Edit:
    """Add a field to each of the entries; one that has it with this value stays.

    Raises EditRefused: one has it with another value.
    """
    writer = writer_of(document.format)
    splices: list[Splice] = []
    changes: list[ValueChange] = []
    for node in nodes:
        value = value_of(node)
        there = node.child(name)
        if there is not None and there.value == value:
            continue
        if there is not None:
            raise EditRefused(
                f"{place_of(document, there)} is there already with the value `{there.value}`. Choose those without it: [!{name.removeprefix('@')}]."
            )
        source = writer.render_field(document, node, name, value)
        splices += writer.insert(document, node, [source], None)
        changes.append(ValueChange(f"{document.keys.address_of(node)}/{name}", None, source))
    if not changes:
        return Edit(document, ())
    edited = rewrite(document, splices)
    if _count(edited, name) != _count(document, name) + len(changes):
        raise EditRefused(f"`{name}` cannot be added to all of these places together. Choose fewer.")
    return Edit(edited, tuple(changes))


def _count(document: Document, name: str) -> int:
    return sum(node.name == name for node in document.root.walk())


def comment_out_at(document: Document, nodes: Sequence[Node]) -> Edit:
    """Turn entries or settings into comments. Raises EditRefused: one cannot be."""
    splices: list[Splice] = []
    changes: list[ValueChange] = []
    sign = line_sign(document)
    for node in nodes:
        own, change = comments_for(document, node, sign)
        splices += own
        changes.append(change)
    return Edit(rewrite(document, splices), tuple(changes))


def rename_at(document: Document, nodes: Sequence[Node], name_of: Callable[[Node], str]) -> Edit:
    """Give entries other keys, or what has no key another name.

    Raises EditRefused: a sibling is called so already, or two would be called the same.
    """
    splices: list[Splice] = []
    changes: list[ValueChange] = []
    taken: dict[tuple[int, str], Node] = {}
    for node in nodes:
        wanted = name_of(node)
        own, change = renaming_of(document, node, wanted)
        other = taken.setdefault((id(node.parent), wanted), node)
        if other is not node and document.keys.key_of(node):
            raise EditRefused(
                f"{place_of(document, other)} and {place_of(document, node)} would both be called {wanted}."
            )
        if change is not None:
            splices += own
            changes.append(change)
    return Edit(rewrite(document, splices), tuple(changes)) if changes else Edit(document, ())
