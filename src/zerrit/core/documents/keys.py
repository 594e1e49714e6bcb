"""
Which field names the entries of a document.

It is either given (a gamebook says so) or found: the first field, preferring `name`, `id` and `key`, that all
entries of one kind have and that tells siblings apart. It is chosen once for all entries of a kind, since an
address that changed its form with each new sibling could not be written down.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Final, Protocol

from zerrit.core.addresses import Segment, keyed_segment, print_segments
from zerrit.core.documents.format import Format
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import as_number

PREFERRED_KEYS: Final = ("name", "id", "key", "title", "code")


class HasEntries(Protocol):
    """What is needed of a document to find its keys."""

    @property
    def root(self) -> Node: ...

    @property
    def format(self) -> Format: ...

    @property
    def given_keys(self) -> Mapping[str, str]: ...


@dataclass(slots=True)
class _Kind:
    """What is known of all nodes with the same names from the root down."""

    nodes: list[Node] = field(default_factory=list)
    is_repeated: bool = False
    may_repeat: bool = False
    is_section: bool = False  #: bears its own name; only a field that is called a name can be its key


class Keys:
    """Which field names the entries of each kind.

    Two documents that are compared share one `Keys`, so that an entry has the same identity in both.
    """

    def __init__(self, given: Mapping[str, str]) -> None:
        self._given = given
        self._fields: dict[tuple[str, ...], str | None] = {}
        self._kinds: dict[tuple[str, ...], _Kind] = {}
        self._siblings: dict[int, dict[tuple[str, str], int]] = {}

    @classmethod
    def of(cls, documents: Iterable[HasEntries]) -> Keys:
        given: dict[str, str] = {}
        listed = list(documents)
        for document in listed:
            given.update(document.given_keys)
        keys = cls(given)
        for document in listed:
            keys._learn(document.root, document.format)
        return keys

    def _learn(self, root: Node, format: Format) -> None:
        is_ini = format is Format.INI
        may_repeat = format in (Format.XML, Format.INI)
        stack: list[tuple[Node, tuple[str, ...]]] = [(root, ())]
        while stack:
            parent, names = stack.pop()
            counts: dict[str, int] = {}
            for child in parent.children:
                counts[child.name] = counts.get(child.name, 0) + 1
            for child in parent.children:
                if child.is_value and counts[child.name] == 1 and parent.kind is not NodeKind.LIST:
                    continue  # a plain field; most nodes are
                kind_names = (*names, child.name)
                kind = self._kinds.setdefault(kind_names, _Kind())
                kind.nodes.append(child)
                kind.is_repeated = kind.is_repeated or counts[child.name] > 1 or parent.kind is NodeKind.LIST
                # A setting of an INI file may get a twin; its sections, below the root, bear their own names.
                kind.is_section = is_ini and parent is root and not child.is_value
                kind.may_repeat = kind.may_repeat or (may_repeat and not (is_ini and parent is root))
                if child.children:
                    stack.append((child, kind_names))

    def field_for(self, names: tuple[str, ...]) -> str | None:
        """The name of the key field of entries with these `names`; `=` where the value itself is the key."""
        if names not in self._fields:
            self._fields[names] = self._choose(names)
        return self._fields[names]

    def _choose(self, names: tuple[str, ...]) -> str | None:
        given = self._given.get("/".join(names))
        if given:
            return given
        kind = self._kinds.get(names)
        if kind is None or not (kind.is_repeated or kind.may_repeat):
            return None
        if not kind.is_repeated:
            # An only child that says its name keeps its address when it gets siblings.
            named = (child.name for child in kind.nodes[0].children if child.value and _is_name(child.name))
            return next((name for name in named if _tells_apart(kind.nodes, name)), None)
        if all(node.is_value and not node.children for node in kind.nodes):
            return "=" if _tells_apart(kind.nodes, "=") else None
        first = kind.nodes[0]
        fields = [child.name for child in first.children if child.is_value and child.value]
        if len(fields) < len(first.children):
            fields = [name for name in fields if sum(child.name == name for child in first.children) == 1]
        ranked = sorted(fields, key=_preference)
        if kind.is_section:
            ranked = [name for name in ranked if _is_name(name)]
        return next((name for name in ranked if _tells_apart(kind.nodes, name)), None)

    def key_of(self, node: Node) -> str:
        """The key of an entry, or an empty text for a node that has none."""
        if node.parent is None:
            return ""
        return self.key_among(node.parent.names, node)

    def key_among(self, parent_names: tuple[str, ...], node: Node) -> str:
        """The key that a node, of this or another document, would have below the parent with these names."""
        name = self.field_for((*parent_names, node.name))
        return _field_value(node, name) if name else ""

    def segment_of(self, node: Node) -> Segment:
        """The last segment of the node's address."""
        parent = node.parent
        if parent is None:
            raise ValueError("the root has no segment")
        counts = self._siblings.get(id(parent))
        if counts is None:
            counts = {}
            for child in parent.children:
                counts[child.name, ""] = counts.get((child.name, ""), 0) + 1
                key = self.key_of(child)
                if key:
                    counts[child.name, key] = counts.get((child.name, key), 0) + 1
            self._siblings[id(parent)] = counts
        key = self.key_of(node)
        if key and counts[node.name, key] == 1:
            return keyed_segment(node.name, key)
        if counts[node.name, ""] == 1 and node.name and not key:
            return Segment(node.name)
        same = [child for child in parent.children if child.name == node.name]
        return Segment(node.name, ordinal=next(i for i, child in enumerate(same, 1) if child is node))

    def segments_of(self, node: Node) -> tuple[Segment, ...]:
        """The address of a node, from below the root down."""
        segments: list[Segment] = []
        while node.parent is not None:
            segments.append(self.segment_of(node))
            node = node.parent
        return tuple(reversed(segments))

    def address_of(self, node: Node) -> str:
        """The node part of the address, ready to be pasted back; empty for the root."""
        return print_segments(self.segments_of(node))


def _preference(field_name: str) -> int:
    plain = field_name.removeprefix("@").lower()
    return PREFERRED_KEYS.index(plain) if plain in PREFERRED_KEYS else len(PREFERRED_KEYS)


def _is_name(field_name: str) -> bool:
    return _preference(field_name) < len(PREFERRED_KEYS)


def _tells_apart(nodes: list[Node], field_name: str) -> bool:
    """All nodes have the field and nearly all siblings differ in it.

    One entry pasted twice must not rename all others, so a preferred name may repeat once in twenty. A field that
    holds numbers is no name unless it is called one: changing it would change who the entry is.
    """
    is_preferred = _is_name(field_name)
    seen: set[tuple[int, str]] = set()
    repeats = 0
    for node in nodes:
        value = _field_value(node, field_name)
        if not value or (not is_preferred and as_number(value) is not None):
            return False
        pair = (id(node.parent), value)
        repeats += pair in seen
        seen.add(pair)
    return repeats * 20 <= len(nodes) if is_preferred or field_name == "=" else repeats == 0


def _field_value(node: Node, field_name: str) -> str:
    if field_name == "=":
        return node.value or ""
    child = node.child(field_name)
    return (child.value or "") if child is not None and child.is_value else ""
