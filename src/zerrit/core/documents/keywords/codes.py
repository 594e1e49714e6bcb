"""The codes of findings in keyword lines."""

from __future__ import annotations

from functools import partial
from typing import Final

from zerrit.core.documents.code import Code, Severity

_keywords = partial(
    Code,
    path="example.cfg",
    gamebook="gamebook: 1\ngame: example\nfiles:\n  example.cfg: {read_as: keywords}\n",
)

KEYWORDS: Final[dict[str, Code]] = {
    "keywords.quote-not-closed": _keywords(
        Severity.ERROR,
        "A value in a keyword line has no closing quotation mark.",
        "The game takes the rest of the line, or of the file, for the value. Add the mark.",
        'title "The Quay\nseats 24\n',
        'title "The Quay"\nseats 24\n',
    ),
    "keywords.odd-keyword": _keywords(
        Severity.WARNING,
        "A line begins with something that is hardly a keyword, unlike the others.",
        "Most games skip it, or stop there. Take it out, or begin it with a keyword.",
        "```\nseats 24\n",
        "seats 24\n",
    ),
    "keywords.stray-sign": _keywords(
        Severity.WARNING,
        "A lone sign is among the values.",
        "Only spaces are between values; the sign is read as a value. Remove it.",
        "seats = 24\n",
        "seats 24\n",
    ),
    "keywords.no-gap": _keywords(
        Severity.WARNING,
        "Something follows a closing quotation mark at once.",
        "A mark is inside the text, or a space is missing.",
        'title "The "old" Quay"\n',
        'title "The old Quay"\n',
    ),
    "keywords.no-keyword": _keywords(
        Severity.WARNING,
        "A line begins with a value and has no keyword.",
        "The game skips it. Write the keyword before it.",
        '"The Quay"\nseats 24\n',
        'title "The Quay"\nseats 24\n',
    ),
}
