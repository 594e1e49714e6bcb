"""
How new text is put into each format: splices, and what the writers share.

A writer never touches the tree; it answers which pieces of text go where, so that what it does not name stays
byte for byte. Indentation, quoting and line endings of new text come from its neighbours.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from functools import cache
from importlib import import_module
from typing import Final, Protocol, cast

from zerrit.core.documents.document import Document
from zerrit.core.documents.format import Format
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Splice

DEFAULT_INDENT: Final = "  "


class Writer(Protocol):
    """One format's way of writing. All methods return splices for the text of `document`."""

    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        """Give a value another content.

        Raises EditRefused: the node can hold no value, or the value cannot be written there.
        """
        ...

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        """The text of a new entry called `name`, in the shape of its neighbour `like`."""
        ...

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        """The text of a new single field of `parent`."""
        ...

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        """Put new children, given as text with the first line unindented, behind `after` or at the end."""
        ...

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        """Give a node another name.

        Raises EditRefused: the format cannot write such a name, or the node has none.
        """
        ...

    def remove(self, document: Document, node: Node) -> list[Splice]:
        """Take a node out together with the comments that document it, leaving no blank scar."""
        ...


@cache
def writer_of(format: Format) -> Writer:
    """The writer of a format, out of the folder of its name; imported when it is first needed."""
    return cast(Writer, import_module(f"zerrit.core.documents.{format.folder}.writer").WRITER)


def source_of(document: Document, node: Node) -> str:
    """The text of a node with the comments that document it, its later lines dedented by its own column.

    Of an item of a YAML list it is the item without its dash, behind the comments.
    """
    is_item = document.format.traits.indented and node.parent is not None and node.parent.kind is NodeKind.LIST
    line = document.source.line_start(node.start)
    if is_item and node.lead_start < line:
        lead = document.text[node.lead_start : line].rstrip()
        margin = document.source.indent_at(node.lead_start)
        comments = re.sub(rf"(\r\n|\r|\n){re.escape(margin)}", r"\1", lead) if margin else lead
        return f"{comments}\n{dedented(document, node.start, document.text[node.start : node.end])}"
    return dedented(document, node.lead_start, document.text[node.lead_start : node.end])


def dashed(source: str) -> str:
    """An item of a YAML list with its dash, which is behind the comments that document it."""
    lines = re.split(r"\r\n|\r|\n", source)
    first = next((number for number, line in enumerate(lines) if line.strip() and not line.lstrip().startswith("#")), 0)
    body = indented("\n".join(lines[first:]), "  ", "\n")
    return "\n".join([*lines[:first], f"- {body}"])


def dedented(document: Document, start: int, text: str) -> str:
    """Take from the later lines of `text`, which begins at `start`, the margin that its first line has there."""
    margin = document.source.indent_at(start)
    if document.format.traits.indented:
        # An item of a list begins behind its dash, and its later lines are below it.
        margin = " " * (start - document.source.line_start(start))
    return re.sub(rf"(\r\n|\r|\n){re.escape(margin)}", r"\1", text) if margin else text


def indented(source: str, indent: str, newline: str) -> str:
    """Put `indent` before every line of `source` but the first, with `newline` as its line ending."""
    lines = re.split(r"\r\n|\r|\n", source)
    return newline.join([lines[0], *(indent + line if line.strip() else line for line in lines[1:])])


def indent_unit(document: Document) -> str:
    """One step of indentation as this document has it: the smallest difference between a node and its parent."""
    for node in document.root.walk():
        if node.parent is None or not document.text[node.start : node.start + 1].strip():
            continue
        own = document.source.indent_at(node.start)
        parent_indent = document.source.indent_at(node.parent.start) if node.parent.parent is not None else ""
        if len(own) > len(parent_indent) and own.startswith(parent_indent):
            return own[len(parent_indent) :]
    return DEFAULT_INDENT


def is_first_on_line(document: Document, offset: int) -> bool:
    """Nothing but white space is before the offset on its line."""
    start = document.source.line_start(offset)
    return not document.text[start:offset].strip(" \t")


def is_last_on_line(document: Document, offset: int) -> bool:
    """Only white space, a comma or a comment follows on the line."""
    rest = document.text[offset : document.source.line_end(offset)].strip(" \t,")
    return not rest or rest.startswith(("<!--", "//", "--", "#", ";"))


def whole_lines(document: Document, node: Node) -> Splice | None:
    """The splice that removes the lines of a node which has them to itself, else None.

    Of the blank lines around it one goes along, where it would be left behind as a scar.
    """
    if not is_first_on_line(document, node.lead_start) or not is_last_on_line(document, node.end):
        return None
    text, source = document.text, document.source
    start = source.line_start(node.lead_start)
    end = source.after_line(node.end)
    if end == len(text) and end == source.line_end(node.end) and start > 0:
        # The last line of a file without a final line ending: take the ending before it instead.
        before = text[:start].rstrip("\r\n")
        ending = text[len(before) : start]
        return Splice(start - (2 if ending.endswith("\r\n") else 1), end, "")
    above = source.line_start(start - 1) if start > 0 else 0
    is_blank_above = start > 0 and not text[above:start].strip()
    is_blank_below = end < len(text) and not text[end : source.line_end(end)].strip()
    if not (is_blank_above or is_blank_below):
        return Splice(start, end, "")
    siblings = [child for child in node.parent.children if not child.name.startswith("@")] if node.parent else [node]
    if is_blank_below and (is_blank_above or (siblings[0] is node and len(siblings) > 1)):
        return Splice(start, source.after_line(end), "")
    if is_blank_above and siblings[-1] is node and len(siblings) > 1:
        return Splice(above, end, "")
    return Splice(start, end, "")


def insert_lines(document: Document, after: Node, sources: Sequence[str], indent: str) -> Splice:
    """Put new lines behind the line on which `after` ends, with the line ending of that line."""
    at = document.source.line_end(after.end)
    newline = document.source.newline_near(at + 1 if at < len(document.text) else at)
    return Splice(at, at, "".join(newline + indent + indented(source, indent, newline) for source in sources))


def insert_setting(document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
    """Put settings behind another one, or where the first of a file or section is: before what the next header begins."""
    if after is not None:
        return [insert_lines(document, after, sources, document.source.indent_at(after.start))]
    newline = document.source.newline_near(parent.end)
    if parent.parent is None:
        # Before the first section and its comments; behind its header the setting would belong to it.
        first = parent.children[0].lead_start if parent.children else len(document.text)
        at = document.source.line_start(first)
        return [Splice(at, at, "".join(source + newline for source in sources))]
    at = document.source.line_end(parent.start)
    return [Splice(at, at, "".join(newline + source for source in sources))]


def insert_before(document: Document, node: Node, sources: Sequence[str]) -> Splice:
    """Put new siblings before a node, in the same manner as it is there."""
    first = document.text[node.start : node.start + 1]
    at = node.lead_start
    newline = document.source.newline_near(node.start)
    indent = document.source.indent_at(at)
    parent = node.parent
    slots = document.reading.slots
    holder = parent.parent if parent is not None and parent.name == "value" and parent.parent is not None else parent
    if parent is not None and parent.kind is NodeKind.LIST and holder is not None and holder.name in slots:
        separator = slots[holder.name].separator
        return Splice(node.start, node.start, "".join(source + separator for source in sources))
    in_brackets = parent is not None and document.text.startswith(("{", "[", "("), parent.value_start)
    if document.format.traits.commas or (in_brackets and not document.format.traits.attributes):
        gap = newline + indent if is_first_on_line(document, at) else ("" if document.format.traits.sections else " ")
        return Splice(at, at, "".join(f"{indented(source, indent, newline)},{gap}" for source in sources))
    if document.format.traits.indented and parent is not None and parent.kind is NodeKind.LIST:
        start = document.source.line_start(at)
        items = (indented(dashed(source), indent, newline) for source in sources)
        return Splice(start, start, "".join(indent + item + newline for item in items))
    if not is_first_on_line(document, at) and first == "<":
        return Splice(at, at, "".join(sources))
    if not is_first_on_line(document, at):
        indent = " " * (at - document.source.line_start(at))  # the first key of a list item, behind its dash
        return Splice(at, at, "".join(indented(source, indent, newline) + newline + indent for source in sources))
    start = document.source.line_start(at)
    return Splice(start, start, "".join(indent + indented(source, indent, newline) + newline for source in sources))


def written_span(document: Document, node: Node) -> tuple[int, int]:
    """Where a value is with its quotation marks; start and end are equal where nothing is written."""
    inner = 1 if node.is_quoted and document.text[node.value_start - 1 : node.value_start] in ("'", '"') else 0
    return node.value_start - inner, node.value_end + inner


def written(document: Document, node: Node) -> str:
    """A value as it is written, with its quotation marks."""
    start, end = written_span(document, node)
    return document.text[start:end]


# --- values separated by commas (JSON, YAML in flow style, structs in INI) -----------------------------------------------


def remove_between_commas(document: Document, node: Node) -> list[Splice]:
    """Take an item out of a bracket so that the commas between those that stay are right."""
    siblings = node.parent.children if node.parent else [node]
    index = next(i for i, sibling in enumerate(siblings) if sibling is node)
    if index + 1 < len(siblings):
        following = siblings[index + 1]
        lines = whole_lines(document, node)
        if lines and is_first_on_line(document, following.lead_start):
            return [Splice(lines.start, document.source.line_start(following.lead_start), "")]
        return [Splice(node.lead_start, following.lead_start, "")]
    if index > 0:
        return [Splice(siblings[index - 1].end, node.end, "")]
    parent = node.parent
    if parent is not None:
        inside = (
            document.text[parent.value_start + 1 : node.lead_start] + document.text[node.end : parent.value_end - 1]
        )
        if not inside.strip():
            return [Splice(parent.value_start + 1, parent.value_end - 1, "")]
    return [Splice(node.lead_start, node.end, "")]


def insert_between_commas(
    document: Document, parent: Node, sources: Sequence[str], after: Node | None, gap: str
) -> list[Splice]:
    """Put items into a bracket, on lines of their own where the neighbours have theirs; `gap` follows a comma."""
    after = after or (parent.children[-1] if parent.children else None)
    if after is not None:
        if is_first_on_line(document, after.lead_start):
            indent = document.source.indent_at(after.start)
            newline = document.source.newline_near(after.start)
            text = "".join("," + newline + indent + indented(source, indent, newline) for source in sources)
        else:
            text = "".join(f",{gap}{source}" for source in sources)
        return [Splice(after.end, after.end, text)]
    start, end = parent.value_start + 1, parent.value_end - 1
    if parent.kind is NodeKind.LIST or gap == "" or "\n" not in document.text:
        return [Splice(start, end, f",{gap}".join(sources))]
    outer = document.source.indent_at(parent.start)
    indent = outer + indent_unit(document)
    newline = document.source.newline_near(parent.start)
    lines = f",{newline}{indent}".join(indented(source, indent, newline) for source in sources)
    return [Splice(start, end, f"{newline}{indent}{lines}{newline}{outer}")]


def field_order(fields: Mapping[str, str], like: Node | None) -> list[tuple[str, str]]:
    """The fields of a new entry by the names and in the order that its neighbour has; unknown ones last.

    A field may be given without the `@` that the neighbour's attribute has.
    """
    if like is None:
        return list(fields.items())
    names = {child.name.removeprefix("@"): child.name for child in reversed(like.children) if child.is_value}
    named = [(name if name.startswith("@") else names.get(name, name), value) for name, value in fields.items()]
    order = [child.name for child in like.children]
    return sorted(named, key=lambda pair: order.index(pair[0]) if pair[0] in order else len(order))
