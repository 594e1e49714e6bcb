"""
The one tree of nodes that stands over the text of every format.

A node is a view: it owns no text, only offsets into `Document.text`. Nodes are built once by a reader and not
changed afterwards; they are a plain class with slots rather than a frozen dataclass because a large file has
some 200,000 of them and a frozen dataclass costs three times as much to make.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum


class NodeKind(StrEnum):
    GROUP = "group"  #: XML element, JSON object, YAML mapping, INI section, INI struct with names
    LIST = "list"  #: JSON array, YAML sequence, INI struct without names
    VALUE = "value"


@dataclass(frozen=True, slots=True)
class Span:
    """Where a node stands in the text of its document."""

    start: int  #: Offset into `Document.text` in characters, 0-based, inclusive.
    end: int  #: Offset, exclusive; equal to `start` for a place where text can be inserted.


class Node:
    """One node.

    `name`: element name, key, section name; `@name` for an XML attribute; empty for an item of a list.
    `value`: the meaning of a value as text (entities resolved, quotes off), or None for groups and lists.
    An XML element with both attributes and text is a group that has a value besides its children.
    `is_quoted`: the value stood in quotes, so that `"1"` is text where `1` is a number.
    `comment`: the documenting comment above or beside it, without comment signs.
    `lead_start`: where the comments above it begin that belong to it; equal to `start` where there are none.
    """

    __slots__ = (
        "children",
        "comment",
        "end",
        "is_quoted",
        "kind",
        "lead_start",
        "name",
        "parent",
        "start",
        "value",
        "value_end",
        "value_start",
    )

    def __init__(
        self,
        kind: NodeKind,
        name: str,
        start: int,
        end: int,
        *,
        value: str | None = None,
        value_start: int = -1,
        value_end: int = -1,
        is_quoted: bool = False,
    ) -> None:
        self.kind = kind
        self.name = name
        self.start = start
        self.end = end
        self.value = value
        self.value_start = value_start
        self.value_end = value_end
        self.is_quoted = is_quoted
        self.comment = ""
        self.lead_start = start
        self.children: list[Node] = []
        self.parent: Node | None = None

    def adopt(self, child: Node) -> Node:
        child.parent = self
        self.children.append(child)
        return child

    @property
    def span(self) -> Span:
        """The whole of the node, from its name or opening tag to its end."""
        return Span(self.start, self.end)

    @property
    def value_span(self) -> Span | None:
        """What stands between the quotes, tags or brackets; None for a self-closing element."""
        return Span(self.value_start, self.value_end) if self.value_start >= 0 else None

    @property
    def is_value(self) -> bool:
        return self.kind is NodeKind.VALUE

    def child(self, name: str) -> Node | None:
        """The first child of that name."""
        return next((child for child in self.children if child.name == name), None)

    def walk(self) -> Iterator[Node]:
        """This node and all below it, in the order of the text. Not recursive: depth is the file's choice."""
        stack = [self]
        while stack:
            node = stack.pop()
            yield node
            stack.extend(reversed(node.children))

    @property
    def names(self) -> tuple[str, ...]:
        """Names from below the root down to this node."""
        result: list[str] = []
        node = self
        while node.parent is not None:
            result.append(node.name)
            node = node.parent
        return tuple(reversed(result))

    def __repr__(self) -> str:
        return f"<{self.kind} {'/'.join(self.names) or '(root)'} {self.start}-{self.end}>"
