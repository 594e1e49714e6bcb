"""
Plain values from a YAML tree: tags and aliases followed.

The tree keeps an alias as what it is, so that an edit can tell it from a value. Here each alias gives the very
object that its anchor gave, so nothing grows in memory. Whoever walks the data would still meet every copy, so an
alias stays a text once the data would count more than `MOST_VALUES`.
"""

from __future__ import annotations

import re
from typing import Any, Final

from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import YAML_FLOAT, YAML_INT, typed

#: The anchors and tags that are before a key.
_BEFORE_KEY: Final = re.compile(r"(?:[&!]\S+[ \t]+)+")
MOST_VALUES: Final = 1_000_000  # with what aliases repeat; no file that people write comes near
_LONGEST: Final = 300  # characters of an anchor and tag that are looked at


def to_data(root: Node, text: str) -> Any:
    """The data that the tree means; anchors are only known within their document."""
    return _Values(text).of(root)


class _Values:
    def __init__(self, text: str) -> None:
        self.text = text
        self.anchors: dict[str, Any] = {}
        self.sizes: dict[str, int] = {}  #: how many values each anchor stands for, with what aliases repeat
        self.count = 0

    def of(self, node: Node) -> Any:
        # Recursion is bounded: the reader stops at MAX_DEPTH.
        self.count += 1
        before = self.count
        anchor, tag = self._properties(node)
        if node.kind is NodeKind.VALUE:
            value = self._scalar(node, tag)
            if anchor:
                self.anchors[anchor] = value
            return value
        if node.kind is NodeKind.LIST:
            items: list[Any] = []
            if anchor:
                self.anchors[anchor] = items
            items.extend(self.of(child) for child in node.children)
            self.sizes[anchor] = self.count - before
            return items
        members: dict[Any, Any] = {}
        if anchor:
            self.anchors[anchor] = members
        for child in node.children:
            members[self._name(child)] = self.of(child)
        self.sizes[anchor] = self.count - before
        return members

    def _name(self, child: Node) -> str:
        """The key of a member; an anchor on it is noted, an alias followed."""
        before = _BEFORE_KEY.match(self.text, child.start)
        for word in before.group().split() if before else ():
            if word.startswith("&"):
                self.anchors[word[1:]] = child.name
        if child.name.startswith("*") and self.text.startswith("*", child.start):
            return str(self.anchors.get(child.name[1:], child.name))
        return child.name

    def _properties(self, node: Node) -> tuple[str, str]:
        end = node.value_start
        if node.is_quoted and self.text[end - 1 : end] in ("'", '"'):
            end -= 1
        before = self.text[end - 1 : end]
        if end <= 0 or not (before.isspace() or node.value_start == node.value_end):
            return "", ""
        anchor = tag = ""
        for word in reversed(self.text[max(end - _LONGEST, 0) : end].split()[-2:]):
            name = word.lstrip("[{,")  # brackets may be directly before
            if name[:1] not in ("&", "!") or not name:
                break
            anchor, tag = (anchor or name[1:], tag) if name[0] == "&" else (anchor, tag or name)
            if name != word:
                break
        return anchor, tag

    def _scalar(self, node: Node, tag: str) -> Any:
        value = node.value or ""
        if not node.is_quoted and value.startswith("*") and self.text.startswith("*", node.value_start):
            size = self.sizes.get(value[1:], 0)
            if self.count + size > MOST_VALUES:
                return value
            self.count += size
            return self.anchors.get(value[1:], value)
        kind = tag.removeprefix("!!").removeprefix("!<tag:yaml.org,2002:").removesuffix(">")
        if kind == "null":
            return None
        if kind == "bool" or (kind == "int" and YAML_INT.match(value)) or (kind == "float" and YAML_FLOAT.match(value)):
            found = typed(value, False, "yaml")
            return float(found) if kind == "float" and isinstance(found, int) else found
        if tag:
            return value
        return typed(value, node.is_quoted, "yaml")
