"""Write class configs: statements with their semicolons, lists with the commas between their values."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import (
    field_order,
    indent_unit,
    insert_between_commas,
    remove_between_commas,
)
from zerrit.core.documents.group_writer import insert_into_group, remove_statement
from zerrit.core.documents.line_writer import require_one_line
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import as_number
from zerrit.core.documents.source import Splice
from zerrit.core.errors import EditRefused

_NAME: Final = re.compile(r"\w+\Z")
_WORD: Final = re.compile(r"[\w.+\-]+\Z")
_CLASS_NAME: Final = re.compile(r"class\s+(\w+)")
_BASE: Final = re.compile(r"\s*:\s*\w+")
_PARTING: Final = re.compile(r"\w+(?:[ \t]*\[[ \t]*\])?(\s*)\+?=(\s*)")


class ClassesWriter:
    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        if not node.is_value:
            raise EditRefused(f"`{node.name}` holds other values. Address one of them instead.")
        require_one_line(value, "A value of a class config")
        if node.name == "@base":
            return [Splice(node.value_start, node.value_end, _name(value))]
        if node.name.startswith("#"):
            return [Splice(node.value_start, node.value_end, value)]
        if node.is_quoted:
            mark = document.text[node.value_start - 1]
            return [Splice(node.value_start, node.value_end, value.replace(mark, mark * 2))]
        return [Splice(node.value_start, node.value_end, _spelled(value, node))]

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        if not name:
            parts = (_spelled(value, None) for value in fields.values())
            return "{" + ", ".join(parts) + "}"
        own = {field: value for field, value in field_order(fields, like) if field != "@base"}
        base = f": {_name(fields['@base'])}" if "@base" in fields else ""
        unit = indent_unit(document)
        lines = [
            unit + _setting(document, field, value, like.child(field) if like is not None else None)
            for field, value in own.items()
        ]
        is_own_line = like is None or "\n" in document.text[like.start : max(like.start, like.value_start)]
        return "\n".join([f"class {_name(name)}{base}" + ("\n{" if is_own_line else " {"), *lines, "};"])

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        if parent.kind is NodeKind.LIST:
            return _spelled(value, parent.children[-1] if parent.children else None)
        if name == "@base":
            return f": {_name(value)}"
        like = next(
            (child for child in reversed(parent.children) if child.is_value and child.name[0] not in "@#"), None
        )
        return _setting(document, name, value, None, like)

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        if parent.is_value:
            raise EditRefused(f"`{parent.name}` is a single value; nothing can be added to it.")
        if parent.kind is NodeKind.LIST:
            return insert_between_commas(document, parent, sources, after, " ")
        found = _CLASS_NAME.match(document.text, parent.start)
        if found is not None and sources[0].startswith(": "):
            return [Splice(found.end(), found.end(), sources[0])]
        is_named_only = document.text[parent.value_start - 1 : parent.value_start] != "{"
        if parent.parent is not None and is_named_only:
            raise EditRefused(f"The class {parent.name} is only named here and has no braces to put values into.")
        return insert_into_group(document, parent, sources, after)

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        found = _CLASS_NAME.match(document.text, node.start) if node.kind is NodeKind.GROUP else None
        if found is not None:
            return [Splice(found.start(1), found.end(1), _name(name))]
        if not document.text.startswith(node.name.lstrip("+"), node.start) or node.name == "delete":
            raise EditRefused(f"`{node.name}` has no name that could be changed.")
        return [Splice(node.start, node.start + len(node.name.lstrip("+")), _name(name.lstrip("+")))]

    def remove(self, document: Document, node: Node) -> list[Splice]:
        if node.name == "@base" and node.parent is not None:
            found = _CLASS_NAME.match(document.text, node.parent.start)
            base = _BASE.match(document.text, found.end()) if found is not None else None
            return [Splice(base.start(), base.end(), "")] if base is not None else []
        if node.parent is not None and node.parent.kind is NodeKind.LIST:
            return remove_between_commas(document, node)
        return remove_statement(document, node)


def _name(text: str) -> str:
    if not _NAME.match(text):
        raise EditRefused(f"`{text}` cannot be a name in a class config.")
    return text


def _setting(document: Document, name: str, value: str, own: Node | None, like: Node | None = None) -> str:
    model = own or like
    parting = _PARTING.match(document.text, model.start) if model is not None else None
    between = f"{parting.group(1)}={parting.group(2)}" if parting is not None else " = "
    return f"{_name(name)}{between}{_spelled(value, own)};"


def _spelled(value: str, like: Node | None) -> str:
    """A number as such; a text in quotation marks; a bare word where a bare one was, as a name of a macro is."""
    require_one_line(value, "A value of a class config")
    is_bare = as_number(value) is not None if like is None or like.is_quoted else _WORD.match(value) is not None
    if like is not None and like.is_quoted:
        is_bare = is_bare and as_number(like.value or "") is None
    if is_bare:
        return value
    return '"' + value.replace('"', '""') + '"'


WRITER: Final = ClassesWriter()
