"""Writing into files that have one entry on each line."""

from __future__ import annotations

from collections.abc import Sequence

from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import insert_lines, whole_lines
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Splice
from zerrit.core.errors import EditRefused


def require_one_line(value: str, what: str) -> None:
    """Raises EditRefused: the value holds a line break, which no line of such a file can."""
    if "\n" in value or "\r" in value:
        raise EditRefused(f"{what} is one line; the value holds a line break.")


def insert_whole_lines(document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
    """Put lines behind a line, or at the end of the file."""
    if parent.is_value:
        raise EditRefused(f"`{parent.name}` is a single value; nothing can be added to it.")
    after = after or (parent.children[-1] if parent.children else None)
    if after is not None:
        return [insert_lines(document, after, sources, document.source.indent_at(after.start))]
    end = len(document.text)
    newline = document.source.newline_near(end)
    lead = "" if not document.text or document.text.endswith(("\n", "\r")) else newline
    return [Splice(end, end, lead + "".join(source + newline for source in sources))]


def remove_line(document: Document, node: Node) -> list[Splice]:
    """Take a line out together with the comments that document it."""
    lines = whole_lines(document, node)
    return [lines] if lines else [Splice(node.lead_start, node.end, "")]
