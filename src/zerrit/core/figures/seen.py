"""
What was seen in a number of draws, held against the odds: how likely is that, or anything more extreme?

Draws are independent, so the number of draws that bring a thing follows the binomial distribution. Its tail is summed term by
term; all terms are positive, and each is worked out to 60 digits, so that far more digits are right than are shown. Pieces are
summed from the exact distribution of one draw, by repeated squaring.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Context, Decimal, localcontext
from fractions import Fraction
from typing import Final

from zerrit.core.errors import FigureRefused
from zerrit.core.wording import counted

MAX_DRAWS: Final = 100_000
MAX_TOTAL: Final = 6_000  #: pieces that all draws together may bring, where each number is told apart
MAX_APART: Final = 1_000_000
_DIGITS: Final = 60
_DOUBT: Final = Decimal("0.05")  #: what is seen less often than this is rare
_NO_CHANCE: Final = Decimal("0.001")  #: and less often than this, hardly a matter of luck
ERROR: Final = 0.05  #: how often a test of two settings may be wrong either way


@dataclass(frozen=True, slots=True)
class Seen:
    """How likely it is that a thing comes as often as it was seen, or more extreme.

    `expected` is how often it comes on average; `is_more` says on which side of that it was seen. `in_pieces`: pieces were
    counted, else draws that brought it.
    """

    thing: str
    count: int
    draws: int
    chance: Decimal
    expected: Fraction
    is_more: bool
    in_pieces: bool

    @property
    def verdict(self) -> str:
        """`usual`, `rare`, `unlikely` or `impossible`."""
        if self.chance == 0:
            return "impossible"
        return "usual" if self.chance >= _DOUBT else "rare" if self.chance >= _NO_CHANCE else "unlikely"


def seen_in_draws(thing: str, chance: Fraction, count: int, draws: int) -> Seen:
    """A thing came in `count` of `draws` draws, each of which brings it with the probability `chance`.

    Raises FigureRefused: more draws brought it than there were.
    """
    _require(count, draws)
    if count > draws:
        raise FigureRefused(
            f"{thing} cannot come in {count} of {counted(draws, 'draw')}. If these are pieces, count them as pieces."
        )
    expected = chance * draws
    is_more = count >= expected
    tail = _binomial_tail(chance, draws, count) if is_more else _binomial_tail(1 - chance, draws, draws - count)
    return Seen(thing, count, draws, tail, expected, is_more, in_pieces=False)


def seen_in_pieces(thing: str, once: Sequence[Fraction], count: int, draws: int) -> Seen:
    """`count` pieces came in all; `once` are the probabilities of 0, 1, 2 … pieces in one draw.

    Raises FigureRefused: there are too many to work out.
    """
    _require(count, draws)
    if draws * (len(once) - 1) > MAX_TOTAL:
        raise FigureRefused(f"{draws:,} draws may bring more than {MAX_TOTAL:,} pieces; that is too many to work out.")
    with localcontext(Context(prec=_DIGITS)):
        one = [_decimal(chance) for chance in once]
        together = [Decimal(1)]
        left = draws
        while left:
            if left % 2:
                together = _product(together, one)
            left //= 2
            one = _product(one, one) if left else one
        expected = sum((number * chance for number, chance in enumerate(once)), Fraction()) * draws
        is_more = count >= expected
        tail = sum(together[count:] if is_more else together[: count + 1], Decimal())
    return Seen(thing, count, draws, min(tail, Decimal(1)), expected, is_more, in_pieces=True)


def _require(count: int, draws: int) -> None:
    if not 0 < draws <= MAX_DRAWS:
        raise FigureRefused(f"{draws:,} draws are not between 1 and {MAX_DRAWS:,}.")
    if count < 0:
        raise FigureRefused(f"{count} is not a number of times that something was seen.")


def _decimal(number: Fraction) -> Decimal:
    return Decimal(number.numerator) / Decimal(number.denominator)


def _product(one: Sequence[Decimal], other: Sequence[Decimal]) -> list[Decimal]:
    found = [Decimal()] * (len(one) + len(other) - 1)
    for number, chance in enumerate(one):
        if chance:
            for more, factor in enumerate(other):
                found[number + more] += chance * factor
    return found


def _binomial_tail(chance: Fraction, draws: int, least: int) -> Decimal:
    """The probability of at least `least` successes."""
    if least <= 0:
        return Decimal(1)
    if chance == 0:
        return Decimal()
    if chance == 1:
        return Decimal(1)
    with localcontext(Context(prec=_DIGITS)):
        yes, no = _decimal(chance), _decimal(1 - chance)
        term = Decimal(math.comb(draws, least)) * yes**least * no ** (draws - least)
        total = Decimal()
        for number in range(least, draws + 1):
            total += term
            if term < total.scaleb(-_DIGITS) and number > draws * yes:
                break  # what follows is smaller still
            term = term * (draws - number) * yes / ((number + 1) * no)
        return min(total, Decimal(1))


@dataclass(frozen=True, slots=True)
class Apart:
    """How many draws tell two chances apart: it came in `least` of them or more under the larger one, else in fewer.

    Either way this is wrong in fewer than 5 of 100 times.
    """

    draws: int
    least: int


def draws_to_tell_apart(one: Fraction, other: Fraction) -> Apart:
    """A number of draws that tells two chances of a thing apart. A few draws fewer may do, but need not.

    Raises FigureRefused: the two are the same, or too close together.
    """
    if one == other:
        raise FigureRefused("Both have the same chance, so no number of draws tells them apart.")
    low, high = min(one, other), max(one, other)
    draws = 1
    while _threshold(low, high, draws) is None:
        draws *= 2
        if draws > MAX_APART:
            raise FigureRefused(f"The two chances are too close together: more than {MAX_APART:,} draws are needed.")
    below = draws // 2
    while draws - below > 1:
        middle = (draws + below) // 2
        if _threshold(low, high, middle) is None:
            below = middle
        else:
            draws = middle
    least = _threshold(low, high, draws)
    return Apart(draws, least if least is not None else 0)


def _threshold(low: Fraction, high: Fraction, draws: int) -> int | None:
    """The number of successes from which the larger chance is believed; None where no number is sure enough."""
    spread = math.sqrt(float(low * (1 - low)) * draws)
    guess = max(1, int(float(low) * draws + 1.2 * spread))
    for least in range(guess, min(draws, int(guess + 2 * spread + 6)) + 1):
        if float(_binomial_tail(low, draws, least)) <= ERROR:
            missed = 1 - _binomial_tail(high, draws, least)
            return least if float(missed) <= ERROR else None
    return None


# --- in words ---------------------------------------------------------------------------------------------------------

_LARGE: Final = ((12, "trillion"), (9, "billion"), (6, "million"), (3, "thousand"))


def once_in(chance: Decimal) -> str:
    """`once in 9 billion`, `once in 8.1`; for a chance near 1 the share."""
    if chance == 0:
        return "never"
    times = 1 / chance
    if times < 2:
        return f"in {chance * 100:.0f} of 100"
    if times < 1000:
        return f"once in {float(times):.2g}" if times < 100 else f"once in {round(times):,}"
    for zeros, word in _LARGE:
        if times >= Decimal(10) ** zeros:
            shown = times.scaleb(-zeros)
            if shown >= 1000:
                return f"once in 10^{times.adjusted()}"
            return f"once in {float(shown):.2g} {word}" if shown < 10 else f"once in {round(shown)} {word}"
    return f"once in {round(times):,}"


def seen_in_words(seen: Seen, setting: str = "the files as they are") -> str:
    """What was seen and what follows from it, in two sentences."""
    what = f"{counted(seen.count, 'piece')} of {seen.thing}" if seen.in_pieces else f"{seen.thing} in {seen.count}"
    of = f"in {counted(seen.draws, 'draw')}" if seen.in_pieces else f"of {counted(seen.draws, 'draw')}"
    side = "or more" if seen.is_more else "or fewer"
    average = f"on average {float(seen.expected):.3g}"
    if seen.verdict == "impossible":
        return f"{what} {of}: with {setting} that cannot happen. The setting is not in effect, or means something else."
    first = f"{what} {of}: with {setting} that, {side}, happens {once_in(seen.chance)} times ({average})."
    follows = {
        "usual": "Nothing speaks against the setting.",
        "rare": "That is rare, but happens; look at more draws.",
        "unlikely": "Most likely the setting is not in effect, or it means something else.",
    }
    return f"{first} {follows[seen.verdict]}"
