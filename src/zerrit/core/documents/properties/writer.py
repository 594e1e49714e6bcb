"""Write into properties and env files: a line for each value, spelled as such a file spells it."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.line_writer import insert_whole_lines, remove_line, require_one_line
from zerrit.core.documents.node import Node
from zerrit.core.documents.properties.values import escaped, is_env
from zerrit.core.documents.source import Splice
from zerrit.core.errors import EditRefused

_PARTING: Final = re.compile(r"[ \t]*[=:][ \t]*|[ \t]+")
_ENV_NAME: Final = re.compile(r"[A-Za-z_][\w.\-]*\Z")
_PLAIN: Final = re.compile(r"[^\s\"'#$`\\]*\Z")


class PropertiesWriter:
    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        if not node.is_value:
            raise EditRefused("Address one of the settings of the file.")
        if not is_env(document.path):
            return [Splice(node.value_start, node.value_end, escaped(value))]
        require_one_line(value, "A setting of an env file")
        if node.is_quoted:
            if document.text[node.value_start - 1] in value:
                raise EditRefused(
                    f"The value is in quotation marks and cannot hold one itself: `{document.text[node.value_start - 1]}`."
                )
            return [Splice(node.value_start, node.value_end, value)]
        return [Splice(node.value_start, node.value_end, _in_env(value))]

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        raise EditRefused("A properties file has settings and no entries; add a setting with a value instead.")

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        if not name:
            raise EditRefused("A setting needs a name.")
        like = next((child for child in parent.children), None)
        parting = _PARTING.match(document.text, like.start + len(like.name)) if like is not None else None
        between = parting.group() if parting is not None and parting.group().strip() else "="
        if not is_env(document.path):
            return f"{escaped(name, is_name=True)}{between}{escaped(value)}"
        require_one_line(value, "A setting of an env file")
        if not _ENV_NAME.match(name):
            raise EditRefused(f"`{name}` cannot be the name of a setting in an env file.")
        is_exported = like is not None and document.text.startswith("export", like.start)
        return f"{'export ' if is_exported else ''}{name}={_in_env(value)}"

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        return insert_whole_lines(document, parent, sources, after)

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        if is_env(document.path) and not _ENV_NAME.match(name):
            raise EditRefused(f"`{name}` cannot be the name of a setting in an env file.")
        old = node.name if is_env(document.path) else escaped(node.name, is_name=True)
        at = document.text.find(old, node.start, node.value_start)
        if at < 0:
            raise EditRefused(f"How `{node.name}` is written there is not plain. Edit the text instead.")
        new = name if is_env(document.path) else escaped(name, is_name=True)
        return [Splice(at, at + len(old), new)]

    def remove(self, document: Document, node: Node) -> list[Splice]:
        return remove_line(document, node)


def _in_env(value: str) -> str:
    if _PLAIN.match(value):
        return value
    if "'" not in value:
        return f"'{value}'"
    if re.search(r'["\\$`]', value):
        raise EditRefused(
            f"`{value}` holds both kinds of quotation marks, or signs that are replaced. Edit the text instead."
        )
    return f'"{value}"'


WRITER: Final = PropertiesWriter()
