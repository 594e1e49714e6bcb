"""Write braced key-values in the manner of the neighbours: their quotation marks, their gap, where their braces are."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import field_order, indent_unit
from zerrit.core.documents.group_writer import insert_into_group, remove_statement
from zerrit.core.documents.line_writer import require_one_line
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Splice
from zerrit.core.errors import EditRefused

_PLAIN: Final = re.compile(r'[^\s{}"\[\]/\\]+\Z')
_KEY: Final = re.compile(r'"(?:[^"\\]|\\.)*"|[^\s{}"]+')


class BracesWriter:
    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        if not node.is_value:
            raise EditRefused(f"`{node.name}` holds other values. Address one of them instead.")
        inner = 1 if node.is_quoted else 0
        return [Splice(node.value_start - inner, node.value_end + inner, _spelled(value, is_quoted=node.is_quoted))]

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        if not name:
            raise EditRefused("A group needs a name.")
        first = next((child for child in like.children if child.is_value), None) if like is not None else None
        unit = indent_unit(document)
        lines = [unit + self._pair(document, field, value, first) for field, value in field_order(fields, like)]
        opening = "\n{"
        if like is not None and "\n" not in document.text[like.start : like.value_start]:
            opening = " {"
        head = _spelled(name, is_quoted=like is None or document.text.startswith('"', like.start))
        return "\n".join([f"{head}{opening}", *lines, "}"])

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        if not name:
            raise EditRefused("A value needs a name.")
        like = next((child for child in reversed(parent.children) if child.is_value), None)
        return self._pair(document, name, value, like)

    @staticmethod
    def _pair(document: Document, name: str, value: str, like: Node | None) -> str:
        gap = " "
        is_quoted = True
        if like is not None:
            key = _KEY.match(document.text, like.start)
            inner = 1 if like.is_quoted else 0
            gap = document.text[key.end() : like.value_start - inner] if key is not None else gap
            is_quoted = document.text.startswith('"', like.start)
        return f"{_spelled(name, is_quoted=is_quoted)}{gap or ' '}{_spelled(value, is_quoted=like is None or like.is_quoted)}"

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        if parent.kind is NodeKind.VALUE:
            raise EditRefused(f"`{parent.name}` is a single value; nothing can be added to it.")
        return insert_into_group(document, parent, sources, after)

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        key = _KEY.match(document.text, node.start)
        if key is None or not node.name:
            raise EditRefused("The group has no name that could be changed. Write one before its brace first.")
        return [Splice(key.start(), key.end(), _spelled(name, is_quoted=key.group().startswith('"')))]

    def remove(self, document: Document, node: Node) -> list[Splice]:
        return remove_statement(document, node)


def _spelled(text: str, *, is_quoted: bool) -> str:
    require_one_line(text, "A braced key or value")
    if not is_quoted and _PLAIN.match(text):
        return text
    # A backslash alone, as in the paths of some systems, means itself.
    needs_it = '"' in text or "\\\\" in text or text.endswith("\\")
    escaped = text.replace("\\", "\\\\") if needs_it else text
    return '"' + escaped.replace('"', '\\"') + '"'


WRITER: Final = BracesWriter()
