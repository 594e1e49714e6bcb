"""
Read any other text file: a list of lines.

Start scripts and plain lists have no common grammar; what they share is lines, so a line is what can be
addressed (`line[#3]`), compared and changed.
"""

from __future__ import annotations

from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Source


def read(source: Source, report: Report) -> Node:
    """Read the text; the root's children are its lines, named `line`, blank ones included."""
    text = source.text
    root = Node(NodeKind.GROUP, "", 0, len(text), value_start=0, value_end=len(text))
    starts = source.line_starts
    for index, start in enumerate(starts):
        end = starts[index + 1] if index + 1 < len(starts) else len(text)
        body = text[start:end].rstrip("\r\n")
        if index + 1 == len(starts) and not body:
            break  # what follows the last line ending is no line
        stop = start + len(body)
        root.adopt(Node(NodeKind.VALUE, "line", start, stop, value=body, value_start=start, value_end=stop))
    return root
