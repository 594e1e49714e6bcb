"""The plain text difference that stands beside the one by meaning."""

from __future__ import annotations

import difflib


def text_difference(old: str, new: str, old_name: str, new_name: str, context: int = 3) -> str:
    """The unified difference of two texts, as programmers' tools read it; empty when they are equal.

    Line endings that differ show as differing lines; a missing last line ending is said in a line of its own.
    """
    lines: list[str] = []
    pieces = difflib.unified_diff(
        old.splitlines(keepends=True), new.splitlines(keepends=True), old_name, new_name, n=context
    )
    for line in pieces:
        if line.endswith("\n"):
            lines.append(line)
        else:
            lines.append(line + "\n\\ no line ending here\n")
    return "".join(lines)
