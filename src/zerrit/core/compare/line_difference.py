"""The plain text difference that is beside the one by meaning."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from zerrit.core.compare.line_alignment import Match, line_matches

_LINE = re.compile(r"[^\r\n]*(?:\r\n|\r|\n)|[^\r\n]+")


def text_difference(old: str, new: str, old_name: str, new_name: str, context: int = 3) -> str:
    """The unified difference of two texts, as programmers' tools read it; empty when they are equal.

    Line endings that differ show as differing lines; a missing last line ending is said in a line of its own.
    """
    if old == new:
        return ""
    one, other = _LINE.findall(old), _LINE.findall(new)
    pieces = [f"--- {old_name}\n", f"+++ {new_name}\n"]
    for group in _groups(line_matches(one, other), len(one), len(other), context):
        pieces += _hunk(one, other, group)
    return "".join(pieces)


def _groups(
    matches: Sequence[Match], old: int, new: int, context: int
) -> Iterator[list[tuple[bool, int, int, int, int]]]:
    """The differing stretches with the equal lines around them: (is_equal, start and end in old, start and end in new)."""
    stretches: list[tuple[bool, int, int, int, int]] = []
    i = j = 0
    for match in [*matches, Match(old, new, 0)]:
        if i < match.old or j < match.new:
            stretches.append((False, i, match.old, j, match.new))
        if match.size:
            stretches.append((True, match.old, match.old + match.size, match.new, match.new + match.size))
        i, j = match.old + match.size, match.new + match.size
    group: list[tuple[bool, int, int, int, int]] = []
    for is_equal, a, a_end, b, b_end in stretches:
        if not is_equal:
            group.append((False, a, a_end, b, b_end))
            continue
        size = a_end - a
        if not group:
            skipped = max(0, size - context)
            group = [(True, a + skipped, a_end, b + skipped, b_end)]
        elif size > 2 * context:
            group.append((True, a, a + context, b, b + context))
            yield group
            group = [(True, a_end - context, a_end, b_end - context, b_end)]
        else:
            group.append((True, a, a_end, b, b_end))
    if any(not is_equal for is_equal, *_ in group):
        is_equal, a, a_end, b, b_end = group[-1]
        if is_equal:
            group[-1] = (True, a, min(a_end, a + context), b, min(b_end, b + context))
        yield group


def _hunk(old: Sequence[str], new: Sequence[str], group: list[tuple[bool, int, int, int, int]]) -> Iterator[str]:
    first, last = group[0], group[-1]
    yield f"@@ -{_range(first[1], last[2])} +{_range(first[3], last[4])} @@\n"
    for is_equal, a, a_end, b, b_end in group:
        if is_equal:
            yield from (_shown(" ", line) for line in old[a:a_end])
        else:
            yield from (_shown("-", line) for line in old[a:a_end])
            yield from (_shown("+", line) for line in new[b:b_end])


def _range(start: int, end: int) -> str:
    """Where a stretch begins and how long it is, as the unified form has it."""
    size = end - start
    if size == 1:
        return str(start + 1)
    return f"{start + 1 if size else start},{size}"


def _shown(sign: str, line: str) -> str:
    return f"{sign}{line}" if line.endswith("\n") else f"{sign}{line}\n\\ no line ending here\n"
