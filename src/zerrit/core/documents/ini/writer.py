"""Write into INI: settings on lines of their own, struct items between their commas, quotes where they were."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import (
    field_order,
    insert_between_commas,
    insert_setting,
    remove_between_commas,
    whole_lines,
)
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Splice
from zerrit.core.errors import EditRefused

_PLAIN_IN_STRUCT = re.compile(r"[^\s,()=\"]+\Z")

_SECTION_NAME = re.compile(r"[^\[\]\r\n]+\Z")
_SETTING_NAME = re.compile(r"[+\-!.]?[^=:\s;#\[(/][^=:\r\n]*\Z")
_STRUCT_NAME = re.compile(r"[A-Za-z_][\w.\-]*\Z")


class IniWriter:
    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        if not node.is_value:
            raise EditRefused(f"`{node.name}` holds other values. Address one of them instead.")
        if "\n" in value or "\r" in value:
            raise EditRefused("A setting in an INI file is one line; the value holds a line break.")
        if node.is_quoted:
            if '"' in value:
                raise EditRefused('The value is in quotation marks and cannot hold one itself: `"`.')
            return [Splice(node.value_start, node.value_end, value)]
        if _in_struct(document, node):
            value = _in_struct_text(value)
        return [Splice(node.value_start, node.value_end, value)]

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        is_section = (
            like is not None
            and like.parent is not None
            and like.parent.parent is None
            and not _is_struct(document, like)
        )
        if is_section or (like is None and "/" not in name and not name):
            return "\n".join([f"[{name}]", *(f"{field}={value}" for field, value in fields.items())])
        parts = []
        for field, value in field_order(fields, like):
            model = like.child(field) if like else None
            quoted = model is not None and model.is_quoted
            parts.append(f'{field}="{value}"' if quoted else f"{field}={_in_struct_text(value)}")
        body = f"({','.join(parts)})"
        return f"{name}={body}" if name else body

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        if "\n" in value or "\r" in value:
            raise EditRefused("A setting in an INI file is one line; the value holds a line break.")
        if _is_struct(document, parent):
            return f"{name}={_in_struct_text(value)}" if name else _in_struct_text(value)
        return f"{name}={value}"

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        if parent.is_value:
            raise EditRefused(f"`{parent.name}` is a single value; nothing can be added to it.")
        if _is_struct(document, parent):
            return insert_between_commas(document, parent, sources, after, "")
        newline = document.source.newline_near(parent.end)
        if parent.parent is None and _opens_section(sources[0]):
            return [self._new_sections(document, sources, newline)]
        settings = [child for child in parent.children if not _is_section(document, child)]
        return insert_setting(document, parent, sources, after or (settings[-1] if settings else None))

    @staticmethod
    def _new_sections(document: Document, sources: Sequence[str], newline: str) -> Splice:
        end = len(document.text)
        lead = "" if not document.text or document.text.endswith(("\n", "\r")) else newline
        body = newline.join(newline.join(source.splitlines()) + newline for source in sources)
        gap = newline if document.text.strip() else ""
        return Splice(end, end, lead + gap + body)

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        at = document.text.index(node.name, node.start)
        is_section = _is_section(document, node)
        allowed = _SECTION_NAME if is_section else _STRUCT_NAME if _in_struct(document, node) else _SETTING_NAME
        if not allowed.match(name):
            raise EditRefused(f"`{name}` cannot be the name of a {'section' if is_section else 'setting'}.")
        return [Splice(at, at + len(node.name), name)]

    def remove(self, document: Document, node: Node) -> list[Splice]:
        if _in_struct(document, node):
            return remove_between_commas(document, node)
        lines = whole_lines(document, node)
        return [lines] if lines else [Splice(node.lead_start, node.end, "")]


def _opens_section(source: str) -> bool:
    """The text of a new child of the root is a section with its settings; comments may be above either."""
    lines = (line.strip() for line in source.splitlines())
    first = next((line for line in lines if line and not line.startswith((";", "#", "//"))), "")
    return first.startswith("[")


def _is_section(document: Document, node: Node) -> bool:
    return node.parent is not None and node.parent.parent is None and document.text.startswith("[", node.start)


def _in_struct(document: Document, node: Node) -> bool:
    return node.parent is not None and _is_struct(document, node.parent)


def _is_struct(document: Document, node: Node) -> bool:
    return node.value_start >= 0 and document.text.startswith("(", node.value_start) and node.parent is not None


def _in_struct_text(value: str) -> str:
    if _PLAIN_IN_STRUCT.match(value):
        return value
    if '"' in value or "\n" in value:
        raise EditRefused("A value inside parentheses cannot hold a quotation mark or a line break.")
    return f'"{value}"'


WRITER: Final = IniWriter()
