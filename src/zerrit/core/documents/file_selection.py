"""All nodes at an address, over many files."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from zerrit.core.addresses import parse_address, parse_node_address
from zerrit.core.documents.document import Document
from zerrit.core.documents.node import Node
from zerrit.core.documents.selection import select
from zerrit.core.wildcards import path_matches


def values_at(address_text: str, documents: Mapping[str, Document]) -> Iterator[tuple[Document, Node]]:
    """Every node at an address whose file part may be a pattern; a text file is its lines.

    Raises AddressInvalid.
    """
    address = parse_address(address_text)
    for path, document in documents.items():
        if path_matches(address.path, path):
            for node in select(document.root, document.keys, address.segments):
                yield document, node


def below(node: Node, place: str) -> Node | None:
    """The node at a place below another: names separated by `/`; None where there is none."""
    found: Node | None = node
    for name in place.split("/"):
        found = found.child(name) if found is not None else None
    return found


def place_below(document: Document, node: Node, place: str) -> Node | None:
    """The first node with a value at a place below another, written as in an address: `pos/[#1]`, `at/x`, `@x`.

    An attribute is found with or without its @.
    """
    if "[" not in place:
        for spelled in (place, f"@{place}"):
            found = below(node, spelled)
            if found is not None and found.value is not None:
                return found
        return None
    return next((one for one in select(node, document.keys, parse_node_address(place)) if one.value is not None), None)


def field_above(node: Node, name: str) -> str | None:
    """The value of the field called `name` (an attribute with or without its @) of the nearest group around a node."""
    group = node.parent
    while group is not None:
        for spelled in (name, f"@{name}"):
            value = group.field(spelled)
            if value is not None:
                return value
        group = group.parent
    return None
