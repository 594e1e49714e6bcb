"""
Adding and removing the values of a slot in a script: `--with {}` stands as often as there are values.

A value goes with the text around it that its slot names, and with the gap before it: blanks, or the sign with which a
command goes on in the next line. So a command stays one command, whether its values share a line or have one each.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import insert_lines
from zerrit.core.documents.node import Node
from zerrit.core.documents.slots import LINE_START, around
from zerrit.core.documents.source import Splice

#: Blanks before a value; a command may go on from the line before: `\\` in a shell, `^` in a batch file.
_GAP: Final = re.compile(r"(?:[ \t]*[\\^`](?:\r\n|\r|\n))?[ \t]*\Z")
_CONTINUATION: Final = re.compile(r"[\\^`](?:\r\n|\r|\n)")


@dataclass(frozen=True, slots=True)
class Occurrence:
    """A value with the text of its slot around it. `gap` begins before it; all offsets in characters of the text."""

    gap: int
    start: int
    end: int
    has_own_line: bool

    def source(self, document: Document, node: Node, value: str) -> str:
        """The same with another value."""
        text = document.text
        return text[self.start : node.value_start] + value + text[node.value_end : self.end]


def is_repeated(document: Document, node: Node) -> bool:
    """The node is a value of a slot that has text before its place, so that another value is written beside it."""
    slot = document.reading.slots.get(node.name)
    is_value = slot is not None and not slot.separator and not slot.has_key
    return slot is not None and is_value and not slot.pattern.startswith(LINE_START)


def occurrence(document: Document, node: Node) -> Occurrence:
    """Where a value stands with all that belongs to it."""
    text, source = document.text, document.source
    line_start, line_end = source.line_start(node.start), source.line_end(node.end)
    start, end = around(
        document.reading.slots[node.name], text, line_start, line_end, (node.value_start, node.value_end)
    )
    found = _GAP.search(text, 0 if line_start == 0 else source.line_start(line_start - 1), start)
    gap = found.start() if found is not None else start
    goes_on = _CONTINUATION.search(text, gap, start) is not None
    is_alone = not text[line_start:start].strip() and not text[end:line_end].strip()
    return Occurrence(gap, start, end, is_alone and not goes_on)


def removed(document: Document, node: Node) -> list[Splice]:
    """Take a value out."""
    place = occurrence(document, node)
    if place.has_own_line:
        return [Splice(document.source.line_start(place.start), document.source.after_line(place.end), "")]
    if place.gap < place.start and document.source.line_start(place.start) < place.start:
        return [Splice(place.gap, place.end, "")]
    rest = document.text[place.end : document.source.line_end(place.end)]
    return [Splice(place.start, place.end + len(rest) - len(rest.lstrip(" \t")), "")]


def added_behind(document: Document, node: Node, value: str) -> Splice:
    """Put another value behind one."""
    place = occurrence(document, node)
    new = place.source(document, node, value)
    if place.has_own_line:
        return insert_lines(document, node, [new], document.source.indent_at(place.start))
    return Splice(place.end, place.end, (document.text[place.gap : place.start] or " ") + new)


def added_before(document: Document, node: Node, value: str) -> Splice:
    """Put another value before one."""
    place = occurrence(document, node)
    new = place.source(document, node, value)
    if place.has_own_line:
        start = document.source.line_start(place.start)
        newline = document.source.newline_near(place.start)
        return Splice(start, start, document.source.indent_at(place.start) + new + newline)
    gap = document.text[place.gap : place.start]
    if gap:
        return Splice(place.gap, place.gap, gap + new)
    return Splice(place.start, place.start, f"{new} ")
