"""Adding and removing the options of a command, with the gap before each of them."""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Splice

_GAP: Final = re.compile(r"(?:[ \t]*[\\^`](?:\r\n|\r|\n))?[ \t]*\Z")


def is_option(document: Document, node: Node) -> bool:
    """The node is an option of a command, as `--load=a;b` is one."""
    is_top = node.parent is not None and node.parent.parent is None
    if not is_top or node.name == "line" or node.name in document.reading.slots:
        return False
    return document.text[node.start : node.start + 2].lstrip("\"'")[:1] in ("-", "+")


def _gap(document: Document, node: Node) -> int:
    """Where the blanks before an option begin; the sign with which a command goes on in the next line is one of them."""
    line_start = document.source.line_start(node.start)
    before = document.source.line_start(line_start - 1) if line_start > 0 else 0
    found = _GAP.search(document.text, before, node.start)
    return found.start() if found is not None else node.start


def option_behind(document: Document, node: Node, source: str) -> Splice:
    """Put another option behind one, with the same gap."""
    gap = document.text[_gap(document, node) : node.start] or " "
    return Splice(node.end, node.end, gap + source)


def option_before(document: Document, node: Node, source: str) -> Splice:
    """Put another option before one, with the same gap."""
    gap = document.text[_gap(document, node) : node.start] or " "
    return Splice(node.start, node.start, source + gap)


def option_removed(document: Document, node: Node) -> list[Splice]:
    """Take an option out with the gap before it."""
    return [Splice(_gap(document, node), node.end, "")]
