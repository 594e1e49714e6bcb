"""Write into TOML: texts stay texts, numbers numbers; tables go to the end of the file."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Final

from zerrit.core.documents.bracket_writer import insert_entries, remove_entry
from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import field_order, insert_setting, whole_lines
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Splice
from zerrit.core.errors import EditRefused

_LITERAL: Final = re.compile(
    r"(?:true|false|[+-]?(?:inf|nan)|[+-]?(?:0|[1-9][\d_]*)(?:\.\d[\d_]*)?(?:[eE][+-]?\d+)?|0x[\da-fA-F]+"
    r"|\d{4}-\d\d-\d\d(?:[T ]\d\d:\d\d:\d\d(?:\.\d+)?(?:Z|[+-]\d\d:\d\d)?)?|\d\d:\d\d:\d\d)\Z"
)
_BARE_PART: Final = re.compile(r"[A-Za-z0-9_-]+\Z")
_BARE_NAME: Final = re.compile(r"[A-Za-z0-9_-]+(?:\.[A-Za-z0-9_-]+)*\Z")
_PART: Final = r"(?:[A-Za-z0-9_-]+|\"(?:[^\"\\\r\n]|\\.)*+\"|'[^'\r\n]*+')"
_PATH: Final = re.compile(rf"{_PART}(?:[ \t]*\.[ \t]*{_PART})*")


class TomlWriter:
    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        if not node.is_value:
            raise EditRefused(f"`{node.name}` holds other values. Address one of them instead.")
        if not node.is_quoted:
            return [Splice(node.value_start, node.value_end, _spelled(value, node))]
        text = document.text
        width = 3 if text[node.value_start - 3 : node.value_start] in ('"""', "'''") else 1
        mark = text[node.value_start - 1]
        if width == 3 and "\n" in value and mark not in value and "\\" not in value:
            return [Splice(node.value_start, node.value_end, value)]
        if mark == "'" and width == 1 and not re.search(r"['\x00-\x08\x0a-\x1f]", value):
            return [Splice(node.value_start, node.value_end, value)]
        return [Splice(node.value_start - width, node.value_end + width, _text(value))]

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        pairs = [
            f"{_key(field)} = {_spelled(value, like.child(field) if like else None)}"
            for field, value in field_order(fields, like)
        ]
        if not name or (like is not None and document.text.startswith("{", like.value_start)):
            body = f"{{ {', '.join(pairs)} }}"
            return f"{_key(name)} = {body}" if name else body
        is_entry = like is not None and document.text.startswith("[[", like.start)
        opening, closing = ("[[", "]]") if is_entry else ("[", "]")
        return "\n".join([f"{opening}{_path(name)}{closing}", *pairs])

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        if parent.kind is NodeKind.LIST:
            return _spelled(value, parent.children[-1] if parent.children else None)
        return f"{_key(name)} = {_spelled(value, None)}"

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        if parent.is_value:
            raise EditRefused(f"`{parent.name}` is a single value; nothing can be added to it.")
        if _is_in_brackets(document, parent):
            if parent.kind is NodeKind.GROUP and any("\n" in source for source in sources):
                raise EditRefused("A table in one line cannot hold an entry of several lines.")
            return insert_entries(document, parent, sources, after)
        newline = document.source.newline_near(parent.end)
        if _opens_table(sources[0]):
            at = document.source.line_end(after.end) if after is not None and _is_table(document, after) else -1
            if at < 0 and parent.parent is not None:
                at = document.source.line_end(parent.end)
            return [_tables(document, sources, newline, at)]
        settings = [child for child in parent.children if not _is_table(document, child)]
        return insert_setting(
            document, parent, sources, after if after in settings else (settings[-1] if settings else None)
        )

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        if not node.name:
            raise EditRefused("A value of a list has no name.")
        start = node.start
        while document.text.startswith("[", start) or document.text[start : start + 1] in (" ", "\t"):
            start += 1
        path = _PATH.match(document.text, start)
        if path is None:
            raise EditRefused(f"`{node.name}` is not written as a name in front of a value.")
        above = (
            node.parent.name + "." if node.parent is not None and node.parent.name and _is_table(document, node) else ""
        )
        return [Splice(path.start(), path.end(), _path(above + name) if _is_table(document, node) else _key(name))]

    def remove(self, document: Document, node: Node) -> list[Splice]:
        if node.parent is not None and _is_in_brackets(document, node.parent):
            return remove_entry(document, node, node.parent)
        lines = whole_lines(document, node)
        return [lines] if lines else [Splice(node.lead_start, node.end, "")]


def _is_table(document: Document, node: Node) -> bool:
    return document.text.startswith("[", node.start) and node.value_start > node.start


def _is_in_brackets(document: Document, parent: Node) -> bool:
    is_header = parent.parent is None or _is_table(document, parent)
    return not is_header and document.text[parent.value_start : parent.value_start + 1] in ("[", "{")


def _opens_table(source: str) -> bool:
    lines = (line.strip() for line in source.splitlines())
    return next((line for line in lines if line and not line.startswith("#")), "").startswith("[")


def _tables(document: Document, sources: Sequence[str], newline: str, at: int) -> Splice:
    """Tables behind another one, or at the end of the file, with a blank line before each."""
    if at < 0:
        at = len(document.text.rstrip())
    blank = newline + newline if document.text[:at].strip() else ""
    body = (blank or newline).join(newline.join(source.splitlines()) for source in sources)
    ends_file = at >= len(document.text.rstrip())
    return Splice(at, len(document.text) if ends_file else at, blank + body + (newline if ends_file else ""))


def _spelled(value: str, like: Node | None) -> str:
    if like is not None and like.is_value and like.is_quoted:
        return _text(value)
    return value if _LITERAL.match(value) else _text(value)


def _text(value: str) -> str:
    """A text in quotation marks."""
    body = (
        value.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n").replace("\r", "\\r").replace("\t", "\\t")
    )
    body = re.sub(r"[\x00-\x1f\x7f]", lambda match: f"\\u{ord(match.group()):04x}", body)
    return f'"{body}"'


def _key(name: str) -> str:
    """A name of a setting, dotted where it is."""
    return name if _BARE_NAME.match(name) else _path(name)


def _path(name: str) -> str:
    if _BARE_NAME.match(name):
        return name
    if _PATH.fullmatch(name):
        return name
    return ".".join(part if _BARE_PART.match(part) else _text(part) for part in name.split("."))


WRITER: Final = TomlWriter()
