"""
The nearest right name for a wrong one.

A misspelled name is the commonest mistake in these files and the game says nothing about it, so every message
about an unknown name goes through here. Letter case and white space count for nothing while looking, since a
slip in them is the likeliest of all.
"""

from __future__ import annotations

from collections.abc import Iterable

CLOSE_ENOUGH = 60  # percent of matching characters; below it a suggestion misleads more than it helps


def nearest(word: str, known: Iterable[str], most: int = 3) -> tuple[str, ...]:
    """Return up to `most` of the `known` names that resemble `word`, the best first.

    The measure is the share of letters in the longest common subsequence of both (`rapidfuzz.fuzz.ratio`).
    """
    from rapidfuzz import fuzz, process  # noqa: PLC0415  # slow to import, and most runs look for no name

    names = list(dict.fromkeys(known))
    found = process.extract(word, names, scorer=fuzz.ratio, processor=folded, score_cutoff=CLOSE_ENOUGH, limit=None)
    best = sorted(found, key=lambda scored: (-scored[1], scored[0]))
    return tuple(name for name, _, _ in best[:most])


def did_you_mean(word: str, known: Iterable[str]) -> str:
    """Return `Did you mean 'x'?` for the nearest known name, or an empty text."""
    found = nearest(word, known, most=1)
    return f"Did you mean '{found[0]}'?" if found else ""


def folded(word: str) -> str:
    """A word without letter case and white space."""
    return "".join(word.casefold().split())
