"""
The balance: how much of something there is, by group, before a change and after it.

Sums are exact decimal arithmetic on the numbers as they are written (`decimal`, no binary rounding), so that a
balance that holds is seen to hold.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.file_selection import field_above, values_at
from zerrit.core.documents.measures import amount
from zerrit.core.errors import FigureRefused
from zerrit.core.wording import counted

FILE: Final = "file"  #: groups by file
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


def tally(before: Mapping[str, Document], after: Mapping[str, Document], address: str, by: str = "") -> Tally:
    """Sum and count the numbers at `address` (a pattern such as `FILE#ENTRY/@FIELD`) in two states.

    `by` is the field that makes the groups: of the group around the value, or of the nearest one further out that has
    it; `file` groups by file, nothing makes one group of all.

    Raises AddressInvalid, FigureRefused: nothing is at the address, no number does, or no entry has the field.
    """
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
            group = document.path if by == FILE else field_above(node, by) if by else "all"
            groups.setdefault(WITHOUT if group is None else group, []).append((state, number))
    if not found:
        raise FigureRefused(f"Nothing is at {address}, so there is nothing to sum. Is a name misspelled?")
    if not groups:
        raise FigureRefused(
            f"No number is at {address} ({counted(len(skipped), 'value')}). Did you mean one of their fields?"
        )
    if by and set(groups) == {WITHOUT}:
        raise FigureRefused(f"No entry around {address} has a field `{by}` to group by.")
    rows = tuple(_row(group, values) for group, values in groups.items())
    total = _row("all", [value for values in groups.values() for value in values])
    return Tally(rows, total, tuple(skipped))


def _row(group: str, values: list[tuple[int, Decimal]]) -> TallyRow:
    before, after = ([number for state, number in values if state == wanted] for wanted in (0, 1))
    return TallyRow(group, len(before), len(after), sum(before, Decimal()), sum(after, Decimal()))
