"""
The nearest right name for a wrong one.

A misspelled name is the commonest mistake in these files and the game says nothing about it, so every message
about an unknown name goes through here. Letter case and white space count for nothing while looking, since a
slip in them is the likeliest of all.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

CLOSE_ENOUGH = 60  # percent of matching characters; below it a suggestion misleads more than it helps
LONG_ENOUGH = 4  # letters of a word of which another is a slip with one letter more, less or different


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


def slip_of(word: str, usual: Sequence[str]) -> str | None:
    """The usual word of which `word` seems to be a slip of the pen; None where it is one of them, or none is near.

    A slip is one letter left out, added, mistaken for another, or swapped with its neighbour, or another letter case. Short words
    and a plural in `s` are no slips, nor is another digit or sign: `Boat 2` is another thing than `Boat 1`.
    """
    if word in usual or not word:
        return None
    from rapidfuzz.distance import OSA  # noqa: PLC0415  # slow to import, and most runs look for no name

    wanted = folded(word)
    for one in usual:
        other = folded(one)
        if wanted == other:
            return one
        if abs(len(wanted) - len(other)) <= 1 and OSA.distance(wanted, other, score_cutoff=1) == 1:
            is_swap = sorted(wanted) == sorted(other)
            is_long = max(len(wanted), len(other)) >= LONG_ENOUGH and min(len(wanted), len(other)) > 1
            if (is_swap or (is_long and wanted != f"{other}s")) and _in_letters(wanted, other):
                return one
    return None


def _in_letters(one: str, other: str) -> bool:
    """The digits and signs of two words are the same, in the same order."""
    return [sign for sign in one if not sign.isalpha()] == [sign for sign in other if not sign.isalpha()]


def folded(word: str) -> str:
    """A word without letter case and white space."""
    return "".join(word.casefold().split())
