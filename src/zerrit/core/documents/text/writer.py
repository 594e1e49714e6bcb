"""Write into other text files: whole lines."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from zerrit.core.documents.document import Document
from zerrit.core.documents.node import Node, NodeKind
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
        separator = document.reading.slots[parent.name].split if _is_slot(parent) else ""
        if separator and (separator in value or "\n" in value or "\r" in value):
            raise EditRefused(f"`{value}` holds `{separator}`, which parts the entries of {parent.name}.")
        return value

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        if parent.kind is NodeKind.LIST:
            return _insert_items(document, parent, sources, after)
        after = after or (parent.children[-1] if parent.children else None)
        if after is None:
            return [Splice(0, len(document.text), "".join(source + "\n" for source in sources))]
        return [insert_lines(document, after, sources, "")]

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        raise EditRefused("The lines of a text file have no names. Set the line instead.")

    def remove(self, document: Document, node: Node) -> list[Splice]:
        if node.parent is not None and _is_slot(node.parent):
            return _remove_item(node, node.parent)
        if _is_slot(node):
            raise EditRefused(f"`{node.name}` is cut out of a line of the script. Set its value, or remove the line.")
        lines = whole_lines(document, node)
        return [lines] if lines else [Splice(node.start, node.end, "")]


def _is_slot(node: Node) -> bool:
    return node.parent is not None and node.parent.parent is None and node.name != "line"


def _insert_items(document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
    separator = document.reading.slots[parent.name].split
    last = after or (parent.children[-1] if parent.children else None)
    if last is None:
        return [Splice(parent.start, parent.end, separator.join(sources))]
    return [Splice(last.end, last.end, "".join(separator + source for source in sources))]


def _remove_item(node: Node, parent: Node) -> list[Splice]:
    """Take the item out together with one of the separators beside it."""
    siblings = parent.children
    index = next(i for i, sibling in enumerate(siblings) if sibling is node)
    if index + 1 < len(siblings):
        return [Splice(node.start, siblings[index + 1].start, "")]
    if index > 0:
        return [Splice(siblings[index - 1].end, node.end, "")]
    return [Splice(node.start, node.end, "")]
