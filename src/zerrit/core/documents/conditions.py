"""
Entries chosen by what they are: `[kind=cloth]`, `[want>10]`, `[note~"rope|line"]`, `[!old]`.

A condition holds a value below an entry against what is asked for. Where the place leads to several values, one that fits is
enough. An entry that has no such value does not fit, whatever is asked for: also `!=` wants a value that is another one.
Numbers are compared as they are written, without the loss that floating point has; a word is no number, and no comparison
with one is true. `[!old]` leaves out entries whose key is `old`, and those that have a field called so.
"""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Final

from zerrit.core.addresses import Condition, KeyPattern, Segment
from zerrit.core.documents.entry_keys import Keys
from zerrit.core.documents.node import Node, fields_of
from zerrit.core.documents.scalars import as_number
from zerrit.core.wildcards import found_in

SAMPLE: Final = 20  #: entries that are looked at for how they have a field


def chosen_of(keys: Keys, nodes: Sequence[Node], segment: Segment) -> list[Node]:
    """Those of the nodes that meet all conditions of a segment, in their order."""
    chosen = list(nodes)
    for pattern in segment.excluded:
        chosen = [node for node in chosen if not _is_called(keys, node, pattern)]
    for condition in segment.conditions:
        chosen = _that_meet(keys, chosen, condition)
    return chosen


def _that_meet(keys: Keys, nodes: Sequence[Node], condition: Condition) -> list[Node]:
    known: dict[str, bool] = {}  # what was said of a value before

    def fits(value: str) -> bool:
        found = known.get(value)
        if found is None:
            found = known[value] = fits_value(value, condition)
        return found

    name = _field_name(condition.place)
    if name is None:
        return [node for node in nodes if any(map(fits, values_at(keys, node, condition.place)))]
    if name.startswith("@"):
        return [node for node, value in _with_field(nodes, name) if value is not None and fits(value)]
    # Most entries of a kind are alike: where some have it as an attribute, that is asked for first.
    has_attributes = any(node.field(f"@{name}") is not None for node in nodes[:SAMPLE])
    chosen = []
    for node, value in _with_field(nodes, f"@{name}" if has_attributes else name):
        if has_attributes and value is not None:
            meets = fits(value)
        elif not has_attributes and value is not None and fits(value) and node.field(f"@{name}") is None:
            meets = True
        else:
            meets = any(map(fits, values_at(keys, node, condition.place)))
        chosen += [node] if meets else []
    return chosen


def _with_field(nodes: Sequence[Node], name: str) -> list[tuple[Node, str | None]]:
    return list(zip(nodes, fields_of(nodes, name), strict=True))


def _field_name(place: tuple[Segment, ...]) -> str | None:
    """The name of the field that a place is; None where it is further down, or may be several."""
    if len(place) > 1 or place[0].is_pattern or place[0].keys or place[0].ordinal:
        return None
    return place[0].name


def values_at(keys: Keys, node: Node, place: tuple[Segment, ...]) -> list[str]:
    """The values at a place below an entry. A name without `@` is the attribute where there is one, else what is called so."""
    name = _field_name(place)
    if name is not None and not name.startswith("@"):
        attribute = node.field(f"@{name}")
        if attribute is not None:
            return [attribute]
    from zerrit.core.documents.selection import select  # noqa: PLC0415  # the two lead to each other

    return [one.value for one in select(node, keys, place) if one.value is not None]


def _is_called(keys: Keys, node: Node, pattern: KeyPattern) -> bool:
    if pattern.matches(keys.key_of(node) or ""):
        return True
    return any(pattern.matches(child.name.removeprefix("@")) for child in node.children if child.name)


def fits_value(value: str, condition: Condition) -> bool:
    """Whether a value is what a condition asks for."""
    match condition.operator:
        case "=":
            return any(_is_same(value, one) for one in condition.values)
        case "!=":
            return not any(_is_same(value, one) for one in condition.values)
        case "~":
            return found_in(condition.values[0].text, value)
        case "!~":
            return not found_in(condition.values[0].text, value)
    number = as_number(value)
    return number is not None and _holds(number, condition.operator, Decimal(condition.values[0].text))


def _is_same(value: str, wanted: KeyPattern) -> bool:
    if wanted.matches(value):
        return True
    numbers = as_number(value), as_number(wanted.text)
    return numbers[0] is not None and numbers[0] == numbers[1] and not wanted.is_literal


def _holds(number: Decimal, operator: str, other: Decimal) -> bool:
    match operator:
        case ">":
            return number > other
        case "<":
            return number < other
        case ">=":
            return number >= other
        case _:
            return number <= other
