"""Write into other text files: whole lines."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from zerrit.core.documents.document import Document
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Splice
from zerrit.core.documents.writing import insert_lines, whole_lines
from zerrit.core.errors import EditRefused


class TextWriter:
    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        if node.parent is None:
            raise EditRefused("Address a line of the file, such as line[#3].")
        if "\n" in value or "\r" in value:
            raise EditRefused("The value is to replace one line, but holds a line break.")
        return [Splice(node.value_start, node.value_end, value)]

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        raise EditRefused("A plain text file has lines and no entries; add a line with a value instead.")

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        return value

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        after = after or (parent.children[-1] if parent.children else None)
        if after is None:
            return [Splice(0, len(document.text), "".join(source + "\n" for source in sources))]
        return [insert_lines(document, after, sources, "")]

    def remove(self, document: Document, node: Node) -> list[Splice]:
        lines = whole_lines(document, node)
        return [lines] if lines else [Splice(node.start, node.end, "")]
