"""
Writing entries between brackets where a separator may end the last one, too, and comments may be behind it.

That is so in the tables of scripts and in TOML; where no comment can be and none ends the last, it is simpler
(`insert_between_commas` in `format_writer.py`).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import indent_unit, indented, is_first_on_line, whole_lines
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Splice
from zerrit.core.errors import EditRefused

_SEPARATOR: Final = re.compile(r"[ \t]*([,;])")


def separator_behind(document: Document, node: Node) -> re.Match[str] | None:
    """The separator behind an entry; its group 1 is the sign."""
    return _SEPARATOR.match(document.text, node.end)


def insert_entries(document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
    """Put entries behind one, or at the end; separators as the table has them."""
    after = after or (parent.children[-1] if parent.children else None)
    newline = document.source.newline_near(parent.value_start)
    if after is None:
        return [_first_entries(document, parent, sources, newline)]
    behind = separator_behind(document, after)
    sign = behind.group(1) if behind is not None else _usual_sign(document, parent)
    is_last = parent.children[-1] is after
    last_sign = sign if behind is not None or not is_last else ""
    first = [] if behind is not None else [Splice(after.end, after.end, sign)]
    at = behind.end() if behind is not None else after.end
    if is_first_on_line(document, after.lead_start) and document.source.line_end(at) < parent.value_end:
        indent = document.source.indent_at(after.start)
        rest = document.text[at : document.source.line_end(at)].strip()
        if not rest or rest.startswith(("--", "//", "#")):
            at = document.source.line_end(at)
        text = "".join(
            newline + indent + indented(source, indent, newline) + (sign if number < len(sources) else last_sign)
            for number, source in enumerate(sources, 1)
        )
        return [*first, Splice(at, at, text)]
    text = "".join(
        f" {source}" + (sign if number < len(sources) else last_sign) for number, source in enumerate(sources, 1)
    )
    return [*first, Splice(at, at, text)] if behind is not None else [Splice(at, at, sign + text)]


def _usual_sign(document: Document, parent: Node) -> str:
    found = next((match for child in parent.children if (match := separator_behind(document, child)) is not None), None)
    return found.group(1) if found is not None else ","


def _first_entries(document: Document, parent: Node, sources: Sequence[str], newline: str) -> Splice:
    start, end = parent.value_start + 1, parent.value_end - 1
    inside = document.text[start:end]
    if "\n" not in inside:
        gap = " " if document.text[parent.value_start] == "{" else ""
        if inside.strip():
            raise EditRefused(f"`{parent.name}` holds a comment only; write the entry into its line by hand.")
        if not any("\n" in source for source in sources):
            return Splice(start, end, gap + ", ".join(sources) + gap)
    outer = document.source.indent_at(parent.value_start)
    indent = outer + indent_unit(document)
    lines = "".join(newline + indent + indented(source, indent, newline) + "," for source in sources)
    kept = inside.rstrip()
    return Splice(start + len(kept), end, lines + newline + outer)


def remove_entry(document: Document, node: Node, parent: Node) -> list[Splice]:
    """Take an entry out with its separator; where it was the last without one, that of the entry before it goes too."""
    siblings = parent.children
    index = next(i for i, sibling in enumerate(siblings) if sibling is node)
    behind = separator_behind(document, node)
    before = separator_behind(document, siblings[index - 1]) if index > 0 and behind is None else None
    is_last = index + 1 == len(siblings)
    extra = [Splice(before.start(), before.end(), "")] if before is not None and is_last else []
    lines = whole_lines(document, node)
    if lines is not None:
        return [*extra, lines]
    if is_last and index > 0 and before is not None:
        return [Splice(before.start(), node.end, "")]
    if (
        not is_last
        and siblings[index + 1].lead_start > node.end
        and document.source.line_at(siblings[index + 1].lead_start) == document.source.line_at(node.end)
    ):
        return [Splice(node.lead_start, siblings[index + 1].lead_start, "")]
    end = behind.end() if behind is not None else node.end
    start = node.lead_start
    if index > 0 and document.text[start - 1] in " \t":
        start -= 1
    return [*extra, Splice(start, end, "")]
