"""The codes of findings in properties and env files."""

from __future__ import annotations

from functools import partial
from typing import Final

from zerrit.core.documents.code import Code, Severity

_properties = partial(Code, path="example.properties")
_env = partial(Code, path="example.env")

PROPERTIES: Final[dict[str, Code]] = {
    "properties.repeated-key": _properties(
        Severity.WARNING,
        "A name is there twice; the last one counts.",
        "Remove the one that is wrong.",
        "seats=24\nseats=30\n",
        "seats=30\n",
    ),
    "properties.space-in-name": _properties(
        Severity.WARNING,
        "A name holds a space, which ends it: the rest is taken for the value.",
        "Write the name in one word.",
        "most seats=24\n",
        "most-seats=24\n",
    ),
    "properties.no-value": _properties(
        Severity.WARNING,
        "A name has no `=` and no value.",
        "The game takes it for empty. Add `=` and the value.",
        "seats\n",
        "seats=24\n",
    ),
    "properties.odd-name": _properties(
        Severity.WARNING,
        "A line was pasted along from a web page.",
        "Take it out.",
        "```\nseats=24\n",
        "seats=24\n",
    ),
    "properties.equals-twice": _properties(
        Severity.WARNING, "Two equals signs are in a row.", "Remove one.", "seats==24\n", "seats=24\n"
    ),
    "properties.space-around": _env(
        Severity.WARNING,
        "Spaces are around the `=` of an env file.",
        "A shell takes the name for a command then. Remove them.",
        "SEATS = 24\n",
        "SEATS=24\n",
    ),
    "properties.unquoted": _env(
        Severity.WARNING,
        "A value of several words has no quotation marks in an env file.",
        "A shell takes the first word only. Put marks around it.",
        "TITLE=Low Quay\n",
        'TITLE="Low Quay"\n',
    ),
    "properties.not-continued": _properties(
        Severity.WARNING,
        "An indented line has no `=`.",
        "Mostly the backslash at the end of the line above is missing.",
        "motd=Mind the sparks,\n    and the cat\n",
        "motd=Mind the sparks, \\\n    and the cat\n",
    ),
    "properties.no-name": _properties(
        Severity.ERROR, "A value has no name before it.", "Write the name.", "=24\n", "seats=24\n"
    ),
    "properties.not-a-setting": _env(
        Severity.ERROR,
        "A line of an env file is neither NAME=value nor a comment.",
        "It is skipped, or stops what reads the file. Write it as NAME=value.",
        "SEATS 24\n",
        "SEATS=24\n",
    ),
    "properties.quote-not-closed": _env(
        Severity.ERROR,
        "The closing quotation mark of a value is missing.",
        "Add it.",
        'MOTD="Ahoy\nSEATS=24\n',
        'MOTD="Ahoy"\nSEATS=24\n',
    ),
}
