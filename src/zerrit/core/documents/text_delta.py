"""
Where two versions of a text differ, as splices from one to the other.

This is not a comparison for people; it only has to be right and quick where long texts differ in a few places, so that
a second version need not be read from scratch. Stretches of text are compared at once; where they part, the nearest
lines are looked for at which they meet again.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from zerrit.core.documents.source import Splice

_STRETCH: Final = 32_768  # characters that are compared at once
_WINDOW: Final = 16_384  # characters within which two versions must meet again
_MEET: Final = 4  # lines that must be alike before they count as together again
_REACH: Final = 200  # lines within which they must meet
_MOST: Final = 2_000  # differing places; with more of them reading from scratch is as quick


def pieces_between(old: str, new: str) -> list[Splice] | None:
    """Splices that turn `old` into `new`, in order; None where the two have too little in common."""
    pieces: list[Splice] = []
    i = j = 0
    while True:
        same = _alike(old, new, i, j)
        i, j = i + same, j + same
        if i == len(old) and j == len(new):
            return pieces
        if len(pieces) >= _MOST:
            return None
        line_start = max(old.rfind("\n", i - same, i) + 1, i - same)
        i, j = line_start, j - (i - line_start)
        met = _next_meeting(old, new, i, j)
        if met is None:
            return None
        k, m = met
        pieces.append(Splice(i, k, new[j:m]))
        i, j = k, m


def _alike(old: str, new: str, i: int, j: int) -> int:
    """How many characters are alike from there on."""
    start = i
    while i < len(old) and j < len(new) and old[i : i + _STRETCH] == new[j : j + _STRETCH]:
        i, j = i + _STRETCH, j + _STRETCH
    if i >= len(old) or j >= len(new):
        return min(len(old) - start, len(new) - (j - (i - start)))
    low, high = 0, min(_STRETCH, len(old) - i, len(new) - j)
    while low < high:
        middle = (low + high + 1) // 2
        low, high = (middle, high) if old[i + low : i + middle] == new[j + low : j + middle] else (low, middle - 1)
    return i + low - start


def _next_meeting(old: str, new: str, i: int, j: int) -> tuple[int, int] | None:
    """The nearest line starts behind `i` and `j` from which on both are alike for a while; both ends count too."""
    mine, yours = (_lines(text, at) for text, at in ((old, i), (new, j)))
    for far in range(1, _REACH):
        for skipped in range(far + 1):
            for k, m in ((skipped, far), (far, skipped)):
                if k < len(mine) and mine[k : k + _MEET] == yours[m : m + _MEET]:
                    return i + sum(map(len, mine[:k])), j + sum(map(len, yours[:m]))
    if len(old) - i <= _WINDOW and len(new) - j <= _WINDOW:
        return len(old), len(new)
    return None


def _lines(text: str, at: int) -> Sequence[str]:
    """Whole lines of the window behind `at`."""
    stop = at + _WINDOW
    if stop < len(text):
        stop = max(text.rfind("\n", at, stop) + 1, at)
    return text[at:stop].splitlines(keepends=True)
