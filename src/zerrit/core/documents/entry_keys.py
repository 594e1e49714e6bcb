"""
Which field names the entries of a document.

It is either given (a gamebook says so) or found: the first field, preferring `name`, `id` and `key`, that all
entries of one kind have and that tells siblings apart. It is chosen once for all entries of a kind, since an
address that changed its form with each new sibling could not be written down.

A kind is judged by its first `SAMPLE` entries: that many tell as much as 200,000 would, and the inside of the
rest need not be read. An entry further down that has no such field, or shares its key with a sibling, is named
by its number.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import islice
from typing import Final, Protocol

from zerrit.core.addresses import KeyPattern, Segment, keyed_segment, print_segments
from zerrit.core.documents.format import Format
from zerrit.core.documents.node import Node, NodeKind, fields_of
from zerrit.core.documents.scalars import as_number
from zerrit.core.wildcards import path_matches

PREFERRED_KEYS: Final = ("name", "id", "key", "title", "code")
SAMPLE: Final = 300
MOST_PARTS: Final = 5  # of an entry; what holds more inner entries than that is there to hold them
FEW_CHILDREN: Final = 16  # of a group; they are gone through each time


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
    """What is known of nodes with the same names from the root down."""

    nodes: list[Node] = field(default_factory=list)  #: of any sort, up to `SAMPLE`
    entries: list[Node] = field(default_factory=list)  #: those that are no plain field of their parent
    is_repeated: bool = False
    may_repeat: bool = False
    is_section: bool = False  #: has its own name; only a field that is called a name can be its key
    key: str = ""  #: the field that the format names entries by


@dataclass(slots=True)
class _Siblings:
    """The children of one parent that share a name: in order, and by their keys.

    Nearly every key is borne by one of them; a list for each would be 20,000 lists that the garbage collector visits.
    """

    nodes: list[Node]
    first: dict[str, Node]  #: the first with each key
    more: dict[str, list[Node]]  #: the others with the same key
    place: dict[int, int] = field(default_factory=dict)  #: 1-based, by the identity of the node; made when asked for

    def called(self, key: str) -> list[Node]:
        """Those with this key, in order."""
        first = self.first.get(key)
        return [first, *self.more.get(key, ())] if first is not None else []

    def place_of(self, node: Node) -> int:
        if not self.place:
            self.place = {id(sibling): number for number, sibling in enumerate(self.nodes, 1)}
        return self.place[id(node)]


class Keys:
    """Which field names the entries of each kind.

    Two documents that are compared share one `Keys`, so that an entry has the same identity in both.
    """

    def __init__(self, given: Mapping[str, str], documents: Sequence[HasEntries] = ()) -> None:
        self._given = given
        self._documents = documents
        self._fields: dict[tuple[str, ...], str | None] = {}
        self._kinds: dict[tuple[str, ...], _Kind] = {}
        self._siblings: dict[int, dict[str, _Siblings]] = {}
        self._by_name: dict[int, dict[str, list[Node]]] = {}
        self._holders: dict[int, bool] = {}

    @classmethod
    def of(cls, documents: Iterable[HasEntries]) -> Keys:
        given: dict[str, str] = {}
        listed = tuple(documents)
        for document in listed:
            given.update(document.given_keys)
        return cls(given, listed)

    # --- choosing the key field of a kind -----------------------------------------------------------------------

    def field_for(self, names: tuple[str, ...]) -> str | None:
        """The name of the key field of entries with these `names`; `=` where the value itself is the key."""
        if names not in self._fields:
            self._fields[names] = self._given_for(names) or self._choose(self._kind(names))
        return self._fields[names]

    def _given_for(self, names: tuple[str, ...]) -> str | None:
        path = "/".join(names)
        patterns = (kind for kind in self._given if "*" in kind or "?" in kind)
        return self._given.get(path) or next((self._given[one] for one in patterns if path_matches(one, path)), None)

    def _kind(self, names: tuple[str, ...]) -> _Kind:
        kind = self._kinds.get(names)
        if kind is None:
            kind = self._kinds[names] = _Kind()
            for document in self._documents:
                self._learn(kind, document, names)
        return kind

    def _learn(self, kind: _Kind, document: HasEntries, names: tuple[str, ...]) -> None:
        root = document.root
        is_ini = document.format.traits.sections
        kind.key = document.format.traits.key or kind.key
        parents = [root] if len(names) == 1 else self._kind(names[:-1]).nodes
        most = len(kind.nodes) + SAMPLE
        for parent in parents:
            if parent is not root and not _is_below(parent, root):
                continue
            same = self._called(parent, names[-1])
            is_entry = len(same) > 1 or parent.kind is NodeKind.LIST
            kind.nodes += same[: most - len(kind.nodes)]
            kind.entries += [child for child in same[:SAMPLE] if is_entry or not child.is_value]
            kind.is_repeated = kind.is_repeated or (is_entry and bool(same))
            if same and parent is root and is_ini:
                # A setting of an INI file may get a twin; its sections, below the root, have their own names.
                kind.is_section = kind.is_section or not same[0].is_value
            elif document.format.traits.may_repeat:
                kind.may_repeat = True
            if len(kind.nodes) >= most:
                break

    @staticmethod
    def _choose(kind: _Kind) -> str | None:
        if not kind.entries or not (kind.is_repeated or kind.may_repeat):
            return None
        first = kind.entries[0]
        if kind.key and (kind.is_repeated or not first.is_value):
            field_name = "=" if first.is_value else kind.key
            return field_name if _tells_apart(kind.entries, field_name, is_name=True) else None
        if not kind.is_repeated:
            # An only child that says its name keeps its address when it gets siblings.
            named = (child.name for child in first.children if child.value and _is_name(child.name))
            return next((name for name in named if _tells_apart(kind.entries, name)), None)
        if all(node.is_value for node in kind.entries):
            return "=" if _tells_apart(kind.entries, "=") else None
        fields = [child.name for child in first.children if child.is_value and child.value]
        if len(fields) < len(first.children):
            fields = [name for name in fields if sum(child.name == name for child in first.children) == 1]
        ranked = sorted(fields, key=_preference)
        if kind.is_section:
            ranked = [name for name in ranked if _is_name(name)]
        return next((name for name in ranked if _tells_apart(kind.entries, name)), None)

    def is_repeated(self, names: tuple[str, ...]) -> bool:
        """Nodes with these `names` occur several times in one parent, or in a list."""
        return self._kind(names).is_repeated

    # --- the keys of nodes ---------------------------------------------------------------------------------------

    def key_of(self, node: Node) -> str:
        """The key of an entry, or an empty text for a node that has none."""
        if node.parent is None:
            return ""
        return self.key_among(node.parent.names, node)

    def key_among(self, parent_names: tuple[str, ...], node: Node) -> str:
        """The key that a node, of this or another document, would have below the parent with these names."""
        name = self.field_for((*parent_names, node.name))
        return _field_value(node, name) if name else ""

    def _called(self, parent: Node, name: str) -> list[Node]:
        """The children of `parent` called `name`; of a large group they are sorted by name once."""
        children = parent.children
        if len(children) <= FEW_CHILDREN:
            return [child for child in children if child.name == name]
        by_name = self._by_name.get(id(parent))
        if by_name is None:
            by_name = self._by_name[id(parent)] = {}
            for child in children:
                by_name.setdefault(child.name, []).append(child)
        return by_name.get(name, [])

    def siblings(self, parent: Node, name: str) -> _Siblings:
        """The children of `parent` called `name`."""
        by_name = self._siblings.setdefault(id(parent), {})
        found = by_name.get(name)
        if found is None:
            nodes = self._called(parent, name)
            first: dict[str, Node] = {}
            more: dict[str, list[Node]] = {}
            key_field = self.field_for((*parent.names, name)) if nodes else None
            if key_field:
                for node, key in zip(nodes, _field_values(nodes, key_field), strict=True):
                    if key and first.setdefault(key, node) is not node:
                        more.setdefault(key, []).append(node)
            found = by_name[name] = _Siblings(nodes, first, more)
        return found

    def with_key(self, parent: Node, name: str, patterns: Sequence[KeyPattern]) -> list[Node]:
        """The children of `parent` called `name` whose key fits one of the patterns, in the order of the text."""
        siblings = self.siblings(parent, name)
        if len(patterns) == 1 and patterns[0].is_plain:
            return siblings.called(patterns[0].text)
        fitting = {key for key in siblings.first if any(pattern.matches(key) for pattern in patterns)}
        chosen = [node for key in fitting for node in siblings.called(key)]
        return sorted(chosen, key=lambda node: node.start)

    def segment_of(self, node: Node) -> Segment:
        """The last segment of the node's address."""
        parent = node.parent
        if parent is None:
            raise ValueError("the root has no segment")
        siblings = self.siblings(parent, node.name)
        key = self.key_of(node)
        if key and siblings.first.get(key) is node and key not in siblings.more:
            return keyed_segment(node.name, key)
        if len(siblings.nodes) == 1 and node.name and not key:
            return Segment(node.name)
        return Segment(node.name, ordinal=siblings.place_of(node))

    def entry_of(self, node: Node) -> Node:
        """The entry that a node belongs to: the outermost one, but for entries that are there to hold others.

        The node itself where it is in no entry.
        """
        above: list[Node] = []
        at = node
        while at.parent is not None:
            segment = self.segment_of(at)
            if segment.keys or segment.ordinal:
                above.append(at)
            at = at.parent
        whole = (one for one in reversed(above) if not self.holds_entries(one))
        return next(whole, above[0] if above else node)

    def holds_entries(self, node: Node) -> bool:
        """A group that people see as a shelf of things and not as a thing of parts, since it has many entries."""
        found = self._holders.get(id(node))
        if found is None:
            groups = [node, *(child for child in node.children if child.kind is NodeKind.LIST)]
            found = self._holders[id(node)] = any(self._has_many(group) for group in groups)
        return found

    def _has_many(self, group: Node) -> bool:
        """It has more than `MOST_PARTS` entries; no more are looked into than that takes."""
        entries = (child for child in group.children if child.has_children and self.key_of(child))
        return sum(1 for _ in islice(entries, MOST_PARTS + 1)) > MOST_PARTS

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


def _is_below(node: Node, root: Node) -> bool:
    while node.parent is not None:
        node = node.parent
    return node is root


def _preference(field_name: str) -> int:
    plain = field_name.removeprefix("@").lower()
    return PREFERRED_KEYS.index(plain) if plain in PREFERRED_KEYS else len(PREFERRED_KEYS)


def _is_name(field_name: str) -> bool:
    return _preference(field_name) < len(PREFERRED_KEYS)


def _tells_apart(nodes: Sequence[Node], field_name: str, *, is_name: bool = False) -> bool:
    """All nodes have the field and nearly all siblings differ in it.

    One entry pasted twice must not rename all others, so a preferred name may repeat once in twenty. A field that
    holds numbers is not a name unless it is called one: changing it would change who the entry is.
    """
    is_preferred = is_name or _is_name(field_name)
    seen: set[tuple[int, str]] = set()
    repeats = 0
    for node, value in zip(nodes, _field_values(nodes, field_name), strict=True):
        if not value or (not is_preferred and as_number(value) is not None):
            return False
        pair = (id(node.parent), value)
        repeats += pair in seen
        seen.add(pair)
    return repeats * 20 <= len(nodes) if is_preferred or field_name == "=" else repeats == 0


def _field_values(nodes: Sequence[Node], field_name: str) -> list[str]:
    if field_name == "=":
        return [node.value or "" for node in nodes]
    return [value or "" for value in fields_of(nodes, field_name)]


def _field_value(node: Node, field_name: str) -> str:
    if field_name == "=":
        return node.value or ""
    return node.field(field_name) or ""
