"""Units in which plain numbers count, by the words that people write for them."""

from __future__ import annotations

import re
from decimal import Decimal, Inexact, localcontext
from typing import Final

from zerrit.core.documents.scalars import as_number

#: Every unit by its name, with a pattern of what else it is called, and how many of the smallest of its sort it is.
_UNITS: Final = {
    "milliseconds": ("milliseconds?|millis|ms", "time", 1),
    "seconds": ("seconds?|secs?|s", "time", 1000),
    "minutes": ("minutes?|mins?", "time", 60_000),
    "hours": ("hours?|hrs?|h", "time", 3_600_000),
    "days": ("days?", "time", 86_400_000),
    "weeks": ("weeks?", "time", 604_800_000),
    "ticks": ("ticks?", "", 1),
    "metres": ("met(?:re|er)s?", "length", 1),
    "kilometres": ("kilomet(?:re|er)s?|km", "length", 1000),
    "degrees": ("degrees?", "", 1),
    "percent": ("per ?cent|%", "", 1),
    "bytes": ("bytes?", "", 1),  # whether a kilobyte has 1000 of them or 1024, games do not agree about
    "kilobytes": ("kilobytes?|kb", "", 1),
    "megabytes": ("megabytes?|mb", "", 1),
    "gigabytes": ("gigabytes?|gb", "", 1),
}
UNIT_WORDS: Final = "|".join(pattern for pattern, _, _ in _UNITS.values())  #: a pattern for any of them
_AMOUNT: Final = re.compile(rf"\s*(-?\d+(?:\.\d+)?)\s*({UNIT_WORDS})\s*\Z", re.IGNORECASE)
MOST_DIGITS: Final = 20


def unit_of(word: str) -> str:
    """The name of the unit that a word means, such as `seconds` for `sec`; empty where it is none."""
    return next((name for name, (pattern, _, _) in _UNITS.items() if re.fullmatch(pattern, word, re.IGNORECASE)), "")


def as_plain_number(text: str, unit: str) -> str:
    """An amount such as `5 min` as a number of another unit, exactly; empty where it cannot be one."""
    found = _AMOUNT.match(text[: 2 * MOST_DIGITS]) if len(text) <= MOST_DIGITS else None
    other, wanted = (unit_of(found[2]) if found is not None else ""), unit_of(unit)
    number = as_number(found[1]) if found is not None else None
    if number is None or not other or not wanted:
        return ""
    (_, sort, size), (_, wanted_sort, wanted_size) = _UNITS[other], _UNITS[wanted]
    if other != wanted and (not sort or sort != wanted_sort):
        return ""
    with localcontext() as exactly:
        exactly.traps[Inexact] = True
        try:
            return f"{(number * size / wanted_size).normalize() + Decimal(0):f}"
        except Inexact:
            return ""
