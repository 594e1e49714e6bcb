"""The codes of findings in TOML."""

from __future__ import annotations

from functools import partial
from typing import Final

from zerrit.core.documents.code import Code, Severity

_toml = partial(Code, path="quay.toml")
_SOUND: Final = 'title = "The Quay"\nseats = 24\ncrew = ["Ada", "Bo"]\n\n[night]\nopens = 0\n'

TOML: Final[dict[str, Code]] = {
    "toml.not-toml": _toml(
        Severity.ERROR,
        "TOML does not allow what stands here.",
        "Correct what the message names.",
        _SOUND.replace("seats = 24", "seats = 024"),
        _SOUND,
    ),
    "toml.no-name": _toml(
        Severity.ERROR,
        "A line or header has no name.",
        "Write the name, or make the line a comment with `#`.",
        _SOUND.replace("[night]", "[]"),
        _SOUND,
    ),
    "toml.sign-missing": _toml(
        Severity.ERROR,
        "A name has no `=` behind it.",
        "Write the `=`.",
        _SOUND.replace("seats = 24", "seats 24"),
        _SOUND,
    ),
    "toml.value-missing": _toml(
        Severity.ERROR,
        "A name has no value, or nothing is before a comma.",
        "Add the value, or remove the name or the comma.",
        _SOUND.replace("seats = 24", "seats ="),
        _SOUND,
    ),
    "toml.text-without-quotes": _toml(
        Severity.ERROR,
        "A text is not in quotation marks.",
        "Put it into quotation marks.",
        _SOUND.replace('"The Quay"', "The Quay"),
        _SOUND,
    ),
    "toml.quote-not-closed": _toml(
        Severity.ERROR,
        "A text has no closing quotation mark.",
        "Add it where the text ends.",
        _SOUND.replace('Quay"', "Quay"),
        _SOUND,
    ),
    "toml.header-not-closed": _toml(
        Severity.ERROR,
        "The header of a table is not closed.",
        "Add the bracket.",
        _SOUND.replace("[night]", "[night"),
        _SOUND,
    ),
    "toml.bracket-not-closed": _toml(
        Severity.ERROR,
        "A list, or a table in one line, is never closed.",
        "Add the bracket where the message says.",
        _SOUND.replace('"Bo"]', '"Bo"'),
        _SOUND,
    ),
    "toml.comma-missing": _toml(
        Severity.ERROR,
        "Nothing separates two values of a list.",
        "Add the comma where the message says.",
        _SOUND.replace('"Ada", ', '"Ada" '),
        _SOUND,
    ),
    "toml.more-behind": _toml(
        Severity.ERROR,
        "Something is behind a value or header on the same line.",
        "Put it on a line of its own.",
        _SOUND.replace("seats = 24", "seats = 24 25"),
        _SOUND,
    ),
    "toml.repeated-name": _toml(
        Severity.ERROR,
        "A name or table is there twice.",
        "Remove the one that is wrong.",
        _SOUND.replace("seats = 24\n", "seats = 24\nseats = 25\n"),
        _SOUND,
    ),
}
