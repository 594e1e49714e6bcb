"""Entries that one side of a merge put elsewhere among their siblings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zerrit.core.documents.document import Document
from zerrit.core.documents.entry_keys import Keys
from zerrit.core.documents.node import Node
from zerrit.core.documents.structural_edits import Where, is_section, move
from zerrit.core.documents.value_edits import Edit
from zerrit.core.errors import EditRefused
from zerrit.core.sequences import longest_increasing

#: Name, key, and number among the siblings with the same name and key.
Identity = tuple[str, str, int]


@dataclass(frozen=True, slots=True)
class Move:
    """An entry that is to be behind a sibling. `lineage` leads to their parent; without `behind` it comes first."""

    lineage: tuple[Identity, ...]
    identity: Identity
    behind: Identity | None


def moved(before: Sequence[Identity], after: Sequence[Identity]) -> set[Identity]:
    """Which of the entries changed their place: those outside the longest run that kept its order."""
    place = {identity: number for number, identity in enumerate(before)}
    kept = longest_increasing([place[identity] for identity in after])
    return {identity for number, identity in enumerate(after) if number not in kept}


def carry_out(document: Document, keys: Keys, planned: Move) -> Edit:
    """Move the entry in a document, whose identities are those of `keys`.

    Raises EditRefused: one of the two is not there, or the format does not allow the move.
    """
    parent = document.root
    for identity in planned.lineage:
        parent = _child(parent, keys, identity)
    node = _child(parent, keys, planned.identity)
    own = document.keys
    goal = _child(parent, keys, planned.behind) if planned.behind is not None else None
    if goal is not None and is_section(document, node) <= is_section(document, goal):
        return move(document, own.segments_of(node), Where.AFTER, own.segments_of(goal))
    # The first one; a section behind a setting is the first of the sections.
    same = (child for child in parent.children if not child.name.startswith("@"))
    goal = next(child for child in same if is_section(document, child) or not is_section(document, node))
    if goal is node:
        return Edit(document, ())
    return move(document, own.segments_of(node), Where.BEFORE, own.segments_of(goal))


def _child(parent: Node, keys: Keys, identity: Identity) -> Node:
    name, key, number = identity
    for child in parent.children:
        if child.name == name and keys.key_among(parent.names, child) == key:
            if number == 0:
                return child
            number -= 1
    raise EditRefused(f"{key or name} is not there any more.")
