"""
The nearest right name for a wrong one.

A misspelled name is the commonest mistake in these files and the game says nothing about it, so every message
about an unknown name goes through here. Letter case and white space count for nothing while looking, since a
slip in them is the likeliest of all.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from functools import lru_cache

CLOSE_ENOUGH = 60  # percent of matching characters; below it a suggestion misleads more than it helps
LONG_TO_SWAP = 3  # letters of words of which one is a slip with two neighbours swapped
LONG_TO_DOUBLE = 4  # with a letter doubled, or one of two left out
LONG_TO_LOSE = 5  # with any other letter more or less
LONG_TO_MISTAKE = 6  # with another letter
_LETTERS = re.compile(r"[^\W\d_]+")


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
    are a letter apart by nature (`milk`, `silk`), so the shorter they are, the less counts. Neither does a plural, nor another
    digit or sign: `Boat 2` is another thing than `Boat 1`.
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
        return (
            next((one for one in near if _is_slip(word, one, is_only=len(self.words) == 1)), None) if wanted else None
        )


@lru_cache(maxsize=1024)
def _index_of(usual: tuple[str, ...]) -> _Index:
    return _Index(usual)


def _rests(word: str) -> Iterator[str]:
    yield word
    yield from dict.fromkeys(word[:at] + word[at + 1 :] for at in range(len(word)))


def _is_slip(one: str, other: str, *, is_only: bool) -> bool:
    """`is_only`: there is no other usual word, so that another letter counts in a short one, too."""
    if folded(one) == folded(other):
        return True
    if _LETTERS.sub("", one.casefold()) != _LETTERS.sub("", other.casefold()):
        return False  # another digit or sign
    mine, its = (_LETTERS.findall(word.casefold()) for word in (one, other))
    differing = [pair for pair in zip(mine, its, strict=False) if pair[0] != pair[1]]
    if len(mine) != len(its) or len(differing) != 1:
        return False
    ((first, second),) = differing
    if len(first) == len(second):
        if sorted(first) == sorted(second):
            return len(first) >= LONG_TO_SWAP and _are_swapped(first, second)
        return len(first) >= (LONG_TO_DOUBLE if is_only else LONG_TO_MISTAKE) and _are_a_letter_apart(first, second)
    shorter, longer = sorted((first, second), key=len)
    for at in range(len(longer)):
        if longer[:at] + longer[at + 1 :] == shorter:
            is_double = longer[at] in (longer[at - 1 : at], longer[at + 1 : at + 2])
            is_plural = longer == f"{shorter}s"
            is_title = " " in other.strip()  # its other words are the same
            least = LONG_TO_DOUBLE if is_double or is_title else LONG_TO_LOSE
            return len(longer) >= least and (is_double or not is_plural)
    return False


def _are_a_letter_apart(one: str, other: str) -> bool:
    return sum(a != b for a, b in zip(one, other, strict=True)) == 1


def _are_swapped(one: str, other: str) -> bool:
    """Two neighbours are in the other order, and nothing else differs."""
    at = [place for place, (a, b) in enumerate(zip(one, other, strict=True)) if a != b]
    return len(at) == 2 and at[1] == at[0] + 1


def folded(word: str) -> str:
    """A word without letter case and white space."""
    return "".join(word.casefold().split())
