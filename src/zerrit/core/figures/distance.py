"""How far points lie from a centre or from each other, which of them lie outside a radius or a box, on which floor, and which way they face."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Final, Literal

from zerrit.core.documents.document import Document
from zerrit.core.documents.file_selection import place_below, values_at
from zerrit.core.documents.node import Node
from zerrit.core.documents.scalars import as_number
from zerrit.core.errors import FigureRefused
from zerrit.core.points import EXACT, distance, squared_distance
from zerrit.core.wording import counted

Direction = Literal["+x", "-x", "+z", "-z"]
MOST_POINTS: Final = 100_000
_DIRECTIONS: Final[Mapping[Direction, tuple[int, int]]] = {"+x": (1, 0), "-x": (-1, 0), "+z": (0, 1), "-z": (0, -1)}
_HUNDREDTH: Final = Decimal("0.01")


@dataclass(frozen=True, slots=True)
class Distance:
    """One point and its distance; `is_inside` is None where neither a radius nor a box was given. `fault` says why there is none.

    `nearest` is the address of the point that it was measured to, where that is not one centre. `floor` is the number of the
    floor that it is on, 0 below the lowest. `turned` are the degrees by which it faces away from what it was measured to.
    """

    address: str
    point: tuple[Decimal, ...]
    distance: Decimal | None
    is_inside: bool | None = None
    fault: str = ""
    nearest: str = ""
    floor: int | None = None
    turned: Decimal | None = None


@dataclass(frozen=True, slots=True)
class Facing:
    """The field with the direction of an entry, in degrees; which way 0 is, and whether a larger number turns to the right.

    `+x` is the direction of the first axis, `+z` that of the last.
    """

    place: str
    zero: Direction = "+z"
    to_the_right: bool = True


@dataclass(frozen=True, slots=True)
class Measured:
    """What is asked of points.

    `axes` are the places of the coordinates below each entry, such as `@x`, `@z` or `pos/[#1]`, `pos/[#3]`. They are measured to
    the `centre`, or to the nearest of the points at the address `to`; the point itself does not count. `box` are two opposite
    corners. `floors` are the heights at which floors begin, along the place `height`.
    """

    axes: Sequence[str]
    centre: Sequence[Decimal] = ()
    to: str = ""
    radius: Decimal | None = None
    box: Sequence[Decimal] = ()
    height: str = ""
    floors: Sequence[Decimal] = ()
    facing: Facing | None = None


def distances_at(documents: Mapping[str, Document], address: str, asked: Measured) -> list[Distance]:
    """The distance of every entry at `address`, the nearest first.

    Whether a point is inside is decided on the squares, which are exact; only what is shown is rounded.

    Raises AddressInvalid, FigureRefused: nothing is there, or the numbers do not fit the axes.
    """
    _require_fitting(asked)
    rows = [_point(document, node, asked) for document, node in values_at(address, documents)]
    if not rows:
        raise FigureRefused(f"Nothing is at {address}, so there is nothing to measure. Is a name misspelled?")
    if len(rows) > MOST_POINTS:
        raise FigureRefused(f"{address} leads to {len(rows):,} entries; at most {MOST_POINTS:,} are measured.")
    if asked.to:
        targets = [_point(document, node, asked) for document, node in values_at(asked.to, documents)]
        known = [one for one in targets if not one.fault]
        if not known:
            raise FigureRefused(f"No entry at {asked.to} has the coordinates {', '.join(asked.axes)}.")
        found = _to_nearest(rows, known)
    else:
        found = [(row, None if row.fault else ("", tuple(asked.centre))) for row in rows]
    measured = [_measured(row, target, asked) for row, target in found]
    return sorted(measured, key=lambda row: (row.distance is None, row.distance or Decimal()))


def _require_fitting(asked: Measured) -> None:
    fields = counted(len(asked.axes), "axis", "axes")
    if bool(asked.centre) is bool(asked.to):
        raise FigureRefused("Say where to measure from: a centre, or the address of other entries.")
    if asked.centre and len(asked.axes) != len(asked.centre):
        numbers = counted(len(asked.centre), "number")
        raise FigureRefused(
            f"The centre has {numbers}, but there should be one for each of {fields}: {', '.join(asked.axes)}."
        )
    if asked.box and len(asked.box) != 2 * len(asked.axes):
        raise FigureRefused(
            f"A box has two corners, so {2 * len(asked.axes)} numbers for {fields}; here are {len(asked.box)}."
        )
    if bool(asked.floors) is not bool(asked.height):
        raise FigureRefused("Floors need both the heights at which they begin and the field of the height.")
    if asked.facing is not None and len(asked.axes) < 2:
        raise FigureRefused("Which way something faces needs two axes.")


Target = tuple[str, tuple[Decimal, ...]] | None


def _to_nearest(rows: Sequence[Distance], targets: Sequence[Distance]) -> list[tuple[Distance, Target]]:
    """Each point with the nearest target that is another entry."""
    import numpy as np  # noqa: PLC0415  # both take a while to load
    from scipy.spatial import KDTree  # noqa: PLC0415

    tree = KDTree(np.array([[float(number) for number in one.point] for one in targets]))
    found: list[tuple[Distance, Target]] = []
    for row in rows:
        if row.fault:
            found.append((row, None))
            continue
        _, numbers = tree.query([float(number) for number in row.point], k=min(4, len(targets)))
        near = [targets[int(number)] for number in np.atleast_1d(numbers)]
        others = [one for one in near if one.address != row.address]
        best = min(others, key=lambda one: squared_distance(row.point, one.point), default=None)
        found.append((row, (best.address, best.point) if best is not None else None))
    return found


def _point(document: Document, node: Node, asked: Measured) -> Distance:
    address = f"{document.path}#{document.keys.address_of(node)}"
    point: list[Decimal] = []
    for axis in asked.axes:
        number, fault = _coordinate(document, node, axis)
        if number is None:
            return Distance(address, (), None, fault=fault)
        point.append(number)
    floor = None
    if asked.height:
        height, fault = _coordinate(document, node, asked.height)
        if height is None:
            return Distance(address, tuple(point), None, fault=fault)
        floor = sum(height >= start for start in asked.floors)
    turned = None
    if asked.facing is not None:
        turned, fault = _coordinate(document, node, asked.facing.place)
        if turned is None:
            return Distance(address, tuple(point), None, fault=fault)
    return Distance(address, tuple(point), None, floor=floor, turned=turned)


def _coordinate(document: Document, node: Node, place: str) -> tuple[Decimal | None, str]:
    found = place_below(document, node, place)
    if found is None or found.value is None:
        return None, f"it has no {place}"
    number = as_number(found.value)
    return number, "" if number is not None else f"{place} is `{found.value}`"


def _measured(row: Distance, target: Target, asked: Measured) -> Distance:
    if row.fault or target is None:
        return Distance(row.address, row.point, None, fault=row.fault or "there is no other entry")
    nearest, centre = target
    inside = [True]
    if asked.radius is not None:
        inside.append(squared_distance(row.point, centre) <= EXACT.multiply(asked.radius, asked.radius))
    if asked.box:
        half = len(asked.axes)
        corners = zip(asked.box[:half], asked.box[half:], strict=True)
        inside += [min(pair) <= number <= max(pair) for number, pair in zip(row.point, corners, strict=True)]
    is_inside = all(inside) if asked.radius is not None or asked.box else None
    turned = _turned(row, centre, asked.facing) if asked.facing is not None and row.turned is not None else None
    return Distance(row.address, row.point, distance(row.point, centre), is_inside, "", nearest, row.floor, turned)


def _turned(row: Distance, centre: Sequence[Decimal], facing: Facing) -> Decimal | None:
    """The degrees between the way that something faces and the way to a point; None where it is at that point."""
    way = (float(centre[0] - row.point[0]), float(centre[-1] - row.point[-1]))
    if way == (0.0, 0.0) or row.turned is None:
        return None
    zero = _DIRECTIONS[facing.zero]
    angle = math.radians(float(row.turned)) * (-1 if facing.to_the_right else 1)
    faces = (
        zero[0] * math.cos(angle) - zero[1] * math.sin(angle),
        zero[0] * math.sin(angle) + zero[1] * math.cos(angle),
    )
    cosine = (faces[0] * way[0] + faces[1] * way[1]) / math.hypot(*way)
    return Decimal(math.degrees(math.acos(max(-1.0, min(1.0, cosine))))).quantize(_HUNDREDTH)
