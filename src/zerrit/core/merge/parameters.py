"""Snippets with parameters: `{price}` in the text becomes a value."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Final

from zerrit.core.errors import SnippetRefused
from zerrit.core.nearest import did_you_mean

NAME: Final = re.compile(r"[a-z][a-z0-9_]{0,39}\Z")
MAX_VALUE: Final = 500
_RISKY: Final = re.compile(r"[\x00-\x1f<>\"'{}\[\]&;\\]")


def require_parameters(text: str, parameters: Mapping[str, str]) -> None:
    """See that parameters have plain names and are in the text.

    Raises SnippetRefused.
    """
    for name in parameters:
        if not NAME.match(name):
            raise SnippetRefused(
                f"`{name}` is not a name of a parameter; write small letters, digits and _, such as price."
            )
        if f"{{{name}}}" not in text:
            raise SnippetRefused(f"The snippet has no {{{name}}}, so the parameter {name} would do nothing.")


def filled(text: str, parameters: Mapping[str, str], values: Mapping[str, str]) -> str:
    """The snippet with values in the place of its parameters; where none is given, with their usual ones.

    All other braces stay as they are. A value is a plain word or number: one with quotes, brackets or the like could change
    what the text around it means.

    Raises SnippetRefused: a value is missing, not a plain one, or of no parameter.
    """
    unknown = next((name for name in values if name not in parameters), None)
    if unknown is not None:
        hint = did_you_mean(unknown, tuple(parameters)) or f"It has: {', '.join(parameters) or 'none'}."
        raise SnippetRefused(f"The snippet has no parameter {unknown}. {hint}")
    given = {name: values.get(name, usual) for name, usual in parameters.items()}
    missing = [name for name, value in given.items() if not value]
    if missing:
        raise SnippetRefused(f"A value is missing for {', '.join(missing)}.")
    for name, value in given.items():
        if len(value) > MAX_VALUE or _RISKY.search(value):
            raise SnippetRefused(
                f"`{value[:40]}` for {name} is not a plain word or number; quotes and brackets belong in the text."
            )
    if not given:
        return text
    pattern = re.compile(r"\{(" + "|".join(map(re.escape, given)) + r")\}")
    return pattern.sub(lambda match: given[match.group(1)], text)
