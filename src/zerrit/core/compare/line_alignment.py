"""
Which lines two texts share, in order: so few lines as possible are told as removed and added.

First come the lines that occur exactly once in both texts: the longest run of them in one order splits the texts into
stretches (patience). Each stretch is then aligned by Myers' algorithm in its linear-space form, which finds a shortest
edit script from the middle (E. W. Myers, "An O(ND) Difference Algorithm and Its Variations", 1986, section 4b). Its
cost grows with the number of differences, so it is bounded; beyond the bound a stretch is told as replaced.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Final, NamedTuple

from zerrit.core.sequences import longest_increasing

MOST_EDITS: Final = 600  # of one stretch; the cost grows with their square


class Match(NamedTuple):
    """`size` lines are the same, from line `old` of the one text and `new` of the other, both 0-based."""

    old: int
    new: int
    size: int


def line_matches(old: Sequence[str], new: Sequence[str]) -> list[Match]:
    """The shared lines in their order, as runs."""
    numbers: dict[str, int] = {}
    one = [numbers.setdefault(line, len(numbers)) for line in old]
    other = [numbers.setdefault(line, len(numbers)) for line in new]
    found: list[Match] = []
    for match in _stretch(one, other, 0, len(one), 0, len(other)):
        last = found[-1] if found else None
        if last is not None and last.old + last.size == match.old and last.new + last.size == match.new:
            found[-1] = Match(last.old, last.new, last.size + match.size)
        else:
            found.append(match)
    return found


def _stretch(old: Sequence[int], new: Sequence[int], i: int, i_end: int, j: int, j_end: int) -> Iterator[Match]:
    """The matches of two stretches, in order."""
    head = 0
    while i + head < i_end and j + head < j_end and old[i + head] == new[j + head]:
        head += 1
    if head:
        yield Match(i, j, head)
        i, j = i + head, j + head
    tail = 0
    while i_end - tail > i and j_end - tail > j and old[i_end - tail - 1] == new[j_end - tail - 1]:
        tail += 1
    i_end, j_end = i_end - tail, j_end - tail
    if i < i_end and j < j_end:
        anchors = _anchors(old, new, i, i_end, j, j_end)
        if not anchors and min(i_end - i, j_end - j) > MOST_EDITS:
            anchors = _numbered_anchors(old, new, i, i_end, j, j_end)
        if anchors:
            for a, b in [*anchors, (i_end, j_end)]:
                yield from _stretch(old, new, i, a, j, b)
                if a < i_end:
                    yield Match(a, b, 1)
                i, j = a + 1, b + 1
        else:
            yield from _shortest(old, new, i, i_end, j, j_end)
    if tail:
        yield Match(i_end, j_end, tail)


def _anchors(old: Sequence[int], new: Sequence[int], i: int, i_end: int, j: int, j_end: int) -> list[tuple[int, int]]:
    """Lines that occur once in each stretch, as many of them as keep one order."""
    in_old, in_new = Counter(old[i:i_end]), Counter(new[j:j_end])
    place = {new[b]: b for b in range(j, j_end) if in_new[new[b]] == 1}
    pairs = [(a, place[old[a]]) for a in range(i, i_end) if in_old[old[a]] == 1 and old[a] in place]
    kept = longest_increasing([b for _, b in pairs])
    return [pairs[number] for number in sorted(kept)]


def _numbered_anchors(
    old: Sequence[int], new: Sequence[int], i: int, i_end: int, j: int, j_end: int
) -> list[tuple[int, int]]:
    """Lines that occur equally often in both stretches, the first with the first: for stretches too long to be searched."""
    in_old, in_new = Counter(old[i:i_end]), Counter(new[j:j_end])
    places: dict[int, list[int]] = {}
    for b in range(j_end - 1, j - 1, -1):
        if in_new[new[b]] == in_old.get(new[b]):
            places.setdefault(new[b], []).append(b)
    pairs = [(a, places[old[a]].pop()) for a in range(i, i_end) if places.get(old[a])]
    kept = longest_increasing([b for _, b in pairs])
    return [pairs[number] for number in sorted(kept)]


def _shortest(old: Sequence[int], new: Sequence[int], i: int, i_end: int, j: int, j_end: int) -> Iterator[Match]:
    """The matches on a shortest way from one stretch to the other, found from the middle of that way."""
    pending = [(i, i_end, j, j_end)]
    found: list[Match] = []
    while pending:
        i, i_end, j, j_end = pending.pop()
        while i < i_end and j < j_end and old[i] == new[j]:
            found.append(Match(i, j, 1))
            i, j = i + 1, j + 1
        while i < i_end and j < j_end and old[i_end - 1] == new[j_end - 1]:
            i_end, j_end = i_end - 1, j_end - 1
            found.append(Match(i_end, j_end, 1))
        if i == i_end or j == j_end:
            continue
        middle = _middle(old, new, i, i_end, j, j_end)
        if middle is not None:
            x, y = middle
            pending += [(i, x, j, y), (x, i_end, y, j_end)]
    yield from sorted(found)


def _middle(old: Sequence[int], new: Sequence[int], i: int, i_end: int, j: int, j_end: int) -> tuple[int, int] | None:
    """A point on a shortest way, about in its middle; None where the way is too long to be searched."""
    n, m = i_end - i, j_end - j
    delta = n - m
    is_odd = delta % 2 != 0
    ahead, back = {1: 0}, {1: 0}
    for edits in range(min((n + m + 1) // 2, MOST_EDITS) + 1):
        for k in range(-edits, edits + 1, 2):
            x = _reach(ahead, k, edits)
            while x < n and x - k < m and x - k >= 0 and old[i + x] == new[j + x - k]:
                x += 1
            ahead[k] = x
            opposite = delta - k
            if is_odd and opposite in back and abs(opposite) < edits and x + back[opposite] >= n:
                return _inside(i + x, j + x - k, i, i_end, j, j_end)
        for k in range(-edits, edits + 1, 2):
            x = _reach(back, k, edits)
            while x < n and x - k < m and x - k >= 0 and old[i_end - 1 - x] == new[j_end - 1 - (x - k)]:
                x += 1
            back[k] = x
            opposite = delta - k
            if not is_odd and opposite in ahead and abs(opposite) <= edits and x + ahead[opposite] >= n:
                return _inside(i_end - x, j_end - (x - k), i, i_end, j, j_end)
    return None


def _reach(furthest: dict[int, int], k: int, edits: int) -> int:
    if k == -edits or (k != edits and furthest.get(k - 1, -1) < furthest.get(k + 1, -1)):
        return furthest.get(k + 1, 0)
    return furthest.get(k - 1, 0) + 1


def _inside(x: int, y: int, i: int, i_end: int, j: int, j_end: int) -> tuple[int, int] | None:
    """The point, unless it is a corner, from which no progress would be made."""
    if not (i <= x <= i_end and j <= y <= j_end) or (x, y) in ((i, j), (i_end, j_end)):
        return None
    return x, y
