"""Small matters of wording that messages share."""

from __future__ import annotations


def sentence(text: str) -> str:
    """The text with one full stop at its end, whether it had one or not."""
    return text if text.endswith((".", "!", "?")) else f"{text}."


def counted(number: int, word: str, several: str = "") -> str:
    """`1 file`, `2 files`; `several` is for words that take more than an s."""
    return f"{number:,} {word}" if number == 1 else f"{number:,} {several or word + 's'}"
