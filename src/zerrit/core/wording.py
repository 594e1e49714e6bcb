"""Small matters of wording that messages share."""

from __future__ import annotations

from typing import Final

_EFFECTS: Final = {
    "restart": "after a restart",
    "reload": "after a reload",
    "map change": "with the next map change",
    "new world": "in a new world only",
    "rejoin": "when players join again",
}


def sentence(text: str) -> str:
    """The text with one full stop at its end, whether it had one or not."""
    return text if text.endswith((".", "!", "?")) else f"{text}."


def counted(number: int, word: str, several: str = "") -> str:
    """`1 file`, `2 files`; `several` is for words that take more than an s."""
    return f"{number:,} {word}" if number == 1 else f"{number:,} {several or word + 's'}"


def effect_in_words(takes_effect: str) -> str:
    """When a written value holds, by the word that a gamebook has for it."""
    return _EFFECTS.get(takes_effect, takes_effect)


def percent(share: float) -> str:
    """A share in per cent, with as many places as tell a small one from none."""
    shown = share * 100
    return f"{shown:.1f} %" if shown >= 1 or shown == 0 else f"{shown:.3g} %"
