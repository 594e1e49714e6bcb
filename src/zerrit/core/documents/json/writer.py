"""Write into JSON: commas are always right, numbers stay numbers, text stays text."""

from __future__ import annotations

import json
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
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import JSON_NUMBER
from zerrit.core.documents.source import Splice
from zerrit.core.errors import EditRefused

_KEY: Final = re.compile(r'"(?:[^"\\]|\\.)*"')


def spell(value: str, like: Node | None) -> str:
    """A scalar as JSON writes it: a number or truth value as such, unless its neighbour is a text that looks like one."""
    is_bare = value in ("true", "false", "null") or bool(JSON_NUMBER.match(value))
    if like is not None and like.is_value and like.is_quoted:
        like_bare = like.value in ("true", "false", "null") or bool(JSON_NUMBER.match(like.value or ""))
        is_bare = is_bare and not like_bare and bool(JSON_NUMBER.match(value))
    return value if is_bare else json.dumps(value, ensure_ascii=False)


class JsonWriter:
    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        if not node.is_value:
            raise EditRefused(f"`{node.name}` holds other values. Address one of them instead.")
        if node.is_quoted:
            return [Splice(node.value_start - 1, node.value_end + 1, spell(value, node))]
        return [Splice(node.value_start, node.value_end, spell(value, node))]

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        parts = [
            f"{json.dumps(field, ensure_ascii=False)}: {spell(value, like.child(field) if like else None)}"
            for field, value in field_order(fields, like)
        ]
        if like is not None and "\n" in document.text[like.value_start : like.value_end]:
            unit = indent_unit(document)
            body = "{\n" + ",\n".join(unit + part for part in parts) + "\n}"
        else:
            body = "{" + ", ".join(parts) + "}"
        return f"{json.dumps(name, ensure_ascii=False)}: {body}" if name else body

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        if parent.kind is NodeKind.LIST:
            return spell(value, parent.children[-1] if parent.children else None)
        return f"{json.dumps(name, ensure_ascii=False)}: {spell(value, None)}"

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        if parent.is_value:
            raise EditRefused(f"`{parent.name}` is a single value; nothing can be added to it.")
        return insert_between_commas(document, parent, sources, after, " ")

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        key = _KEY.match(document.text, node.start)
        if key is None:
            raise EditRefused(f"`{node.name}` is not written as a key in quotation marks. Fix that first.")
        return [Splice(key.start(), key.end(), json.dumps(name, ensure_ascii=False))]

    def remove(self, document: Document, node: Node) -> list[Splice]:
        return remove_between_commas(document, node)


WRITER: Final = JsonWriter()
