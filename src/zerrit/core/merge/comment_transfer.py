"""Bring the comment that documents an entry from one document into another."""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.format import Format
from zerrit.core.documents.format_writer import indented
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Splice

#: A comment behind a value on the same line: what parts them, and the comment.
_BESIDE: Final = {
    Format.XML: re.compile(r"([ \t]*)(<!--(?:(?!-->).)*-->)?[ \t]*\Z"),
    Format.YAML: re.compile(r"([ \t,]*)((?<=[ \t])#.*)?\Z"),
    Format.JSON: re.compile(r"([ \t,]*)(//.*|/\*(?:(?!\*/).)*\*/)?[ \t]*\Z"),
    Format.INI: re.compile(r"([ \t]*)((?:;|\#|//).*)?\Z"),
}


def comment_splice(mine: Document, m: Node, theirs: Document, t: Node) -> Splice | None:
    """What gives `m` the comment of `t`; None where that cannot be done by one clean edit."""
    lead = _lead(theirs, t)
    if lead or _lead(mine, m):
        return _above(mine, m, lead)
    return _beside(mine, m, theirs, t)


def _lead(document: Document, node: Node) -> str:
    """The comments above a node without their margin; empty where there are none."""
    text = document.text[node.lead_start : node.start]
    body = text[: text.rfind("\n") + 1] if "\n" in text else text
    margin = document.source.indent_at(node.lead_start)
    return re.sub(rf"(\r\n|\r|\n){re.escape(margin)}", r"\1", body).rstrip()


def _above(document: Document, node: Node, lead: str) -> Splice | None:
    source, text = document.source, document.text
    start = source.line_start(node.start)
    if text[start : node.start].strip(" \t-"):
        return None  # something else is before it on the line
    indent, newline = source.indent_at(node.start), source.newline_near(node.start)
    lines = f"{indent}{indented(lead, indent, newline)}{newline}" if lead else ""
    if node.lead_start < start and not text[source.line_start(node.lead_start) : node.lead_start].strip():
        return Splice(source.line_start(node.lead_start), start, lines)
    return Splice(start, start, lines) if node.lead_start == node.start else None


def _beside(mine: Document, m: Node, theirs: Document, t: Node) -> Splice | None:
    if "\n" in mine.text[m.start : m.end] or "\n" in theirs.text[t.start : t.end]:
        return None  # it is beside the first line of several, which no rule says where that ends
    pattern = _BESIDE.get(mine.format)
    own, other = (
        pattern.match(document.text, node.end, document.source.line_end(node.end)) if pattern else None
        for document, node in ((mine, m), (theirs, t))
    )
    if own is None or other is None or not (own.group(2) or other.group(2)):
        return None
    if own.group(2) and other.group(2):
        return Splice(own.start(2), own.end(2), other.group(2))
    if other.group(2):
        gap = other.group(1).lstrip(",") or " "
        return Splice(m.end + len(own.group(1).rstrip(" \t")), own.end(), gap + other.group(2))
    return Splice(m.end + len(own.group(1).rstrip(" \t")), own.end(), "")
