"""Write into other text files: whole lines."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import insert_lines, whole_lines
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import as_switch
from zerrit.core.documents.slots import KEY, LINE_START, PLACE, Slot
from zerrit.core.documents.source import Splice
from zerrit.core.documents.text.slot_edits import added_behind, is_repeated, removed
from zerrit.core.errors import EditRefused

_SWITCH: Final = re.compile(r"[ \t]*[=:][ \t]*([\w.]+)")


class TextWriter:
    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        if node.parent is None:
            raise EditRefused("Address a line of the file, such as line[#3].")
        if "\n" in value or "\r" in value:
            raise EditRefused("The value is to replace one line, but holds a line break.")
        if node.name != "line":
            switch = _switch_behind(document, node, value)
            if switch is not None:
                return [switch]
            _require_fits(document, node, value)
        return [Splice(node.value_start, node.value_end, value)]

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        slot = document.reading.slots.get(name)
        if slot is not None and slot.has_key and set(fields) == {"key", "value"}:
            return _line_with_key(document, slot, fields, like)
        raise EditRefused("A plain text file has lines and no entries; add a line with a value instead.")

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        slot = _slot_of(document, parent)
        separator = slot.separator if slot is not None and _is_slot(parent) else ""
        if separator and (separator in value or "\n" in value or "\r" in value):
            raise EditRefused(f"`{value}` holds `{separator}`, which parts the entries of {parent.name}.")
        like = _last_of(document, parent, name)
        if like is not None:
            self.set_value(document, like, value)  # refuses what does not fit into the slot
        return value

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        if after is not None and _slot_of(document, after) is not None and after.kind is NodeKind.GROUP:
            return [insert_lines(document, after, sources, document.source.indent_at(after.start))]
        if parent.kind is NodeKind.LIST:
            slot = _slot_of(document, parent)
            return insert_words(parent, sources, after, slot.separator if slot is not None else "")
        if after is not None and is_repeated(document, after):
            return [added_behind(document, after, source) for source in sources]
        after = after or (parent.children[-1] if parent.children else None)
        if after is None:
            return [Splice(0, len(document.text), "".join(source + "\n" for source in sources))]
        return [insert_lines(document, after, sources, "")]

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        raise EditRefused("The lines of a text file have no names. Set the line instead.")

    def remove(self, document: Document, node: Node) -> list[Splice]:
        if node.parent is not None and node.parent.kind is NodeKind.GROUP and node.parent.parent is not None:
            raise EditRefused(
                f"`{node.name}` is a part of the line of {node.parent.name}. Set it, or remove the entry."
            )
        if node.parent is not None and _is_slot(node.parent):
            return remove_word(node, node.parent)
        if is_repeated(document, node):
            return removed(document, node)
        slot = document.reading.slots.get(node.name)
        if slot is not None and slot.pattern != "^{}" and not slot.has_key:
            raise EditRefused(f"`{node.name}` is cut out of a line of the script. Set its value, or remove the line.")
        lines = whole_lines(document, node)
        return [lines] if lines else [Splice(node.start, node.end, "")]


def _switch_behind(document: Document, node: Node, value: str) -> Splice | None:
    """A flag such as `{}=true`: on or off changes what is behind its name, never the name."""
    if as_switch(value) is None or as_switch(node.value or "") is not None:
        return None
    found = _SWITCH.match(document.text, node.value_end, document.source.line_end(node.value_end))
    if found is None or as_switch(found.group(1)) is None:
        return None
    return Splice(found.start(1), found.end(1), value)


def _require_fits(document: Document, node: Node, value: str) -> None:
    """The value stays inside of its slot: between its quotation marks, or as one word."""
    text = document.text
    before, after = text[node.value_start - 1 : node.value_start], text[node.value_end : node.value_end + 1]
    if before in ("'", '"') and before == after:
        if before in value:
            raise EditRefused(f"The value is in quotation marks and cannot hold one itself: `{before}`.")
        return
    slot = _slot_of(document, node)
    is_word = (
        slot is not None
        and not slot.separator
        and slot.pattern.rstrip().endswith(PLACE)
        and not slot.pattern.startswith("^")
    )
    if is_word and re.search(r"[\s\"';]", value):
        raise EditRefused(
            f"`{value}` is more than one word, and is without quotation marks here. Set the line instead."
        )


def _last_of(document: Document, parent: Node, name: str) -> Node | None:
    """The last value of a slot beside which another one can be written."""
    found = next((child for child in reversed(parent.children) if child.name == name), None)
    return found if found is not None and is_repeated(document, found) else None


def _slot_of(document: Document, node: Node) -> Slot | None:
    """The slot that a node is, or is in."""
    while node.parent is not None and node.parent.parent is not None:
        node = node.parent
    return document.reading.slots.get(node.name) if node.parent is not None else None


def _line_with_key(document: Document, slot: Slot, fields: Mapping[str, str], like: Node | None) -> str:
    """A line of a slot with another key and value, in the manner of its neighbour."""
    if any(re.search(r"[\r\n\"']", value) for value in fields.values()):
        raise EditRefused("A key and a value of a line cannot hold a line break or a quotation mark.")
    if like is None or len(like.children) != 2:
        return slot.pattern.removeprefix(LINE_START).replace(KEY, fields["key"]).replace(PLACE, fields["value"])
    text = document.text
    key, value = like.children
    return (
        text[like.start : key.start]
        + fields["key"]
        + text[key.end : value.start]
        + fields["value"]
        + text[value.end : like.end]
    )


def _is_slot(node: Node) -> bool:
    if (
        node.kind is NodeKind.LIST
        and node.name == "value"
        and node.parent is not None
        and node.parent.kind is NodeKind.GROUP
    ):
        return node.parent.parent is not None and node.parent.parent.parent is None
    return node.parent is not None and node.parent.parent is None and node.name != "line"


def insert_words(parent: Node, sources: Sequence[str], after: Node | None, separator: str) -> list[Splice]:
    """Put words into a list that is a part of a line, behind one or at its end."""
    last = after or (parent.children[-1] if parent.children else None)
    if last is None:
        return [Splice(parent.value_start, parent.value_end, separator.join(sources))]
    return [Splice(last.end, last.end, "".join(separator + source for source in sources))]


def remove_word(node: Node, parent: Node) -> list[Splice]:
    """Take the item out together with one of the separators beside it."""
    siblings = parent.children
    index = next(i for i, sibling in enumerate(siblings) if sibling is node)
    if index + 1 < len(siblings):
        return [Splice(node.start, siblings[index + 1].start, "")]
    if index > 0:
        return [Splice(siblings[index - 1].end, node.end, "")]
    return [Splice(node.start, node.end, "")]


WRITER: Final = TextWriter()
