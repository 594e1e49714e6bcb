"""Write into XML: attributes keep their quotes, elements their indentation, self-closing ones open when they must."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import (
    field_order,
    indent_unit,
    indented,
    insert_lines,
    is_first_on_line,
    is_last_on_line,
    whole_lines,
)
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Splice
from zerrit.core.documents.xml.text import FORBIDDEN as _FORBIDDEN
from zerrit.core.documents.xml.text import SPACE
from zerrit.core.errors import EditRefused

_NAME = r"[A-Za-z_:\u00c0-\U000effff][\w:.\-]*\Z"  # compiled when it is first needed: it takes long


def escape(value: str, quote: str = "") -> str:
    """Text as it is in XML; `quote` is the quotation mark around it, if any."""
    text = value.replace("&", "&amp;").replace("<", "&lt;")
    if quote:
        text = text.replace(quote, "&quot;" if quote == '"' else "&apos;")
        return text.replace("\n", "&#10;").replace("\t", "&#9;")
    return text.replace("]]>", "]]&gt;")


class XmlWriter:
    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        bad = _FORBIDDEN.search(value)
        if bad:
            raise EditRefused(f"The value holds a character (code {ord(bad.group())}) that XML does not allow.")
        if node.name.startswith("@"):
            quote = document.text[node.value_start - 1]
            return [Splice(node.value_start, node.value_end, escape(value, quote if quote in "\"'" else '"'))]
        if any(not child.name.startswith("@") for child in node.children):
            raise EditRefused(
                f"<{node.name}> holds other elements, so it has no value of its own. Address one of its fields instead."
            )
        if node.value_start < 0:
            return [_opened(document, node, escape(value))]
        return [Splice(node.value_start, node.value_end, escape(value))]

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        attributes: list[str] = []
        elements: list[str] = []
        uses_elements = like is not None and not any(child.name.startswith("@") for child in like.children)
        for field, value in field_order(fields, like):
            if field.startswith("@") or (not uses_elements and (like is None or like.child(field) is None)):
                _require_name(field.removeprefix("@"))
                attributes.append(f' {field.removeprefix("@")}="{escape(value, chr(34))}"')
            else:
                _require_name(field)
                elements.append(f"<{field}>{escape(value)}</{field}>")
        _require_name(name)
        if not elements:
            return f"<{name}{''.join(attributes)}/>"
        unit = indent_unit(document)
        lines = "\n".join(unit + element for element in elements)
        return f"<{name}{''.join(attributes)}>\n{lines}\n</{name}>"

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        _require_name(name.removeprefix("@"))
        if name.startswith("@"):
            return f'{name[1:]}="{escape(value, chr(34))}"'
        return f"<{name}>{escape(value)}</{name}>"

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        attributes = [source for source in sources if not source.startswith("<")]
        elements = [source for source in sources if source.startswith("<")]
        splices: list[Splice] = []
        if attributes:
            own = [child for child in parent.children if child.name.startswith("@")]
            at = own[-1].end if own else parent.start + 1 + len(parent.name or self._root_name(document))
            splices.append(Splice(at, at, "".join(f" {source}" for source in attributes)))
        if elements:
            splices += self._insert_elements(document, parent, elements, after)
        return splices

    @staticmethod
    def _root_name(document: Document) -> str:
        return document.root.name

    def _insert_elements(
        self, document: Document, parent: Node, sources: Sequence[str], after: Node | None
    ) -> list[Splice]:
        if after is None or after.name.startswith("@"):
            last = parent.children[-1] if parent.children else None
            after = last if last is not None and not last.name.startswith("@") else None
        newline = document.source.newline_near(parent.start)
        if after is not None:
            if is_first_on_line(document, after.start) and is_last_on_line(document, after.end):
                return [insert_lines(document, after, sources, document.source.indent_at(after.start))]
            if is_first_on_line(document, after.start):
                indent = document.source.indent_at(after.start)
                text = "".join(newline + indent + indented(source, indent, newline) for source in sources)
                return [Splice(after.end, after.end, text)]
            return [Splice(after.end, after.end, "".join(sources))]
        outer = document.source.indent_at(parent.start)
        indent = outer + indent_unit(document)
        body = "".join(newline + indent + indented(source, indent, newline) for source in sources)
        if parent.value_start < 0:
            return [_opened(document, parent, f"{body}{newline}{outer}")]
        tail = document.text[parent.value_start : parent.value_end]
        if tail.strip(SPACE):
            return [Splice(parent.value_end, parent.value_end, f"{body}{newline}{outer}")]
        return [Splice(parent.value_start, parent.value_end, f"{body}{newline}{outer}")]

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        _require_name(name)
        if node.name.startswith("@"):
            return [Splice(node.start, node.start + len(node.name) - 1, name)]
        splices = [Splice(node.start + 1, node.start + 1 + len(node.name), name)]
        if node.value_start >= 0:
            splices.append(Splice(node.value_end + 2, node.value_end + 2 + len(node.name), name))
        return splices

    def remove(self, document: Document, node: Node) -> list[Splice]:
        if node.name.startswith("@"):
            start = node.start
            while document.text[start - 1] in " \t\r\n":
                start -= 1
            return [Splice(start, node.end, "")]
        lines = whole_lines(document, node)
        return [lines] if lines else [Splice(node.lead_start, node.end, "")]


def _opened(document: Document, node: Node, content: str) -> Splice:
    """Turn a self-closing element into one with content."""
    tag = document.text[node.start : node.end]
    name = re.match(r"<([^ \t\r\n/>]+)", tag)
    kept = tag.removesuffix("/>").rstrip()
    return Splice(node.start + len(kept), node.end, f">{content}</{name.group(1) if name else node.name}>")


def _require_name(name: str) -> None:
    if not re.match(_NAME, name):
        raise EditRefused(f"`{name}` cannot be a name in XML: it begins with a letter and holds no spaces.")


WRITER: Final = XmlWriter()
