"""How far points lie from a centre, and which of them lie outside a radius."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from zerrit.core.documents.document import Document
from zerrit.core.documents.file_selection import values_at
from zerrit.core.documents.node import Node
from zerrit.core.documents.scalars import as_number
from zerrit.core.errors import FigureRefused
from zerrit.core.points import EXACT, distance, squared_distance
from zerrit.core.wording import counted


@dataclass(frozen=True, slots=True)
class Distance:
    """One point and its distance; `is_inside` is None where no radius was given. `fault` says why there is none."""

    address: str
    point: tuple[Decimal, ...]
    distance: Decimal | None
    is_inside: bool | None = None
    fault: str = ""


def distances_at(
    documents: Mapping[str, Document],
    address: str,
    axes: Sequence[str],
    centre: Sequence[Decimal],
    radius: Decimal | None = None,
) -> list[Distance]:
    """The distance of every entry at `address` from the centre, the nearest first.

    `axes` are the fields that hold the coordinates, such as `@x`, `@z`. Whether a point is inside is decided on the
    squares, which are exact; only what is shown is rounded.

    Raises AddressInvalid, FigureRefused: nothing is there, or the centre has another number of axes.
    """
    if len(axes) != len(centre):
        numbers, fields = counted(len(centre), "number"), counted(len(axes), "axis", "axes")
        raise FigureRefused(
            f"The centre has {numbers}, but there should be one for each of {fields}: {', '.join(axes)}."
        )
    rows = [_row(document, node, axes, centre, radius) for document, node in values_at(address, documents)]
    if not rows:
        raise FigureRefused(f"Nothing is at {address}, so there is nothing to measure. Is a name misspelled?")
    return sorted(rows, key=lambda row: (row.distance is None, row.distance or Decimal()))


def _row(
    document: Document, node: Node, axes: Sequence[str], centre: Sequence[Decimal], radius: Decimal | None
) -> Distance:
    address = f"{document.path}#{document.keys.address_of(node)}"
    point: list[Decimal] = []
    for axis in axes:
        text = node.field(axis) if node.field(axis) is not None else node.field(f"@{axis}")
        number = as_number(text) if text is not None else None
        if number is None:
            return Distance(address, (), None, fault=f"{axis} is `{text}`" if text is not None else f"it has no {axis}")
        point.append(number)
    is_inside = None if radius is None else squared_distance(point, centre) <= EXACT.multiply(radius, radius)
    return Distance(address, tuple(point), distance(point, centre), is_inside)
