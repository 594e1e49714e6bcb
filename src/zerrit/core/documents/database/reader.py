"""
Read the rows of a database: each is an entry under the name of its table, its columns are its fields.

The text was made from the file (`rows.py`), so it is sound unless someone edited it as a text. What is in a row is read when
it is asked for.
"""

from __future__ import annotations

import json
from collections.abc import Sequence

from zerrit.core.documents.database.rows import FIELD, ROW_LINE, RowsSource, name_of
from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.source import Source


def read(source: Source, report: Report, reading: Reading) -> Node:
    """Read the rows; the root's children are those of all tables."""
    text = source.text
    root = Node(NodeKind.GROUP, "", 0, len(text), value_start=0, value_end=len(text))
    if isinstance(source, RowsSource) and source.tables is None:
        report.add(
            "database.damaged", 0, "This database cannot be read; it is damaged, or another program wrote it badly."
        )
        return root
    inside = _Fields(text)
    at = 0
    while at < len(text):
        end = text.find("\n", at)
        end = end if end >= 0 else len(text)
        row = ROW_LINE.match(text, at, end)
        if row is not None:
            node = Node(
                NodeKind.GROUP, name_of(row.group("table")), at, end, None, row.end(), end, parent=root, inside=inside
            )
            root.adopt(node)
        elif text[at:end].strip() and text[at] != "#":
            report.add(
                "database.no-row", at, f"`{text[at:end][:40]}` is no row of a table.", hint="Undo what made it so."
            )
        at = end + 1
    return root


class _Fields:
    """Reads the fields of a row on demand."""

    def __init__(self, text: str) -> None:
        self._text = text

    def children_of(self, node: Node) -> list[Node]:
        found: list[Node] = []
        at = node.value_start
        while at < node.value_end:
            field = FIELD.match(self._text, at)
            if field is None:
                break
            raw = field.group("value")
            start, end = field.span("value")
            is_text = raw.startswith('"')
            inner = 1 if is_text else 0
            found.append(
                Node(
                    NodeKind.VALUE,
                    name_of(field.group("name")),
                    field.start(),
                    end,
                    _meaning(raw),
                    start + inner,
                    end - inner,
                    is_text,
                    node,
                )
            )
            at = field.end()
        return found

    def field_of(self, node: Node, name: str) -> str | None:
        at = node.value_start
        while at < node.value_end:
            field = FIELD.match(self._text, at)
            if field is None:
                return None
            if name_of(field.group("name")) == name:
                return _meaning(field.group("value"))
            at = field.end()
        return None

    def fields_of(self, nodes: Sequence[Node], name: str) -> list[str | None]:
        return [self.field_of(node, name) for node in nodes]


def _meaning(raw: str) -> str:
    return str(json.loads(raw)) if raw.startswith('"') else raw
