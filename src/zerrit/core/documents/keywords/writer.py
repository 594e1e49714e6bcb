"""Write keyword lines: values in quotation marks where they have them or need them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.line_writer import insert_whole_lines, remove_line, require_one_line
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Splice
from zerrit.core.errors import EditRefused

_PLAIN: Final = re.compile(r'[^\s";#/][^\s";]*\Z')
_KEYWORD: Final = re.compile(r'[^\s";#/][^\s";]*\Z')
_BEFORE: Final = re.compile(r"[ \t]*\Z")


class KeywordsWriter:
    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        if not node.is_value:
            raise EditRefused(f"`{node.name}` has several values. Address one of them, such as {node.name}/2.")
        if node.is_quoted:
            return [Splice(node.value_start - 1, node.value_end + 1, _spelled(value, is_quoted=True))]
        gap = "" if document.text[node.value_start - 1 : node.value_start] in (" ", "\t") else " "
        return [Splice(node.value_start, node.value_end, gap + _spelled(value, is_quoted=False))]

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        if not name or not _KEYWORD.match(name):
            raise EditRefused(f"`{name}` cannot be a keyword.")
        wanted = {str(number) for number in range(1, len(fields) + 1)}
        if set(fields) != wanted:
            raise EditRefused("The values of a keyword line are numbered: 1=…, 2=…, with none left out.")
        models = {child.name: child for child in like.children} if like is not None else {}
        words = (
            _spelled(fields[one], is_quoted=one in models and models[one].is_quoted) for one in sorted(fields, key=int)
        )
        return " ".join((name, *words))

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        if parent.parent is not None:
            if name not in ("", str(len(parent.children) + 1)):
                raise EditRefused(f"The next value of this line is number {len(parent.children) + 1}.")
            return _spelled(value, is_quoted=parent.children[-1].is_quoted)
        if not _KEYWORD.match(name):
            raise EditRefused(f"`{name}` cannot be a keyword.")
        like = next((child for child in reversed(parent.children) if child.name == name), None)
        return f"{name} {_spelled(value, is_quoted=like is not None and like.is_quoted)}"

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        if parent.kind is NodeKind.GROUP and parent.parent is not None:
            last = after or parent.children[-1]
            return [Splice(last.end, last.end, "".join(f" {source}" for source in sources))]
        return insert_whole_lines(document, parent, sources, after)

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        if node.parent is not None and node.parent.parent is not None:
            raise EditRefused("The values of a keyword line have no names. Set one instead.")
        if not _KEYWORD.match(name):
            raise EditRefused(f"`{name}` cannot be a keyword.")
        return [Splice(node.start, node.start + len(node.name), name)]

    def remove(self, document: Document, node: Node) -> list[Splice]:
        parent = node.parent
        if parent is not None and parent.parent is not None:
            if parent.children[-1] is not node:
                raise EditRefused("The values behind it would move forward. Set the value instead, or remove the line.")
            gap = _BEFORE.search(document.text, parent.start, node.start)
            return [Splice(gap.start() if gap is not None else node.start, node.end, "")]
        return remove_line(document, node)


def _spelled(value: str, *, is_quoted: bool) -> str:
    require_one_line(value, "A keyword line")
    if not is_quoted and _PLAIN.match(value):
        return value
    if '"' in value:
        raise EditRefused('The value is in quotation marks and cannot hold one itself: `"`.')
    return f'"{value}"'


WRITER: Final = KeywordsWriter()
