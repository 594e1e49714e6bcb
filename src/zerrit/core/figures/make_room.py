"""
Make room: which numbers to lower, and by how much, so that a sum stays within its limit.

All is exact decimal arithmetic. Shares are dealt by the method of largest remainders (Hamilton): each number gives the whole
part of its share, in units of its last decimal, and what is left is taken one unit each from those whose remainder is largest.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from typing import Final, Literal

from zerrit.core.documents.document import Document
from zerrit.core.documents.file_selection import values_at
from zerrit.core.documents.measures import amount
from zerrit.core.documents.node import Node
from zerrit.core.documents.scalars import as_number
from zerrit.core.errors import FigureRefused
from zerrit.core.wording import counted, percent

Way = Literal["share", "order", "age"]
LeastOf = Callable[[Document, Node], Decimal]
MOST_GIVERS: Final = 100_000


@dataclass(frozen=True, slots=True)
class Lowered:
    """A number that is to become smaller, and why this one."""

    address: str
    old: Decimal
    new: Decimal
    reason: str


@dataclass(frozen=True, slots=True)
class Room:
    """What to lower. `missing` is what is still too much then, because nothing more can be given."""

    total: Decimal
    limit: Decimal
    lowered: tuple[Lowered, ...]
    missing: Decimal
    spared: int  #: numbers that were not to be touched
    skipped: tuple[str, ...]  #: places that hold no single number

    @property
    def after(self) -> Decimal:
        return self.total - sum((one.old - one.new for one in self.lowered), Decimal())


@dataclass(slots=True)
class _Giver:
    address: str
    number: Decimal
    least: Decimal
    unit: Decimal
    age: int
    given: Decimal = Decimal()

    @property
    def left(self) -> Decimal:
        """What it can still give, as whole units."""
        return max(Decimal(), (self.number - self.least - self.given) // self.unit * self.unit)


def make_room(
    documents: Mapping[str, Document],
    address: str,
    limit: Decimal,
    *,
    by: Way = "share",
    first: Sequence[str] = (),
    spare: Collection[str] = (),
    least_of: LeastOf = lambda _document, _node: Decimal(),
    ages: Mapping[str, int] | None = None,
) -> Room:
    """Which of the numbers at `address` to lower, until their sum is at most `limit`.

    `first` are addresses of what is needed least: each of them gives all that it can before the next gives anything. Without
    `first`, all numbers give. `by` is how those of one address share: in proportion to what each can give, in the order of the
    files, or by `ages`, the oldest first (by address; larger is older). What is in `spare` (addresses) is not touched.

    Raises AddressInvalid, FigureRefused: nothing is at an address, or no number.
    """
    givers: dict[str, _Giver] = {}
    skipped: list[str] = []
    total = Decimal()
    spared = 0
    for document, node in values_at(address, documents):
        place = f"{document.path}#{document.keys.address_of(node)}"
        counts = amount(node.value, document.declared_of(node)) if node.value is not None else None
        total += counts or 0
        number = as_number(node.value) if node.value is not None else None
        if number is None:
            skipped.append(place)
        elif place in spare:
            spared += 1
        elif number > (least := least_of(document, node)):
            givers[place] = _Giver(place, number, least, _unit(number), (ages or {}).get(place, 0))
    if not givers and not skipped and not spared:
        raise FigureRefused(f"No number above its least is at {address}, so nothing can be lowered.")
    if len(givers) > MOST_GIVERS:
        raise FigureRefused(f"{address} leads to {len(givers):,} numbers; at most {MOST_GIVERS:,} are shared out.")
    missing = max(Decimal(), total - limit)
    lowered: list[Lowered] = []
    for title, group in _groups(documents, givers, first, address):
        if missing <= 0:
            break
        reasons = _take(group, missing, by)
        for giver in group:
            if giver.given:
                missing -= giver.given
                reason = " · ".join(filter(None, (title, reasons[giver.address])))
                lowered.append(Lowered(giver.address, giver.number, giver.number - giver.given, reason))
    return Room(total, limit, tuple(lowered), max(Decimal(), missing), spared, tuple(skipped))


def _unit(number: Decimal) -> Decimal:
    exponent = number.as_tuple().exponent
    return Decimal(1).scaleb(min(0, exponent)) if isinstance(exponent, int) else Decimal(1)


def _groups(
    documents: Mapping[str, Document], givers: Mapping[str, _Giver], first: Sequence[str], address: str
) -> list[tuple[str, list[_Giver]]]:
    """Those who give together, one group after the other."""
    if not first:
        return [("", list(givers.values()))]
    groups: list[tuple[str, list[_Giver]]] = []
    taken: set[str] = set()
    for number, one in enumerate(first, 1):
        places = []
        for document, node in values_at(one, documents):
            place = f"{document.path}#{document.keys.address_of(node)}"
            places += [place] if place in givers else [name for name in givers if name.startswith(f"{place}/")]
        if not places:
            raise FigureRefused(f"None of the numbers at {address} that can be lowered is at {one}.")
        own = [place for place in dict.fromkeys(places) if place not in taken]
        taken.update(own)
        groups.append((f"{ordinal(number)} in the list", [givers[place] for place in own]))
    return groups


def ordinal(number: int) -> str:
    """`1st`, `2nd`, `3rd`, `4th` …"""
    ending = "th" if number % 100 in (11, 12, 13) else {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")
    return f"{number}{ending}"


def _take(group: Sequence[_Giver], wanted: Decimal, by: Way) -> dict[str, str]:
    """Take what is wanted from a group, or all that it has. Returns why each gives what it gives."""
    available = sum((one.left for one in group), Decimal())
    if available <= wanted:
        for one in group:
            one.given += one.left
        return {one.address: "gives all that it can" for one in group}
    if by == "share":
        return _shared(group, wanted, available)
    ordered = sorted(group, key=lambda one: -one.age) if by == "age" else list(group)
    reasons: dict[str, str] = {}
    missing = wanted
    for number, one in enumerate(ordered, 1):
        if missing <= 0:
            break
        one.given = min(one.left, -(-missing // one.unit) * one.unit)
        missing -= one.given
        reasons[one.address] = f"{ordinal(number)} oldest" if by == "age" else f"{ordinal(number)} in order"
    return reasons


def _shared(group: Sequence[_Giver], wanted: Decimal, available: Decimal) -> dict[str, str]:
    """Deal the sum out in proportion, to the unit of each number."""
    remainders: list[tuple[Fraction, int, _Giver]] = []
    reasons: dict[str, str] = {}
    part = Fraction(wanted) / Fraction(available)
    for number, one in enumerate(group):
        exact = Fraction(one.left) * part
        whole = exact // Fraction(one.unit)
        reasons[one.address] = f"{percent(float(part))} of the {one.left:f} that it can give"
        one.given = Decimal(whole) * one.unit
        remainders.append((exact - Fraction(one.given), -number, one))
    missing = wanted - sum((one.given for one in group), Decimal())
    for _, _, one in sorted(remainders, key=lambda entry: (entry[0], entry[1]), reverse=True):
        if missing <= 0:
            break
        step = min(one.unit, one.left)
        one.given += step
        missing -= step
    return reasons


def room_in_words(room: Room) -> str:
    """What came of it, in one sentence."""
    if room.total <= room.limit:
        return f"The sum is {room.total:f}, within {room.limit:f}. Nothing has to be lowered."
    words = f"The sum goes from {room.total:f} to {room.after:f} by lowering {counted(len(room.lowered), 'number')}"
    if room.missing:
        return f"{words}. That is {room.missing:f} more than {room.limit:f}: nothing more can be given."
    return f"{words}; the limit is {room.limit:f}."
