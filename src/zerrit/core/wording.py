"""Small matters of wording that messages share."""

from __future__ import annotations


def counted(number: int, word: str) -> str:
    """`1 file`, `2 files`."""
    return f"{number:,} {word}" if number == 1 else f"{number:,} {word}s"
