"""
The balance: how much of something there is, by group, before a change and after it.

Sums are exact decimal arithmetic on the numbers as they are written (`decimal`, no binary rounding), so that a
balance that holds is seen to hold.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Final

from zerrit.core.addresses import Segment, parse_node_address
from zerrit.core.documents.conditions import chosen_of
from zerrit.core.documents.document import Document
from zerrit.core.documents.file_selection import field_above, values_at
from zerrit.core.documents.measures import amount
from zerrit.core.documents.node import Node
from zerrit.core.documents.selection import select
from zerrit.core.errors import FigureRefused
from zerrit.core.wording import counted

FILE: Final = "file"  #: groups by file
OTHERS: Final = "(others)"  #: the group of values that fit none of the conditions
WITHOUT: Final = "(without)"  #: the group of values whose entry has no such field


@dataclass(frozen=True, slots=True)
class TallyRow:
    """One group: how many values there are, and their sum; of a range its upper end counts."""

    group: str
    count_before: int
    count_after: int
    sum_before: Decimal
    sum_after: Decimal

    @property
    def delta(self) -> Decimal:
        return self.sum_after - self.sum_before


@dataclass(frozen=True, slots=True)
class Tally:
    """The groups in the order in which they are met, and all together. `skipped`: places that hold no number."""

    rows: tuple[TallyRow, ...]
    total: TallyRow
    skipped: tuple[str, ...]


def tally(before: Mapping[str, Document], after: Mapping[str, Document], address: str, by: Sequence[str] = ()) -> Tally:
    """Sum and count the numbers at `address` (a pattern such as `FILE#ENTRY/@FIELD`) in two states.

    `by` makes the groups: a field of the group around the value, or of the nearest one further out that has it; a place below
    that group, such as `part/@of`, where several values make one group together; `file`; or conditions such as
    `[kind=cloth][price>10]`, of which the first that fits counts. Nothing makes one group of all.

    Raises AddressInvalid, FigureRefused: nothing is at the address, no number does, or no entry has the field.
    """
    group_of = _grouping(by)
    groups: dict[str, list[tuple[int, Decimal]]] = {}
    skipped: dict[str, None] = {}
    found = False
    for state, documents in enumerate((before, after)):
        for document, node in values_at(address, documents):
            found = True
            number = amount(node.value, document.declared_of(node)) if node.value is not None else None
            if number is None:
                skipped[f"{document.path}#{document.keys.address_of(node)}"] = None
                continue
            groups.setdefault(group_of(document, node), []).append((state, number))
    if not found:
        raise FigureRefused(f"Nothing is at {address}, so there is nothing to sum. Is a name misspelled?")
    if not groups:
        raise FigureRefused(
            f"No number is at {address} ({counted(len(skipped), 'value')}). Did you mean one of their fields?"
        )
    if by and set(groups) == {WITHOUT}:
        raise FigureRefused(f"No entry around {address} has a field `{by[0]}` to group by.")
    rows = tuple(_row(group, values) for group, values in groups.items())
    total = _row("all", [value for values in groups.values() for value in values])
    return Tally(rows, total, tuple(skipped))


GroupOf = Callable[[Document, Node], str]


def _grouping(by: Sequence[str]) -> GroupOf:
    if not by:
        return lambda _document, _node: "all"
    if any(one.startswith("[") for one in by):
        return _by_conditions(by)
    if len(by) > 1:
        raise FigureRefused(f"Group by one field, or by conditions such as [{by[0]}=A]; not by {' and '.join(by)}.")
    (place,) = by
    if place == FILE:
        return lambda document, _node: document.path
    if "/" in place or "[" in place:
        segments = parse_node_address(place)
        return lambda document, node: _below(document, node, segments)
    return lambda _document, node: WITHOUT if (value := field_above(node, place)) is None else value


def _by_conditions(by: Sequence[str]) -> GroupOf:
    conditions: list[tuple[str, Segment]] = []
    for text in by:
        segments = parse_node_address(f"*{text}") if text.startswith("[") else ()
        if len(segments) != 1 or not segments[0].chooses or segments[0].keys or segments[0].ordinal:
            raise FigureRefused(
                f"`{text}` is not a condition to group by. Write it such as [kind=cloth] or [price>10][!old]."
            )
        conditions.append((text, segments[0]))

    def group(document: Document, node: Node) -> str:
        for text, segment in conditions:
            above = node.parent
            while above is not None and above.parent is not None:
                if chosen_of(document.keys, [above], segment):
                    return text
                above = above.parent
        return OTHERS

    return group


def _below(document: Document, node: Node, place: tuple[Segment, ...]) -> str:
    """The values at a place below the nearest group around a node that has some, as one name."""
    above = node.parent
    while above is not None:
        found = [one.value for one in select(above, document.keys, place) if one.value is not None]
        if found:
            return " + ".join(sorted(dict.fromkeys(found)))
        above = above.parent
    return WITHOUT


def _row(group: str, values: list[tuple[int, Decimal]]) -> TallyRow:
    before, after = ([number for state, number in values if state == wanted] for wanted in (0, 1))
    return TallyRow(group, len(before), len(after), sum(before, Decimal()), sum(after, Decimal()))
