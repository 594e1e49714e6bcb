"""
What differs between two documents, by address.

Entries meet by their keys, and both documents share one choice of keys, so that a thing has the same identity
in both. What has no key meets by content: equal ones first, the rest in their order. Subtrees with the same
text are passed over at once, which is what makes comparing two long files that differ in a few places cheap.
What means the same in other words (a flow list as lines, attributes in another order) differs in layout only.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from enum import StrEnum
from itertools import pairwise
from typing import Final

from zerrit.core.addresses import print_segments
from zerrit.core.documents.closed_text import are_lines, cut_lines, frame_of, is_opened_lines
from zerrit.core.documents.document import Document
from zerrit.core.documents.entry_keys import Keys
from zerrit.core.documents.equality import Contents, meaning_of
from zerrit.core.documents.format_writer import source_of, written
from zerrit.core.documents.measures import delta
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.renamed_files import renamed_files
from zerrit.core.sequences import longest_increasing

#: More places of a file than this that differ in layout only are told as one difference of the file.
MOST_LAYOUT: Final = 20


class DifferenceKind(StrEnum):
    CHANGED = "changed"
    ADDED = "added"
    REMOVED = "removed"
    MOVED = "moved"  #: is elsewhere among its siblings
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
    within: str = ""  #: the address of the entry that it belongs to; empty for what is in no entry

    @property
    def entry(self) -> str:
        """The address that differences are grouped and counted by."""
        return self.within or self.address


def compare_documents(old: Document, new: Document) -> list[Difference]:
    """All differences in the order of the texts; empty for equal texts."""
    if old.text == new.text:
        return []
    comparison = _Comparison(old, new)
    found = comparison.node(old.root, new.root)
    layout = [difference for difference in found if difference.kind is DifferenceKind.LAYOUT]
    if len(layout) > MOST_LAYOUT:
        found = [difference for difference in found if difference.kind is not DifferenceKind.LAYOUT]
        found.append(Difference(DifferenceKind.LAYOUT, new.path, None, f"{len(layout):,} places"))
    return found


def compare_files(old: Mapping[str, Document], new: Mapping[str, Document]) -> list[Difference]:
    """Compare two folders of documents by path; a file that came, went or got another name is one difference."""
    renamed = renamed_files(old, new)
    former = {new_path: old_path for old_path, new_path in renamed.items()}
    found: list[Difference] = []
    for path in sorted((old.keys() | new.keys()) - renamed.keys()):
        if path in former:
            found.append(Difference(DifferenceKind.RENAMED, path, former[path], path))
        elif path not in new:
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
        self.contents = Contents(self.keys)

    def node(self, a: Node, b: Node) -> list[Difference]:
        """What differs between two nodes that are the same place."""
        found: list[Difference] = []
        if a.comment != b.comment:
            found.append(self._made(DifferenceKind.COMMENT, a, b, a.comment, b.comment))
        if self._text(self.old, a) == self._text(self.new, b):
            return found
        if a.kind is not b.kind and not (a.children and b.children):
            old, new = source_of(self.old, a), source_of(self.new, b)
            return [self._made(DifferenceKind.CHANGED, a, b, old, new), *found]
        if a.value is not None or b.value is not None:
            found[:0] = self._values(a, b)
        found += self._children(a, b)
        found += self._closed(a, b)
        is_layout = all(one.kind is DifferenceKind.LAYOUT for one in found)
        if not found or (is_layout and self.keys.key_of(b)):
            return [self._made(DifferenceKind.LAYOUT, a, b, None, None)]
        return found

    def _closed(self, a: Node, b: Node) -> Iterator[Difference]:
        """What differs in code that is below no node: around a table, or in a line that something is cut out of."""
        if is_opened_lines(self.old, a):
            frames = frame_of(self.old, a), frame_of(self.new, b)
            if frames[0] != frames[1]:
                yield self._made(
                    DifferenceKind.CHANGED, a, b, *(frame.replace("\0", " … ").strip() for frame in frames)
                )
        elif a.parent is None:
            old, new = cut_lines(self.old), cut_lines(self.new)
            frames_of = [line.frame for line in old], [line.frame for line in new]
            for tag, i1, i2, j1, j2 in SequenceMatcher(None, *frames_of, autojunk=False).get_opcodes():
                if tag == "replace":
                    for one, other in zip(old[i1:i2], new[j1:j2], strict=False):
                        yield self._made(DifferenceKind.CHANGED, one.first, other.first, one.text, other.text)

    @staticmethod
    def _text(document: Document, node: Node) -> str:
        if node.parent is None:
            return document.text
        return document.text[node.start : node.end]

    def _values(self, a: Node, b: Node) -> Iterator[Difference]:
        old, new = a.value or "", b.value or ""
        if meaning_of(a, self.old) == meaning_of(b, self.new):
            return
        if old == new:  # a number that became a text, or the reverse
            old, new = written(self.old, a), written(self.new, b)
        yield self._made(DifferenceKind.CHANGED, a, b, old, new)

    def _children(self, a: Node, b: Node) -> Iterator[Difference]:
        same, mine, yours = self._same_places(a, b)
        pairs, gone, come = self._match(a, mine, b, yours)
        renamed = self._renamed(gone, come)
        # What is at its place between equal neighbours did not move, and that is nearly always so.
        is_in_place = len(a.children) == len(b.children) and pairs == [*zip(mine, yours, strict=False)]
        moved = set() if is_in_place else self._moved(a, b, [*same, *pairs])
        partner = {id(old): new for old, new in pairs}
        went = {id(node) for node in gone}
        for child, twin in same if moved else ():
            if id(child) in moved:
                yield self._made(DifferenceKind.MOVED, child, twin, None, None)
        for child in mine:
            if id(child) in went:
                new_node = renamed.get(id(child))
                if new_node is not None:
                    names = (self.keys.key_of(one) or one.name for one in (child, new_node))
                    yield self._made(DifferenceKind.RENAMED, child, new_node, *names)
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
        """Pairs that are at the same place with the same text, and the other children of both.

        Of two long files that differ in a few entries nearly all are such pairs; nothing else need be known of them.
        Long runs of them are found by comparing whole stretches of text: equal text was read into equal nodes.
        """
        old, new = a.children, b.children
        if are_lines(self.old, a):  # slots are among the lines, not in the order of the text
            old_ends, new_ends = [node.end for node in old], [node.end for node in new]
        else:
            old_ends, new_ends = _ends(a), _ends(b)
        stretches = _Stretches(self.old.text, [a.start, *old_ends], self.new.text, [b.start, *new_ends])
        head = stretches.head(min(len(old), len(new)))
        tail = stretches.tail(min(len(old), len(new)) - head)
        same = [*zip(old[:head], new[:head], strict=True)]
        if tail:
            same += zip(old[-tail:], new[-tail:], strict=True)
        mine, yours = old[head : len(old) - tail], new[head : len(new) - tail]
        if len(mine) != len(yours):
            return same, list(mine), list(yours)
        differing = set(stretches.differing(head, head + len(mine)))
        same += ((old[n], new[n]) for n in range(head, head + len(mine)) if n not in differing)
        return same, [old[n] for n in sorted(differing)], [new[n] for n in sorted(differing)]

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
        # Lines have no identity but their place: one that reads otherwise is changed, not gone and come.
        is_line = are_lines(self.old, parent)
        for child in children:
            key = self.keys.key_of(child)
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
        old = [self.contents.of(node, self.old) for node in mine]
        new = [self.contents.of(node, self.new) for node in yours]
        for tag, i1, i2, j1, j2 in SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
            if tag == "equal" or (tag == "replace" and i2 - i1 == j2 - j1):
                pairs.extend(zip(mine[i1:i2], yours[j1:j2], strict=True))
            else:
                gone.extend(mine[i1:i2])
                come.extend(yours[j1:j2])

    def _renamed(self, gone: list[Node], come: list[Node]) -> dict[int, Node]:
        """The new node of each entry that is gone and has come again under another name with the same content."""
        if not gone or not come:
            return {}
        by_content = {self.contents.nameless(node, self.new): node for node in come if _may_be_renamed(node)}
        found: dict[int, Node] = {}
        for node in gone:
            twin = by_content.pop(self.contents.nameless(node, self.old), None) if _may_be_renamed(node) else None
            if twin is not None:
                found[id(node)] = twin
        return found

    def _moved(self, a: Node, b: Node, pairs: list[tuple[Node, Node]]) -> set[int]:
        """Children that changed their place: those outside the longest run that kept its order."""
        if not self.old.format.traits.ordered:
            return set()
        place = {id(node): index for index, node in enumerate(b.children)}
        pairs.sort(key=lambda pair: pair[0].start)
        if all(place[id(one[1])] < place[id(other[1])] for one, other in pairwise(pairs)):
            return set()  # all in the same order, whatever their keys
        names = Counter(child.name for child in a.children)
        are_opened = [old for old, _ in pairs if is_opened_lines(self.old, old)] if a.parent is None else []
        keyed = [
            (old, place[id(new)])
            for old, new in pairs
            if are_opened or (not old.name.startswith("@") and (self.keys.key_of(old) or self._is_named(old, names)))
        ]
        keyed.sort(key=lambda pair: pair[0].start)
        kept = longest_increasing([index for _, index in keyed])
        return {id(old) for number, (old, _) in enumerate(keyed) if number not in kept}

    def _is_named(self, node: Node, names: Mapping[str, int]) -> bool:
        """A section or key of a mapping, which its name tells from its siblings."""
        is_mapping = self.old.format.traits.named_parts
        return is_mapping and bool(node.name) and names[node.name] == 1

    def _made(
        self, kind: DifferenceKind, a: Node | None, b: Node | None, old: str | None, new: str | None
    ) -> Difference:
        node, document = (b, self.new) if b is not None else (a, self.old)
        if node is None:
            raise ValueError("a difference needs a node")
        address, entry = self._address(document, node), self._address(document, self.keys.entry_of(node))
        return Difference(
            kind,
            address,
            old,
            new,
            delta(old or "", new or "", document.declared_of(node)) if kind is DifferenceKind.CHANGED else "",
            entry if entry != address else "",
        )

    def _address(self, document: Document, node: Node) -> str:
        address = print_segments(self.keys.segments_of(node))
        return f"{document.path}#{address}" if address else document.path


def _ends(parent: Node) -> list[int]:
    """For each child where what follows it begins, so that comments beside it are still its own."""
    starts = [child.lead_start for child in parent.children]
    return [*starts[1:], parent.end] if starts else []


@dataclass(frozen=True, slots=True)
class _Stretches:
    """The texts of two lists of siblings, cut at the same numbers; item `n` is between cut `n` and `n + 1`."""

    old: str
    old_cuts: Sequence[int]
    new: str
    new_cuts: Sequence[int]

    def is_same(self, first: int, stop: int, shift: int = 0) -> bool:
        """Items `first` to `stop` of the old list read as those `shift` further on in the new one."""
        one = self.old[self.old_cuts[first] : self.old_cuts[stop]]
        return one == self.new[self.new_cuts[first + shift] : self.new_cuts[stop + shift]]

    def head(self, most: int) -> int:
        """How many items are the same from the start."""
        low, high = 0, most
        while low < high:
            middle = (low + high + 1) // 2
            low, high = (middle, high) if self.is_same(low, middle) else (low, middle - 1)
        return low

    def tail(self, most: int) -> int:
        """How many are the same at the end."""
        last = len(self.old_cuts) - 1
        shift = len(self.new_cuts) - len(self.old_cuts)
        low, high = 0, most
        while low < high:
            middle = (low + high + 1) // 2
            low, high = (middle, high) if self.is_same(last - middle, last - low, shift) else (low, middle - 1)
        return low

    def differing(self, first: int, stop: int) -> Iterator[int]:
        """The numbers of the items that differ, of two lists that are equally long."""
        if first >= stop or self.is_same(first, stop):
            return
        if stop - first == 1:
            yield first
            return
        middle = (first + stop) // 2
        yield from self.differing(first, middle)
        yield from self.differing(middle, stop)


def _may_be_renamed(node: Node) -> bool:
    """A plain value under another name is another value."""
    return any(not child.name.startswith("@") or len(node.children) > 1 for child in node.children)
