"""The entries of one kind in a document as rows and columns, with or without nodes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

from zerrit.core.addresses import FILE_ITSELF, parse_node_address
from zerrit.core.documents import Document, Node
from zerrit.core.documents.node import fields_of
from zerrit.core.examination.check_context import Examination
from zerrit.core.examination.plain_values import Plain, entries_at, field_values, values_in


class Rows:
    """All entries of one kind. `plain` are their plain values where these can be had; nodes are made on demand."""

    def __init__(self, document: Document, names: str, plain: Sequence[Plain] | None) -> None:
        self.document = document
        self.names = names
        self.plain = plain
        self._columns: dict[str, Column] = {}

    @classmethod
    def of(cls, examination: Examination, document: Document, names: str) -> Rows:
        key = ("rows", document.path, names)
        kept: Rows | None = examination.passing.get(key)
        if kept is None:
            root = examination.plain(document)
            segments = () if names == FILE_ITSELF else parse_node_address(names)
            plain = entries_at(root, segments) if root is not None else None
            kept = examination.passing[key] = cls(document, names, plain)
        return kept

    @cached_property
    def nodes(self) -> Sequence[Node]:
        return nodes_of_kind(self.document, self.names)

    def node(self, index: int) -> Node:
        return self.nodes[index]

    def __len__(self) -> int:
        return len(self.plain) if self.plain is not None else len(self.nodes)

    def column(self, place: str) -> Column:
        """The values of the field at a place below each entry."""
        if place not in self._columns:
            self._columns[place] = self._column(place)
        return self._columns[place]

    def _column(self, place: str) -> Column:
        is_xml = self.document.format.traits.attributes
        if place == "*" and self.plain is not None and not is_xml:
            return Column(self, place, (), None, [values_in(entry) for entry in self.plain])
        if "/" not in place and place != "*":
            if self.plain is not None:
                values = field_values(self.plain, place, is_xml=is_xml)
                if values is not None:
                    return Column(self, place, values, None)
            if place.startswith("@") or self.document.format.traits.unique_names:
                return Column(self, place, fields_of(self.nodes, place) if self.nodes else [], None)
        return Column(self, place, (), [values_below(node, place) for node in self.nodes])


@dataclass(frozen=True)
class Column:
    """The values of one field in all rows.

    At most one each (`single`), or the nodes of all that there are (`groups`), or all of them as texts (`texts`).
    """

    rows: Rows
    place: str
    single: Sequence[str | None]
    groups: Sequence[Sequence[Node]] | None
    texts: Sequence[Sequence[str]] | None = None

    @property
    def is_single(self) -> bool:
        return self.groups is None and self.texts is None

    def values(self, index: int) -> Sequence[str]:
        """The values of the field in the entry with this number."""
        if self.texts is not None:
            return self.texts[index]
        if self.groups is not None:
            return [node.value or "" for node in self.groups[index]]
        value = self.single[index]
        return () if value is None else (value,)

    def node(self, index: int, number: int) -> Node:
        """The node of one of these values."""
        group = self.groups[index] if self.groups is not None else values_below(self.rows.node(index), self.place)
        return group[number]

    def __iter__(self) -> Iterator[tuple[int, int, str]]:
        """Number of the entry, number of the value in it, value."""
        if self.texts is not None:
            for index, texts in enumerate(self.texts):
                yield from ((index, number, text) for number, text in enumerate(texts))
            return
        if self.groups is None:
            for index, value in enumerate(self.single):
                if value is not None:
                    yield index, 0, value
            return
        for index, group in enumerate(self.groups):
            for number, node in enumerate(group):
                yield index, number, node.value or ""

    def distinct(self) -> set[str]:
        """Every value that is somewhere, once; a long file mostly holds the same few again and again."""
        if self.texts is not None:
            return set().union(*self.texts)
        if self.groups is None:
            return {value for value in set(self.single) if value is not None}
        return {node.value or "" for group in self.groups for node in group}

    def absent(self) -> Iterator[int]:
        """The numbers of entries that do not have it, not even as a group or list."""
        if not self.is_single:
            found = self.texts if self.texts is not None else self.groups or ()
            yield from (index for index, values in enumerate(found) if not values)
            return
        missing = (index for index, value in enumerate(self.single) if value is None)
        yield from (index for index in missing if self.rows.node(index).child(self.place) is None)


def nodes_of_kind(document: Document, names: str) -> Sequence[Node]:
    """The entries of a kind, which is written as in a gamebook."""
    return [document.root] if names == FILE_ITSELF else document.select(names)


def values_below(node: Node, place: str) -> list[Node]:
    """The values at a place below an entry: names separated by `/`, `*` for any."""
    nodes = [node]
    for name in place.split("/"):
        nodes = [child for parent in nodes for child in parent.children if name in ("*", child.name)]
    return [found for found in nodes if found.value is not None]
