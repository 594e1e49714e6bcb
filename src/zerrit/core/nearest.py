"""
The nearest right name for a wrong one.

A misspelled name is the commonest mistake in these files and the game says nothing about it, so every message
about an unknown name goes through here. Letter case and white space count for nothing while looking, since a
slip in them is the likeliest of all.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import lru_cache

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


def slip_of(word: str, usual: tuple[str, ...]) -> str | None:
    """The usual word of which `word` seems to be a slip of the pen; None where it is one of them, or none is near.

    A slip is one letter left out, added, mistaken for another, or swapped with its neighbour, or another letter case. Short words
    and a plural in `s` are no slips, nor is another digit or sign: `Boat 2` is another thing than `Boat 1`.
    """
    index = _index_of(usual)
    return None if word in index.words else index.near(word)


def apart(words: Sequence[str]) -> tuple[str, ...]:
    """Those of the words of which no other one could be a slip."""
    index = _Index(words)
    return tuple(word for word in words if index.near(word) is None)


class _Index:
    """Words by what is left of them without one letter: two words that are a letter apart share one such rest."""

    def __init__(self, words: Iterable[str]) -> None:
        self.words = frozenset(words)
        self._by_rest: dict[str, list[str]] = {}
        for word in dict.fromkeys(words):
            for rest in _rests(folded(word)):
                self._by_rest.setdefault(rest, []).append(word)

    def near(self, word: str) -> str | None:
        """The first other word of which this one could be a slip."""
        wanted = folded(word)
        near = (one for rest in _rests(wanted) for one in self._by_rest.get(rest, ()) if one != word)
        return next((one for one in near if _is_slip(wanted, folded(one))), None) if wanted else None


@lru_cache(maxsize=1024)
def _index_of(usual: tuple[str, ...]) -> _Index:
    return _Index(usual)


def _rests(word: str) -> Iterator[str]:
    yield word
    yield from dict.fromkeys(word[:at] + word[at + 1 :] for at in range(len(word)))


def _is_slip(wanted: str, other: str) -> bool:
    if wanted == other:
        return True
    from rapidfuzz.distance import OSA  # noqa: PLC0415  # slow to import, and most runs look for no name

    if OSA.distance(wanted, other, score_cutoff=1) != 1 or not _in_letters(wanted, other):
        return False
    is_long = max(len(wanted), len(other)) >= LONG_ENOUGH and min(len(wanted), len(other)) > 1
    return sorted(wanted) == sorted(other) or (is_long and wanted != f"{other}s")


def _in_letters(one: str, other: str) -> bool:
    """The digits and signs of two words are the same, in the same order."""
    return [sign for sign in one if not sign.isalpha()] == [sign for sign in other if not sign.isalpha()]


def folded(word: str) -> str:
    """A word without letter case and white space."""
    return "".join(word.casefold().split())
