"""The codes of findings in the tables of scripts."""

from __future__ import annotations

from functools import partial
from typing import Final

from zerrit.core.documents.code import Code, Severity

_script = partial(Code, path="stalls.lua")
_SOUND: Final = 'stalls = {\n  quay = { price = 5, owner = "Ada" },\n  pier = { price = 7 },\n}\n'

SCRIPTS: Final[dict[str, Code]] = {
    "script.comma-missing": _script(
        Severity.ERROR,
        "Nothing separates two entries of a table in a script.",
        "Add the comma where the message says.",
        _SOUND.replace('"Ada" },', '"Ada" }'),
        _SOUND,
    ),
    "script.sign-missing": _script(
        Severity.ERROR,
        "A name and its value stand in a table with no sign between them.",
        "Write the sign: `=` or `:`, as the language has it.",
        _SOUND.replace("price = 7", "price 7"),
        _SOUND,
    ),
    "script.wrong-sign": _script(
        Severity.ERROR,
        "Between a name and its value is the sign of another language.",
        "Write the one that the message names.",
        _SOUND.replace("price = 7", "price: 7"),
        _SOUND,
    ),
    "script.value-missing": _script(
        Severity.ERROR,
        "A table in a script has a name without a value, or two commas with nothing between them.",
        "Add the value, or remove the name or the comma.",
        _SOUND.replace("price = 7", "price ="),
        _SOUND,
    ),
    "script.decimal-comma": _script(
        Severity.WARNING,
        "A number without a name is behind the comma of another one: a decimal sign that is a comma.",
        "Write the decimal sign as a point.",
        _SOUND.replace("price = 7", "price = 7,5"),
        _SOUND,
    ),
    "script.repeated-name": _script(
        Severity.WARNING,
        "A name is in a table of a script twice; only the last one counts.",
        "Remove the one that is wrong.",
        _SOUND.replace("price = 5,", "price = 5, price = 6,"),
        _SOUND,
    ),
}
