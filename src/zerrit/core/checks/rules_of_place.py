"""The rules that speak of a place: that of its field, those of its entry, and listed ones that lead to it."""

from __future__ import annotations

from collections.abc import Iterator

from zerrit.core.addresses import fits_kind, kind_of, may_meet, parse_address, parse_node_address
from zerrit.core.documents import Document, Node
from zerrit.core.errors import AddressInvalid
from zerrit.core.gamebooks import Gamebook, PlacedRule
from zerrit.core.rules import FieldRules, ListedRule
from zerrit.core.wildcards import path_matches


def rules_of_place(gamebook: Gamebook, document: Document, node: Node) -> Iterator[PlacedRule]:
    """Every rule of the gamebook that the value or the entry at a place takes part in."""
    own = gamebook.field_rules(document.path, node)
    place = parse_node_address(document.keys.address_of(node)) if node.parent is not None else ()
    for placed in gamebook.placed:
        rule, location = placed.rule, placed.location
        if rule.skips(document.path):
            continue
        if isinstance(rule, FieldRules):
            if rule is own and placed.says_something:
                yield placed
        elif location[0] == "files":
            if placed.part == "must" and _is_entry(gamebook, document, node, placed):
                yield placed
        elif isinstance(rule, ListedRule) and any(
            _leads_to(text.text, document.path, place) for text in rule.addresses() if place
        ):
            yield placed


def _is_entry(gamebook: Gamebook, document: Document, node: Node, placed: PlacedRule) -> bool:
    """The node is an entry of the kind that a condition is for, or a field in it that the condition speaks of."""
    pattern, names = str(placed.location[1]), str(placed.location[3])
    file = gamebook.rules.files[pattern]
    if gamebook.file(document.path) is not file:
        return False
    kind = kind_of(names)
    if fits_kind(node.names, kind):
        return True
    fields = file.entries[names].fields
    spoken = placed.rule.spoken  # type: ignore[attr-defined]  # rules of a file with a place are conditions
    places = (fields[name].path or name for name in spoken if name in fields)
    return any(fits_kind(node.names, (*kind, *kind_of(below))) for below in places)


def _leads_to(text: str, path: str, place: tuple[object, ...]) -> bool:
    """The address leads to the place itself, or to the entry that it is a field of."""
    try:
        address = parse_address(text)
    except AddressInvalid:
        return False
    if not path_matches(address.path, path) or not address.segments:
        return False
    is_deep = any(segment.is_deep for segment in address.segments)
    if not is_deep and len(address.segments) not in (len(place), len(place) - 1):
        return False
    return may_meet(address.segments, place)  # type: ignore[arg-type]
