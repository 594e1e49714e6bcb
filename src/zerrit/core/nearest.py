"""
The nearest right name for a wrong one.

A misspelled name is the commonest mistake in these files and the game says nothing about it, so every message
about an unknown name goes through here. Letter case and white space count for nothing while looking, since a
slip in them is the likeliest of all.
"""

from __future__ import annotations

from collections.abc import Iterable
from difflib import SequenceMatcher

CLOSE_ENOUGH = 0.6  # ratio of matching characters; below it a suggestion misleads more than it helps


def nearest(word: str, known: Iterable[str], most: int = 3) -> tuple[str, ...]:
    """Return up to `most` of the `known` names that resemble `word`, the best first."""
    wanted = folded(word)
    matcher = SequenceMatcher(autojunk=False)
    matcher.set_seq2(wanted)
    scored: list[tuple[float, str]] = []
    for name in dict.fromkeys(known):
        matcher.set_seq1(folded(name))
        if matcher.real_quick_ratio() >= CLOSE_ENOUGH and matcher.quick_ratio() >= CLOSE_ENOUGH:
            ratio = matcher.ratio()
            if ratio >= CLOSE_ENOUGH:
                scored.append((-ratio, name))
    return tuple(name for _, name in sorted(scored)[:most])


def did_you_mean(word: str, known: Iterable[str]) -> str:
    """Return `Did you mean 'x'?` for the nearest known name, or an empty text."""
    found = nearest(word, known, most=1)
    return f"Did you mean '{found[0]}'?" if found else ""


def folded(word: str) -> str:
    """A word without letter case and white space."""
    return "".join(word.casefold().split())
