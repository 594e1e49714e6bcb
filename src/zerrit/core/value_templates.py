"""
Values that are worked out for each place of a step: `:{old * 2}`, `:icon_{key}.png`, `:{round(want * 1.5)}`.

A text that begins with a colon and has braces is a template. In the braces is an expression over the fields of the entry, as in
the conditions of a gamebook; `old` is the value that is there, `key` what the entry is called by its key or its name. A value
that begins with a colon and has braces to the letter is written with two colons.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, DecimalException
from typing import Final

from zerrit.core.documents import Document, Node
from zerrit.core.errors import EditRefused
from zerrit.core.expressions import Expression, ExpressionInvalid, NotApplicable, parse_expression

_PART: Final = re.compile(r"\{([^{}]*)\}")
_ATTRIBUTE: Final = re.compile(r"@(?=[A-Za-z_])")


@dataclass(frozen=True, slots=True)
class Template:
    """A text with expressions in it; each piece is a text, or an expression with the text that it is written with."""

    text: str
    pieces: tuple[str | Expression, ...]

    def filled(self, fields: Mapping[str, Sequence[str]]) -> str:
        """The text for an entry.

        Raises EditRefused: an expression has no value there.
        """
        return "".join(piece if isinstance(piece, str) else self._worked_out(piece, fields) for piece in self.pieces)

    def _worked_out(self, expression: Expression, fields: Mapping[str, Sequence[str]]) -> str:
        try:
            result = expression.work_out(fields)
        except (NotApplicable, ExpressionInvalid) as error:
            missing = [name for name in sorted(expression.names) if not fields.get(name)]
            why = f"it has no {', '.join(missing)}" if missing else str(error) or "a field has no single value"
            raise EditRefused(f"`{{{expression}}}` has no value here: {why}.") from error
        except (DecimalException, ZeroDivisionError) as error:
            raise EditRefused(f"`{{{expression}}}` divides by zero here, or leaves the range of numbers.") from error
        except TypeError as error:
            raise EditRefused(f"`{{{expression}}}` reckons with a word here.") from error
        if isinstance(result, bool):
            return "true" if result else "false"
        return format(result.normalize(), "f") if isinstance(result, Decimal) else str(result)


def template_of(text: str) -> Template | None:
    """The template that a text is; None for any other text.

    Raises EditRefused: an expression in it is none.
    """
    if not text.startswith(":") or text.startswith("::") or "{" not in text:
        return None
    pieces: list[str | Expression] = []
    at = 1
    for part in _PART.finditer(text):
        pieces.append(text[at : part.start()])
        try:
            pieces.append(parse_expression(_ATTRIBUTE.sub("", part.group(1))))
        except ExpressionInvalid as error:
            raise EditRefused(f"{text}: {error}.") from error
        at = part.end()
    pieces.append(text[at:])
    return Template(text, tuple(pieces))


def plain(text: str) -> str:
    """A text that is no template, without the second colon that says so."""
    return text[1:] if text.startswith("::") and "{" in text else text


def fields_of_entry(document: Document, entry: Node | None, old: str = "") -> dict[str, list[str]]:
    """The values of an entry by the names of its fields, with `old` and `key`."""
    fields: dict[str, list[str]] = {}
    for child in entry.children if entry is not None else ():
        if child.value is not None and child.name:
            fields.setdefault(child.name.removeprefix("@"), []).append(child.value)
    if entry is not None and entry.parent is not None:
        fields["key"] = [document.keys.key_of(entry) or entry.name]
    fields["old"] = [old]
    return fields
