"""Write into YAML: plain words stay plain, quotes appear only where the text would otherwise mean something else."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import (
    dashed,
    field_order,
    indent_unit,
    indented,
    insert_between_commas,
    insert_lines,
    is_first_on_line,
    remove_between_commas,
    whole_lines,
)
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import YAML_FALSE, YAML_FLOAT, YAML_INT, YAML_NULL, YAML_OLD_BOOLEANS, YAML_TRUE
from zerrit.core.documents.source import Splice
from zerrit.core.errors import EditRefused

_PLAIN = re.compile(r"[^\s\-?:,\[\]{}#&*!|>'\"%@`=][^\r\n]*\Z|-?[\w.][^\r\n]*\Z")
_BREAKS_PLAIN = re.compile(r":(?:\s|\Z)|\s#|\s\Z")
_FLOW_SIGNS = re.compile(r"[,\[\]{}]")


def spell(value: str, like: Node | None, *, in_flow: bool = False) -> str:
    """A scalar as YAML writes it. Text that `like` had in quotes stays text even where it looks like a number."""
    is_plain = (
        bool(_PLAIN.match(value)) and not _BREAKS_PLAIN.search(value) and not (in_flow and _FLOW_SIGNS.search(value))
    )
    if like is not None and like.is_quoted and _means_more_than_text(value):
        return json.dumps(value, ensure_ascii=False)
    return value if is_plain else json.dumps(value, ensure_ascii=False)


def _means_more_than_text(value: str) -> bool:
    return (
        value in YAML_NULL
        or value in YAML_TRUE
        or value in YAML_FALSE
        or value in YAML_OLD_BOOLEANS
        or bool(YAML_INT.match(value) or YAML_FLOAT.match(value))
    )


class YamlWriter:
    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        if not node.is_value:
            raise EditRefused(f"`{node.name}` holds other values. Address one of them instead.")
        if not node.is_quoted and document.text.startswith("*", node.value_start):
            raise EditRefused(
                f"`{node.value}` stands for the value that has the anchor &{(node.value or '')[1:]}. Change it there, "
                "or remove this one and add a value of its own."
            )
        sign = document.text[node.value_start - 1] if node.is_quoted and node.value_start > 0 else ""
        if sign == "'" and "\n" not in value:
            return [Splice(node.value_start, node.value_end, value.replace("'", "''"))]
        if sign == '"':
            return [Splice(node.value_start, node.value_end, json.dumps(value, ensure_ascii=False)[1:-1])]
        text = spell(value, node, in_flow=_in_flow(document, node))
        if node.value_start == node.value_end and document.text[node.value_start - 1 : node.value_start] == ":":
            text = f" {text}"
        return [Splice(node.value_start, node.value_end, text)]

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        ordered = field_order(fields, like)
        is_flow = like is not None and _is_flow(document, like)
        parts = [
            f"{spell(field, None)}: {spell(value, like.child(field) if like else None, in_flow=is_flow)}"
            for field, value in ordered
        ]
        if is_flow:
            body = "{" + ", ".join(parts) + "}"
            return f"{spell(name, None)}: {body}" if name else body
        if not name:
            return "\n".join(parts)
        unit = indent_unit(document)
        return "\n".join([f"{spell(name, None)}:", *(unit + part for part in parts)])

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        in_flow = _is_flow(document, parent) or _in_flow(document, parent)
        if parent.kind is NodeKind.LIST:
            return spell(value, parent.children[-1] if parent.children else None, in_flow=in_flow)
        return f"{spell(name, None, in_flow=in_flow)}: {spell(value, None, in_flow=in_flow)}"

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        if _is_flow(document, parent):
            return insert_between_commas(document, parent, sources, after, " ")
        after = after or (parent.children[-1] if parent.children else None)
        if after is None:
            return [self._first_child(document, parent, sources)]
        indent = document.source.indent_at(after.lead_start)
        if parent.kind is NodeKind.LIST:
            return [insert_lines(document, after, [dashed(source) for source in sources], indent)]
        if not is_first_on_line(document, after.start):
            # The first key of a list item is behind its dash.
            indent = " " * (after.start - document.source.line_start(after.start))
        return [insert_lines(document, after, sources, indent)]

    @staticmethod
    def _first_child(document: Document, parent: Node, sources: Sequence[str]) -> Splice:
        if parent.is_value and parent.value:
            raise EditRefused(f"`{parent.name}` is a single value; nothing can be added to it.")
        newline = document.source.newline_near(parent.start)
        if parent.parent is None:
            return Splice(len(document.text), len(document.text), "".join(source + newline for source in sources))
        indent = document.source.indent_at(parent.start) + indent_unit(document)
        text = "".join(newline + indent + indented(source, indent, newline) for source in sources)
        return Splice(parent.end, parent.end, text)

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        raw = document.text[node.start : node.start + len(node.name) + 2]
        if raw.startswith(node.name):
            return [
                Splice(node.start, node.start + len(node.name), spell(name, None, in_flow=_in_flow(document, node)))
            ]
        if raw in (f'"{node.name}"', f"'{node.name}'"):
            return [Splice(node.start, node.start + len(raw), json.dumps(name, ensure_ascii=False))]
        raise EditRefused(f"The name `{node.name}` is written in a way that cannot be changed here. Edit the text.")

    def remove(self, document: Document, node: Node) -> list[Splice]:
        if node.parent is not None and _in_flow(document, node):
            return remove_between_commas(document, node)
        if node.parent is not None and node.parent.kind is NodeKind.LIST:
            start = document.source.line_start(node.lead_start)
            return [Splice(start, document.source.after_line(node.end), "")]
        lines = whole_lines(document, node)
        if lines:
            return [lines]
        siblings = node.parent.children if node.parent else []
        index = next((i for i, sibling in enumerate(siblings) if sibling is node), -1)
        if 0 <= index < len(siblings) - 1:
            return [Splice(node.start, siblings[index + 1].start, "")]
        raise EditRefused(f"`{node.name}` is all that its list item holds. Remove the item instead.")


def _is_flow(document: Document, node: Node) -> bool:
    """It is in brackets."""
    return not node.is_value and node.value_start >= 0 and document.text.startswith(("{", "["), node.value_start)


def _in_flow(document: Document, node: Node) -> bool:
    """Some bracket around the node is open."""
    parent = node.parent
    while parent is not None:
        if _is_flow(document, parent):
            return True
        parent = parent.parent
    return False


WRITER: Final = YamlWriter()
