"""
What differs between two documents, by address.

Entries meet by their keys, and both documents share one choice of keys, so that a thing has the same identity
in both. What has no key meets by content: equal ones first, the rest in their order. Subtrees with the same
text are passed over at once, which is what makes comparing two long files that differ in a few places cheap.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from enum import StrEnum
from itertools import pairwise

from zerrit.core.addresses import print_segments
from zerrit.core.documents.document import Document
from zerrit.core.documents.format import Format
from zerrit.core.documents.keys import Keys
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import as_number
from zerrit.core.documents.writing import source_of, written
from zerrit.core.sequences import longest_increasing


class DifferenceKind(StrEnum):
    CHANGED = "changed"
    ADDED = "added"
    REMOVED = "removed"
    MOVED = "moved"  #: stands elsewhere among its siblings
    RENAMED = "renamed"  #: the same content under another key
    COMMENT = "comment"  #: only the documenting comment differs
    LAYOUT = "layout"  #: only white space, quotes, order of attributes or free comments differ


@dataclass(frozen=True, slots=True)
class Difference:
    """One difference. `old` and `new` are values, or the source text of an entry that came or went."""

    kind: DifferenceKind
    address: str
    old: str | None = None
    new: str | None = None
    delta: str = ""  #: for numbers, with sign

    @property
    def entry(self) -> str:
        """The address of the outermost entry that it belongs to; differences are grouped and counted by it."""
        path, mark, node = self.address.partition("#")
        depth = 0
        for at, character in enumerate(node):
            depth += (character == "[") - (character == "]")
            if character == "/" and depth == 0 and "[" in node[:at]:
                return f"{path}{mark}{node[:at]}"
        return self.address


def compare_documents(old: Document, new: Document) -> list[Difference]:
    """All differences in the order of the texts; empty for equal texts."""
    if old.text == new.text:
        return []
    comparison = _Comparison(old, new)
    found = list(comparison.node(old.root, new.root))
    return found or [Difference(DifferenceKind.LAYOUT, new.path)]


def compare_files(old: Mapping[str, Document], new: Mapping[str, Document]) -> list[Difference]:
    """Compare two folders of documents by path; files that came or went are one difference each."""
    found: list[Difference] = []
    for path in sorted(old.keys() | new.keys()):
        if path not in new:
            found.append(Difference(DifferenceKind.REMOVED, path, old="file"))
        elif path not in old:
            found.append(Difference(DifferenceKind.ADDED, path, new="file"))
        else:
            found.extend(compare_documents(old[path], new[path]))
    return found


class _Comparison:
    def __init__(self, old: Document, new: Document) -> None:
        self.old = old
        self.new = new
        self.keys = Keys.of([old, new])

    def node(self, a: Node, b: Node) -> Iterator[Difference]:
        same_text = self.old.text[a.start : a.end] == self.new.text[b.start : b.end]
        if not same_text:
            if a.kind is not b.kind and not (a.children and b.children):
                yield self._made(DifferenceKind.CHANGED, a, b, source_of(self.old, a), source_of(self.new, b))
                return
            if a.value is not None or b.value is not None:
                yield from self._values(a, b)
            yield from self._children(a, b)
        if a.comment != b.comment:
            yield self._made(DifferenceKind.COMMENT, a, b, a.comment, b.comment)

    def _values(self, a: Node, b: Node) -> Iterator[Difference]:
        old, new = a.value or "", b.value or ""
        differs = old != new
        if not differs and a.is_quoted != b.is_quoted and self.old.format in (Format.JSON, Format.YAML):
            old_source, new_source = written(self.old, a), written(self.new, b)
            differs = old_source.strip("'\"") == new_source.strip("'\"") and old_source[:1] != new_source[:1]
            old, new = old_source, new_source
        if differs:
            yield self._made(DifferenceKind.CHANGED, a, b, old, new)

    def _children(self, a: Node, b: Node) -> Iterator[Difference]:
        same, mine, yours = self._same_places(a, b)
        pairs, gone, come = self._match(a, mine, b, yours)
        renamed = self._renamed(gone, come)
        moved = self._moved(a, b, [*same, *pairs])
        partner = {id(old): new for old, new in pairs}
        went = {id(node) for node in gone}
        for child, twin in same:
            if id(child) in moved:
                yield self._made(DifferenceKind.MOVED, child, twin, None, None)
        for child in mine:
            if id(child) in went:
                new_node = renamed.get(id(child))
                if new_node is not None:
                    yield self._made(
                        DifferenceKind.RENAMED, child, new_node, self.keys.key_of(child), self.keys.key_of(new_node)
                    )
                else:
                    yield self._made(DifferenceKind.REMOVED, child, None, source_of(self.old, child), None)
            else:
                twin = partner[id(child)]
                if id(child) in moved:
                    yield self._made(DifferenceKind.MOVED, child, twin, None, None)
                yield from self.node(child, twin)
        arrived = {id(node) for node in renamed.values()}
        for child in come:
            if id(child) not in arrived:
                yield self._made(DifferenceKind.ADDED, None, child, None, source_of(self.new, child))

    def _same_places(self, a: Node, b: Node) -> tuple[list[tuple[Node, Node]], list[Node], list[Node]]:
        """Pairs that stand at the same place with the same text, and the other children of both.

        Of two long files that differ in a few entries nearly all are such pairs; nothing else need be known of them.
        """
        old, new = a.children, b.children
        head = self._run(old, new, 1)
        tail = self._run(old[head:], new[head:], -1)
        same = [*zip(old[:head], new[:head], strict=True)]
        if tail:
            same += zip(old[-tail:], new[-tail:], strict=True)
        mine, yours = old[head : len(old) - tail], new[head : len(new) - tail]
        if len(mine) != len(yours):
            return same, list(mine), list(yours)
        pairs = [*zip(mine, yours, strict=True)]
        equal = [self._is_same(one, other) for one, other in pairs]
        same += (pair for pair, is_same in zip(pairs, equal, strict=True) if is_same)
        return (
            same,
            [m for m, is_same in zip(mine, equal, strict=True) if not is_same],
            [y for y, is_same in zip(yours, equal, strict=True) if not is_same],
        )

    def _run(self, old: Sequence[Node], new: Sequence[Node], step: int) -> int:
        """How many children are the same from the start, or from the end (`step` -1)."""
        length = 0
        for one, other in zip(old[::step], new[::step], strict=False):
            if not self._is_same(one, other):
                break
            length += 1
        return length

    def _is_same(self, a: Node, b: Node) -> bool:
        return a.comment == b.comment and self.old.text[a.start : a.end] == self.new.text[b.start : b.end]

    def _match(
        self, a: Node, mine: Sequence[Node], b: Node, yours: Sequence[Node]
    ) -> tuple[list[tuple[Node, Node]], list[Node], list[Node]]:
        """Pairs of children out of `mine` of `a` and `yours` of `b`, then those only in `a`, then those only in `b`."""
        theirs: dict[tuple[str, str, int], Node] = {}
        keyless: dict[str, tuple[list[Node], list[Node]]] = {}
        for identity, node in self._identities(b, yours):
            if identity is None:
                keyless.setdefault(node.name, ([], []))[1].append(node)
            else:
                theirs[identity] = node
        pairs: list[tuple[Node, Node]] = []
        gone: list[Node] = []
        for identity, node in self._identities(a, mine):
            if identity is None:
                keyless.setdefault(node.name, ([], []))[0].append(node)
            elif identity in theirs:
                pairs.append((node, theirs.pop(identity)))
            else:
                gone.append(node)
        come = list(theirs.values())
        for own, other in keyless.values():
            self._align(own, other, pairs, gone, come)
        return pairs, gone, sorted(come, key=lambda node: node.start)

    def _identities(self, parent: Node, children: Sequence[Node]) -> Iterator[tuple[tuple[str, str, int] | None, Node]]:
        counts: dict[tuple[str, str], int] = {}
        names = Counter(child.name for child in parent.children)
        for child in children:
            key = self.keys.key_of(child)
            # Lines have no identity but their place: one that reads otherwise is changed, not gone and come.
            is_line = self.old.format is Format.TEXT
            if is_line or (not key and (parent.kind is NodeKind.LIST or names[child.name] > 1)):
                yield None, child
                continue
            number = counts.get((child.name, key), 0)
            counts[child.name, key] = number + 1
            yield (child.name, key, number), child

    def _align(
        self,
        mine: list[Node],
        yours: list[Node],
        pairs: list[tuple[Node, Node]],
        gone: list[Node],
        come: list[Node],
    ) -> None:
        old = [self.old.text[node.start : node.end] for node in mine]
        new = [self.new.text[node.start : node.end] for node in yours]
        for tag, i1, i2, j1, j2 in SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
            if tag == "equal" or (tag == "replace" and i2 - i1 == j2 - j1):
                pairs.extend(zip(mine[i1:i2], yours[j1:j2], strict=True))
            else:
                gone.extend(mine[i1:i2])
                come.extend(yours[j1:j2])

    def _renamed(self, gone: list[Node], come: list[Node]) -> dict[int, Node]:
        by_content = {self._content(self.new, node): node for node in come if self.keys.key_of(node)}
        found: dict[int, Node] = {}
        for node in gone:
            if self.keys.key_of(node) and (node.children or not node.is_value):
                twin = by_content.pop(self._content(self.old, node), None)
                if twin is not None:
                    found[id(node)] = twin
        return found

    def _content(self, document: Document, node: Node) -> tuple[str, str]:
        """The entry's text without its key."""
        field = self.keys.field_for(node.names)
        key = node.child(field) if field else None
        text = document.text
        if key is None:
            return node.name, text[node.start : node.end]
        return node.name, text[node.start : key.value_start] + "\0" + text[key.value_end : node.end]

    def _moved(self, a: Node, b: Node, pairs: list[tuple[Node, Node]]) -> set[int]:
        """Children that changed their place: those outside the longest run that kept its order."""
        if self.old.format in (Format.JSON, Format.YAML) and a.kind is NodeKind.GROUP:
            return set()  # the order of keys means nothing
        place = {id(node): index for index, node in enumerate(b.children)}
        pairs.sort(key=lambda pair: pair[0].start)
        if all(place[id(one[1])] < place[id(other[1])] for one, other in pairwise(pairs)):
            return set()  # all in the same order, whatever their keys
        keyed = [(old, place[id(new)]) for old, new in pairs if not old.name.startswith("@") and self.keys.key_of(old)]
        keyed.sort(key=lambda pair: pair[0].start)
        kept = longest_increasing([index for _, index in keyed])
        return {id(old) for number, (old, _) in enumerate(keyed) if number not in kept}

    def _made(
        self, kind: DifferenceKind, a: Node | None, b: Node | None, old: str | None, new: str | None
    ) -> Difference:
        node, document = (b, self.new) if b is not None else (a, self.old)
        if node is None:
            raise ValueError("a difference needs a node")
        address = print_segments(self.keys.segments_of(node))
        return Difference(
            kind,
            f"{document.path}#{address}" if address else document.path,
            old,
            new,
            _delta(old, new) if kind is DifferenceKind.CHANGED else "",
        )


def _delta(old: str | None, new: str | None) -> str:
    before, after = as_number(old or ""), as_number(new or "")
    return f"{after - before:+f}" if before is not None and after is not None else ""
