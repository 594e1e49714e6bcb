"""Points of any number of axes, and how far they lie from each other."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Context, Decimal
from typing import Final

from zerrit.core.errors import FigureRefused

EXACT: Final = Context(prec=60)
_SHOWN: Final = Decimal("0.01")


def distance(one: Sequence[Decimal], other: Sequence[Decimal]) -> Decimal:
    """The straight line between two points of the same number of axes (Euclid), to hundredths.

    Raises FigureRefused: they have different numbers of axes.
    """
    return EXACT.sqrt(squared_distance(one, other)).quantize(_SHOWN)


def squared_distance(one: Sequence[Decimal], other: Sequence[Decimal]) -> Decimal:
    """The square of the distance, exact. Raises FigureRefused: they have different numbers of axes."""
    if len(one) != len(other):
        raise FigureRefused(f"One point has {len(one)} axes, the other {len(other)}.")
    total = Decimal()
    for a, b in zip(one, other, strict=True):
        step = EXACT.subtract(a, b)
        total = EXACT.add(total, EXACT.multiply(step, step))
    return total
