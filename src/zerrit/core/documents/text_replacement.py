"""
Stretches of text replaced by others: the edits that no edit by meaning can express.

A stretch is known again by its own letters, so it must be in the text exactly once. Whoever makes a replacement takes
as many lines around the edit into it as that needs.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.value_edits import Edit, ValueChange
from zerrit.core.errors import EditRefused
from zerrit.core.wording import counted

#: The old stretch and the new one, both with the line endings of their file.
Replacement = tuple[str, str]

_LINE_END: Final = re.compile(r"\r\n|\r|\n")


def replace_text(document: Document, replacements: Sequence[Replacement]) -> Edit:
    """Make the replacements one after the other. Unlike other edits they may break the file: they are what was typed.

    A replacement whose new stretch is in the text already, and whose old one is not, changes nothing.

    Raises EditRefused: an old stretch is not in the text, or is in it more than once.
    """
    text = document.text
    changes: list[ValueChange] = []
    for pair in replacements:
        old, new = (_with_endings_of(document, one) for one in pair)
        at = _only_place(document.path, text, old, new)
        if at is None:
            continue
        line = text.count("\n", 0, at) + 1
        text = text[:at] + new + text[at + len(old) :]
        changes.append(ValueChange("", f"line {line}: {_lines_of(old)}", _lines_of(new)))
    return Edit(document.with_text(text) if changes else document, tuple(changes))


def _with_endings_of(document: Document, text: str) -> str:
    """The same file may have other line endings on another server."""
    if text in document.text or "\n" not in text:
        return text
    return _LINE_END.sub(lambda _: document.source.newline, text)


def _only_place(path: str, text: str, old: str, new: str) -> int | None:
    """Where the old stretch is; None where the new one is in its place already."""
    if not old:
        if text:
            raise EditRefused(f"{path} was empty when this text was typed, and is not empty now.")
        return 0
    count = text.count(old)
    if count == 1 and old != new:
        return text.index(old)
    if count == 0 and new and text.count(new) == 1:
        return None
    first = next((line.strip() for line in old.splitlines() if line.strip()), "")
    where = "is not in the file any more" if count == 0 else f"is in the file {count} times"
    raise EditRefused(f"{path}: the text that this step replaces {where}. It begins with `{first[:80]}`.")


def _lines_of(text: str) -> str:
    return counted(len(text.splitlines()), "line")
