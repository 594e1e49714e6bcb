"""Copy the fields of one entry to its siblings, so that the fifth variant does not slip where the first four did not."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, field

from zerrit.core.addresses import Segment, keyed_segment, print_segments
from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import source_of, writer_of
from zerrit.core.documents.lookup import find
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Splice
from zerrit.core.documents.value_edits import Edit, ValueChange, place_of, rewrite, single
from zerrit.core.errors import EditRefused


def copy_fields(
    document: Document, segments: tuple[Segment, ...], targets: tuple[Segment, ...], names: Sequence[str]
) -> Edit:
    """Give every entry that `targets` lead to the fields of one other, all but the one that names it.

    `names` are the fields to copy, with or without @; without any, all. What a target has besides stays.

    Raises AddressNotFound, EditRefused: a field is not there, or a target is of another kind.
    """
    source = single(document, segments)
    if source.is_value and not source.children:
        raise EditRefused(f"{place_of(document, source)} has no fields that could be copied.")
    wanted = {name.removeprefix("@") for name in names}
    missing = wanted - {child.name.removeprefix("@") for child in source.children}
    if missing:
        raise EditRefused(f"{place_of(document, source)} has no field {', '.join(sorted(missing))}.")
    others = [node for node in find(document, targets) if node is not source]
    if not others:
        raise EditRefused(f"{print_segments(targets)} leads to no other entry than the one to copy from.")
    copying = _Copying(document)
    for target in others:
        if target.kind is not source.kind or any(above is source for above in _above(target)):
            raise EditRefused(f"{place_of(document, target)} is not a sibling of {place_of(document, source)}.")
        copying.group(source, target, wanted)
    return Edit(rewrite(document, copying.splices()), tuple(copying.changes))


def _above(node: Node | None) -> Iterator[Node]:
    while node is not None:
        yield node
        node = node.parent


@dataclass(slots=True)
class _Copying:
    document: Document
    changes: list[ValueChange] = field(default_factory=list)
    _set: list[Splice] = field(default_factory=list)
    _new: dict[tuple[int, int], tuple[Node, Node | None, list[str]]] = field(default_factory=dict)

    def group(self, source: Node, target: Node, names: Collection[str]) -> None:
        """All fields of `source`, or only those called `names`."""
        keys = self.document.keys
        key = keys.field_for(source.names) if keys.key_of(source) else None
        for child in source.children:
            if child.name == key or (names and child.name.removeprefix("@") not in names):
                continue
            twin = self._twin(child, source, target)
            if twin is None:
                self._add(child, target)
            elif child.children and twin.children:
                self.group(child, twin, ())
            elif child.is_value and twin.is_value:
                if child.value != twin.value:
                    self.changes.append(ValueChange(keys.address_of(twin), twin.value, child.value))
                    self._set += writer_of(self.document.format).set_value(self.document, twin, child.value or "")
            elif source_of(self.document, child) != source_of(self.document, twin):
                raise EditRefused(f"{place_of(self.document, twin)} holds something else than its like.")

    def _twin(self, child: Node, source: Node, target: Node) -> Node | None:
        key = self.document.keys.key_of(child)
        same = [node for node in target.children if node.name == child.name]
        if key:
            return next((node for node in same if self.document.keys.key_of(node) == key), None)
        place = [node for node in source.children if node.name == child.name].index(child)
        return same[place] if place < len(same) else None

    def _add(self, child: Node, target: Node) -> None:
        keys = self.document.keys
        key = keys.key_of(child)
        segment = keyed_segment(child.name, key) if key else Segment(child.name)
        text = source_of(self.document, child)
        self.changes.append(ValueChange(f"{keys.address_of(target)}/{segment}", None, text))
        same = [node for node in target.children if node.name == child.name]
        after = same[-1] if same else None
        self._new.setdefault((id(target), id(after)), (target, after, []))[2].append(text)

    def splices(self) -> list[Splice]:
        writer = writer_of(self.document.format)
        added = [
            splice
            for target, after, texts in sorted(self._new.values(), key=lambda one: -len(one[0].names))
            for splice in writer.insert(self.document, target, texts, after)
        ]
        return [*self._set, *added]
