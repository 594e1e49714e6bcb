"""
What of a text or script is closed: the lines around what is opened or cut out of them.

A table, a setting, a slot or an option is in the place of its lines, so that what else is in these lines is below no node.
Comparisons and merges have to see it, too: code that no one looks at is where a silent wrong would be.
"""

from __future__ import annotations

import re
from typing import Final, NamedTuple

from zerrit.core.documents.document import Document
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scripts.options import is_option

_QUOTED: Final = re.compile(r"([\"'])([^\"'\r\n]+)\1")
_PLACE: Final = "\0"  # in the place of what is cut out; no text file has one


def are_lines(document: Document, parent: Node) -> bool:
    """The children of `parent` are lines and what is in their place, or the words of a slot or option: they have no keys."""
    if not document.format.traits.line_based:
        return False
    if parent.parent is None:
        return True
    if parent.parent.parent is not None:
        return False
    # The words of an option begin where its value does, the entries of a table behind its bracket.
    has_words = bool(parent.children) and parent.children[0].start == parent.value_start
    return parent.name in document.reading.slots or has_words


def is_opened_lines(document: Document, node: Node) -> bool:
    """The node is in the place of whole lines of a script, as a table and a setting are."""
    is_top = document.format.traits.script and node.parent is not None and node.parent.parent is None
    return is_top and node.name != "line" and not is_cut_out(document, node)


def is_cut_out(document: Document, node: Node) -> bool:
    """The node, or the list that it is in, is a part of a line: a slot, or an option of a command."""
    if not document.format.traits.line_based:
        return False
    while node.parent is not None and node.parent.parent is not None:
        node = node.parent
    return node.name in document.reading.slots or (document.format.traits.script and is_option(document, node))


def quoted_part(document: Document, node: Node) -> tuple[int, int] | None:
    """Where the last part of a name stands in quotation marks, as in `AddRecipe("smoked eel", {`, which is `AddRecipe.smoked eel`.

    None where the name is written as it is, or is none of a table or setting of a script.
    """
    if not is_opened_lines(document, node):
        return None
    head = document.text[node.start : max(node.start, node.value_start - 1)]
    for found in _QUOTED.finditer(head):
        if node.name.endswith(f".{found.group(2)}"):
            return node.start + found.start(2), node.start + found.end(2)
    return None


def setting_beside(document: Document) -> Node | None:
    """The last setting of a script whose name is written as it is: beside it another one can be written."""
    settings = (one for one in reversed(document.root.children) if one.is_value and is_opened_lines(document, one))
    return next((one for one in settings if one.name in document.text[one.start : one.value_start]), None)


def full_name(document: Document, node: Node, name: str) -> str:
    """The whole name of a table or setting whose last part becomes `name`; elsewhere `name`."""
    place = quoted_part(document, node)
    if place is None:
        return name
    first = node.name[: len(node.name) - (place[1] - place[0])]
    return name if name.startswith(first) else first + name


def frame_of(document: Document, node: Node) -> str:
    """What is around the value or table that is in the place of whole lines, without its layout."""
    text, source = document.text, document.source
    inner = 1 if node.is_quoted and node.is_value else 0
    head = text[source.line_start(node.start) : node.value_start - inner]
    tail = text[node.value_end + inner : source.line_end(node.end)]
    return f"{' '.join(head.split())}{_PLACE}{' '.join(tail.split())}"


class CutLine(NamedTuple):
    """A line that something is cut out of."""

    frame: str  #: what is left of it, without its layout
    text: str
    first: Node  #: the first of what is cut out of it


def cut_lines(document: Document) -> list[CutLine]:
    """The lines that slots or options are cut out of, in the order of the text."""
    if not document.format.traits.line_based:
        return []
    by_line: dict[int, list[Node]] = {}
    for node in document.root.children:
        if node.name != "line" and is_cut_out(document, node):
            by_line.setdefault(document.source.line_start(node.start), []).append(node)
    return [_cut_line(document, start, nodes) for start, nodes in by_line.items()]


def _cut_line(document: Document, start: int, nodes: list[Node]) -> CutLine:
    end = document.source.line_end(start)
    parts: list[str] = []
    at = start
    # Of an entry that is a line, its key and its value are cut out.
    pieces = [part for node in nodes for part in (node.children if node.kind is NodeKind.GROUP else (node,))]
    for node in sorted(pieces, key=lambda one: one.start):
        parts.append(document.text[at : node.start])
        if not is_option(document, node):
            parts.append(_PLACE)
        at = max(at, node.end)
    parts.append(document.text[at:end])
    return CutLine(" ".join("".join(parts).split()), document.text[start:end], nodes[0])
