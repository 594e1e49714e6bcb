"""Writing into groups in braces whose entries stand one below the other, without commas between them."""

from __future__ import annotations

from collections.abc import Sequence

from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import indent_unit, indented, insert_lines, is_first_on_line, whole_lines
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Splice


def insert_into_group(document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
    """Put new entries behind an entry, or at the end of a group, which is spread over lines where it is not yet."""
    entries = [child for child in parent.children if not child.name.startswith("@")]
    after = after if after is not None and not after.name.startswith("@") else (entries[-1] if entries else None)
    if after is not None and is_first_on_line(document, after.start):
        return [insert_lines(document, after, sources, document.source.indent_at(after.start))]
    if after is not None:
        return [Splice(after.end, after.end, "".join(f" {source}" for source in sources))]
    if parent.parent is None:
        end = len(document.text)
        newline = document.source.newline_near(end)
        lead = "" if not document.text or document.text.endswith(("\n", "\r")) else newline
        return [Splice(end, end, lead + "".join(indented(source, "", newline) + newline for source in sources))]
    outer = document.source.indent_at(parent.start)
    indent = outer + indent_unit(document)
    newline = document.source.newline_near(parent.start)
    inside = document.text[parent.value_start : parent.value_end]
    lines = "".join(newline + indent + indented(source, indent, newline) for source in sources)
    if inside.strip():  # comments
        at = parent.value_start + len(inside.rstrip())
        return [Splice(at, at, lines)]
    return [Splice(parent.value_start, parent.value_end, f"{lines}{newline}{outer}")]


def remove_statement(document: Document, node: Node) -> list[Splice]:
    """Take an entry out together with the comments that document it, or with the gap before it on its line."""
    lines = whole_lines(document, node)
    if lines is not None:
        return [lines]
    start = node.lead_start
    while start > 0 and document.text[start - 1] in " \t":
        start -= 1
    return [Splice(start, node.end, "")]
