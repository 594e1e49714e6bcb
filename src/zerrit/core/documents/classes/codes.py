"""The codes of findings in class configs."""

from __future__ import annotations

from functools import partial
from typing import Final

from zerrit.core.documents.code import Code, Severity

_classes = partial(
    Code,
    path="example.cfg",
    gamebook="gamebook: 1\ngame: example\nfiles:\n  example.cfg: {read_as: classes}\n",
)
_SOUND: Final = 'class Crew\n{\n  seats = 24;\n  decks[] = {"upper", "lower"};\n};\n'

CLASSES: Final[dict[str, Code]] = {
    "classes.semicolon-missing": _classes(
        Severity.ERROR,
        "A value or a class ends without a semicolon.",
        "The game stops reading there, or takes what follows for a part of it. Add it.",
        'class Crew\n{\n  seats = 24\n  decks[] = {"upper", "lower"};\n};\n',
        _SOUND,
    ),
    "classes.brace-not-closed": _classes(
        Severity.ERROR,
        "A class or a list is opened and never closed.",
        "The message says where its brace seems to be missing; add it there.",
        'class Crew\n{\n  seats = 24;\n  decks[] = {"upper", "lower";\n};\n',
        _SOUND,
    ),
    "classes.brace-extra": _classes(
        Severity.ERROR,
        "A closing brace closes nothing.",
        "Remove it, or add the opening one that it belongs to.",
        f"{_SOUND}}};\n",
        _SOUND,
    ),
    "classes.brace-missing": _classes(
        Severity.ERROR,
        "A class has neither an opening brace nor a semicolon behind its name.",
        "Add the brace.",
        "class Crew\n  seats = 24;\n};\n",
        "class Crew {\n  seats = 24;\n};\n",
    ),
    "classes.comma-missing": _classes(
        Severity.ERROR,
        "Two values of a list have no comma between them.",
        "Add it.",
        'decks[] = {"upper" "lower"};\n',
        'decks[] = {"upper", "lower"};\n',
    ),
    "classes.comma-extra": _classes(
        Severity.WARNING,
        "A comma in a list has no value before it.",
        "Some games stop there. Remove it.",
        'decks[] = {"upper",, "lower"};\n',
        'decks[] = {"upper", "lower"};\n',
    ),
    "classes.quote-in-text": _classes(
        Severity.ERROR,
        "A quotation mark is inside a text, which ends there for the game.",
        'Write `""` for it.',
        'title = "The "old" Quay";\nseats = 24;\n',
        'title = "The ""old"" Quay";\nseats = 24;\n',
    ),
    "classes.brackets-missing": _classes(
        Severity.WARNING,
        "A list has no `[]` behind its name.",
        "Many games do not take it for a list then. Add it.",
        'decks = {"upper"};\n',
        'decks[] = {"upper"};\n',
    ),
    "classes.comment-not-closed": _classes(
        Severity.ERROR,
        "A comment over several lines is never closed.",
        "Everything to the end of the file belongs to it. Add `*/` where it ends.",
        "seats = 24; /* crew\n",
        "seats = 24; /* crew */\n",
    ),
    "classes.quote-not-closed": _classes(
        Severity.ERROR,
        "The closing quotation mark of a value is missing.",
        "Add it.",
        'title = "The Quay;\nseats = 24;\n',
        'title = "The Quay";\nseats = 24;\n',
    ),
    "classes.not-a-list": _classes(
        Severity.ERROR,
        "A name with `[]` is a list, but its value is not in braces.",
        "Write the values in braces, or take the `[]` away.",
        'decks[] = "upper";\n',
        'decks[] = {"upper"};\n',
    ),
    "classes.no-value": _classes(
        Severity.ERROR, "A name has no value behind its `=`.", "Write it.", "seats = ;\n", "seats = 24;\n"
    ),
    "classes.repeated-name": _classes(
        Severity.WARNING,
        "A class has the same name twice.",
        "Games keep one of the two, or stop. Remove the one that is wrong.",
        "seats = 24;\nseats = 30;\n",
        "seats = 30;\n",
    ),
    "classes.not-a-statement": _classes(
        Severity.ERROR,
        "A statement is neither a class, a value nor a list.",
        "Mostly a `=` or a name is missing.",
        "seats 24;\n",
        "seats = 24;\n",
    ),
}
