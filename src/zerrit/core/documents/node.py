"""
The one tree of nodes that is over the text of every format.

A node is a view: it owns no text, only offsets into `Document.text`. Nodes are built once by a reader and not
changed afterwards; they are a plain class with slots rather than a frozen dataclass because a large file has
some 200,000 of them and a frozen dataclass costs three times as much to make.

What is below a node may be unread: a reader that knows a text to be sound only passes over the inside of an
entry, and the inside is read when someone asks for `children`. A person looks at one entry of 20,000; making
the nodes of all of them would take ten times as long as finding out that the file is sound.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum
from threading import RLock
from typing import Final, Protocol


class NodeKind(StrEnum):
    GROUP = "group"  #: XML element, JSON object, YAML mapping, INI section, INI struct with names
    LIST = "list"  #: JSON array, YAML sequence, INI struct without names
    VALUE = "value"


@dataclass(frozen=True, slots=True)
class Span:
    """Where a node is in the text of its document."""

    start: int  #: Offset into `Document.text` in characters, 0-based, inclusive.
    end: int  #: Offset, exclusive; equal to `start` for a place where text can be inserted.


class Inside(Protocol):
    """Reads on demand what is below a node. One object serves all nodes of a text."""

    def children_of(self, node: Node) -> list[Node]:
        """The nodes directly below `node`, in the order of the text, with `node` as their parent."""
        ...

    def field_of(self, node: Node, name: str) -> str | None:
        """The value of the first field called `name`; None where there is none, or where it is not a value."""
        ...

    def fields_of(self, nodes: Sequence[Node], name: str) -> list[str | None]:
        """The same of many unread nodes, all of them of this text."""
        ...


#: Two threads may look into one unread node; both must meet the same nodes below it.
_READING: Final = RLock()


class Node:
    """One node.

    `name`: element name, key, section name; `@name` for an XML attribute; empty for an item of a list.
    `value`: the meaning of a value as text (entities resolved, quotes off), or None for groups and lists.
    An XML element with both attributes and text is a group that has a value besides its children.
    `is_quoted`: the value stood in quotes, so that `"1"` is text where `1` is a number.
    `comment`: the documenting comment above or beside it, without comment signs.
    `lead_start`: where the comments above it begin that belong to it; equal to `start` where there are none.
    `inside`: what reads the children when they are asked for; None once they are there.
    """

    __slots__ = (
        "_children",
        "comment",
        "end",
        "inside",
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
        value: str | None = None,
        value_start: int = -1,
        value_end: int = -1,
        is_quoted: bool = False,
        parent: Node | None = None,
        inside: Inside | None = None,
    ) -> None:
        self.kind = kind
        self.name = name
        self.start = start
        self.end = end
        self.value = value
        self.value_start = value_start
        self.value_end = value_end
        self.is_quoted = is_quoted
        self.parent = parent
        self.inside = inside
        self.comment = ""
        self.lead_start = start
        self._children: list[Node] | None = None

    @property
    def children(self) -> Sequence[Node]:
        """The nodes directly below, in the order of the text; read now if they are not yet."""
        if self.inside is not None:
            self._read_inside()
        return self._children if self._children is not None else ()

    def _read_inside(self) -> None:
        with _READING:
            if self.inside is not None:
                self._children = self.inside.children_of(self)
                self.inside = None

    @property
    def has_children(self) -> bool:
        """There are nodes below, read or unread."""
        return self.inside is not None or bool(self._children)

    def adopt(self, child: Node) -> Node:
        child.parent = self
        if self._children is None:
            self._children = [child]
        else:
            self._children.append(child)
        return child

    def disown(self, index: int) -> list[Node]:
        """Give away the children from `index` on; for readers that find out late where a group ended."""
        children = self._children or []
        given = children[index:]
        del children[index:]
        return given

    @property
    def span(self) -> Span:
        """The whole of the node, from its name or opening tag to its end."""
        return Span(self.start, self.end)

    @property
    def value_span(self) -> Span | None:
        """What is between the quotes, tags or brackets; None for a self-closing element."""
        return Span(self.value_start, self.value_end) if self.value_start >= 0 else None

    @property
    def is_value(self) -> bool:
        return self.kind is NodeKind.VALUE

    def child(self, name: str) -> Node | None:
        """The first child of that name."""
        return next((child for child in self.children if child.name == name), None)

    def field(self, name: str) -> str | None:
        """The value of the first field called `name`; None where there is none, or where it is a group or list."""
        if self.inside is not None:
            return self.inside.field_of(self, name)
        for child in self._children or ():
            if child.name == name:
                return child.value if child.kind is NodeKind.VALUE else None
        return None

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


def fields_of(nodes: Sequence[Node], name: str) -> list[str | None]:
    """`Node.field` of many siblings, quicker than one by one where they are unread."""
    inside = next((node.inside for node in nodes if node.inside is not None), None)
    if inside is None:
        return [node.field(name) for node in nodes]
    is_unread = [node.inside is inside for node in nodes]
    unread = iter(inside.fields_of([node for node, flag in zip(nodes, is_unread, strict=True) if flag], name))
    return [next(unread) if flag else node.field(name) for node, flag in zip(nodes, is_unread, strict=True)]
