"""Sequences of numbers: which of them kept their order."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence


def longest_increasing(numbers: Sequence[int]) -> set[int]:
    """Indices of one longest increasing subsequence (patience sorting, O(n log n))."""
    tails: list[int] = []
    tail_index: list[int] = []
    before: list[int] = []
    for index, number in enumerate(numbers):
        at = bisect_left(tails, number)
        before.append(tail_index[at - 1] if at else -1)
        if at == len(tails):
            tails.append(number)
            tail_index.append(index)
        else:
            tails[at] = number
            tail_index[at] = index
    kept: set[int] = set()
    index = tail_index[-1] if tail_index else -1
    while index >= 0:
        kept.add(index)
        index = before[index]
    return kept
