"""The codes of findings in braced key-values."""

from __future__ import annotations

from functools import partial
from typing import Final

from zerrit.core.documents.code import Code, Severity

_braces = partial(
    Code,
    path="example.cfg",
    gamebook="gamebook: 1\ngame: example\nfiles:\n  example.cfg: {read_as: braces}\n",
)
_SOUND: Final = '"crew"\n{\n  "seats" "24"\n}\n"port" "7777"\n'

BRACES: Final[dict[str, Code]] = {
    "braces.brace-not-closed": _braces(
        Severity.ERROR,
        "A group is opened and never closed.",
        "The message says where its brace seems to be missing; add it there.",
        '"crew"\n{\n  "seats" "24"\n"port" "7777"\n',
        _SOUND,
    ),
    "braces.brace-extra": _braces(
        Severity.ERROR,
        "A closing brace closes nothing.",
        "Remove it, or add the opening one that it belongs to.",
        '"crew"\n{\n  "seats" "24"\n}\n}\n"port" "7777"\n',
        _SOUND,
    ),
    "braces.no-value": _braces(
        Severity.ERROR,
        "A key has neither a value nor a group behind it.",
        "Add the value, or remove the key.",
        '"crew"\n{\n  "seats"\n}\n"port" "7777"\n',
        _SOUND,
    ),
    "braces.no-name": _braces(
        Severity.ERROR,
        "A group has no name before its brace.",
        "Write the name.",
        '{\n  "seats" "24"\n}\n"port" "7777"\n',
        _SOUND,
    ),
    "braces.two-on-line": _braces(
        Severity.WARNING,
        "A second key is on a line on which no group is.",
        "Mostly it is the rest of a text without its quotation marks. Put them around all of it.",
        '"crew"\n{\n  "title" upper deck hands\n}\n"port" "7777"\n',
        '"crew"\n{\n  "title" "upper deck hands"\n}\n"port" "7777"\n',
    ),
    "braces.wrong-bracket": _braces(
        Severity.ERROR,
        "A parenthesis is where a brace belongs.",
        "Groups are between { and }.",
        '"crew"\n(\n  "seats" "24"\n}\n"port" "7777"\n',
        _SOUND,
    ),
    "braces.comment-not-closed": _braces(
        Severity.ERROR,
        "A comment over several lines is never closed.",
        "Everything to the end of the file belongs to it. Add `*/` where it ends.",
        '/* crew\n"crew" "24"\n',
        '/* crew */\n"crew" "24"\n',
    ),
    "braces.quote-not-closed": _braces(
        Severity.ERROR,
        "The closing quotation mark of a key or value is missing.",
        "Add it.",
        '"crew"\n{\n  "seats" "24\n}\n"port" "7777"\n',
        _SOUND,
    ),
}
