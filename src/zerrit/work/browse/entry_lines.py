"""
The entries of one version of a file, by kind, with what is needed of each to show, filter and sort it.

A file can have 20,000 entries, and to look into each takes seconds. So they are looked into in the order of the file, as far
as someone needs them; and what was found in an entry is used again for the next version of the file where the entry's text is
the same, as that of nearly all is after an edit.
"""

from __future__ import annotations

import threading
import time
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Final
from weakref import WeakKeyDictionary, ref

from cachetools import LRUCache

from zerrit.core.documents import Document, Format, Node

SETTINGS: Final = "settings"  #: the kind of all values that belong to no repeated entry
DEEPEST: Final = 3  # levels of groups inside an entry whose fields are columns of it
FEW: Final = 200  # entries; what is found in fewer is not kept for the next version
MAX_KEPT: Final = 24  # files of which it is kept
AT_ONCE: Final = 64  # entries that are looked into before the time is looked at
Names = tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Inside:
    """What an outermost entry holds. `is_row`: it has values of its own. `kinds` counts the entries further inside."""

    is_row: bool
    cells: Mapping[str, str]
    parts: Mapping[str, tuple[str, ...]]
    kinds: Mapping[str, int]
    words: str  #: all values, in small letters


@dataclass(slots=True)
class Line:
    """What is needed of an entry to filter and sort it."""

    node: Node
    trail: str
    cells: Mapping[str, str]
    parts: Mapping[str, tuple[str, ...]]
    text: str  #: all of it in small letters


@dataclass(slots=True)
class Kind:
    """The entries of a kind. `columns` are their fields, each with the first node of it; `total` counts also the unread."""

    lines: list[Line]
    columns: Mapping[str, Node]
    parts: tuple[str, ...]
    total: int


@dataclass(slots=True)
class _Known:
    """What was found in the entries of a version, by kind, text and comment; `fields` are the key fields it rests on."""

    fields: dict[Names, str | None]
    insides: dict[tuple[str, str, str], Inside]


_KNOWN: Final[LRUCache[tuple[str, Format], _Known]] = LRUCache(MAX_KEPT)
_TABLES: Final[WeakKeyDictionary[Document, EntryLines]] = WeakKeyDictionary()
_KEEPING: Final = threading.Lock()


def lines_of(document: Document) -> EntryLines:
    """The entries of a file, kept as long as this version of it is in memory."""
    found = _TABLES.get(document)
    if found is not None:
        return found
    made = EntryLines(document)  # outside of the lock, since no other file should wait for it
    with _KEEPING:
        return _TABLES.setdefault(document, made)


class EntryLines:
    """The entries of one version of a file. Safe between threads.

    It is kept beside its document and must not keep that alive; whoever asks it has the document.
    """

    def __init__(self, document: Document) -> None:
        self._of = ref(document)
        self._lock = threading.Lock()
        self._settings: list[Node] = []
        self._outer: list[tuple[str, Node]] = []  #: the entries that are in no other one, with their kinds
        self._insides: list[Inside] = []  #: of as many of them as were looked into
        self._kinds: dict[str, Kind] = {}
        self._is_entry: dict[Names, bool] = {}
        self._fields: dict[Names, str | None] = {}
        self._known = self._earlier()
        self._walk()

    @property
    def _document(self) -> Document:
        document = self._of()
        if document is None:
            raise AssertionError("the document of these entries is gone")
        return document

    # --- what there is --------------------------------------------------------------------------------------------

    @property
    def is_complete(self) -> bool:
        """Every entry was looked into."""
        return len(self._insides) == len(self._outer)

    def look(self, patience: float | None = None) -> bool:
        """Look into the entries, for about `patience` seconds, or until all are. Returns whether all are."""
        until = None if patience is None else time.monotonic() + patience
        while not self.is_complete:
            with self._lock:  # for a few at a time, so that who needs only the first waits for no one
                self._look_on()
            if until is not None and time.monotonic() > until:
                break
        return self.is_complete

    def _look_on(self) -> None:
        if self.is_complete:
            return
        first = len(self._insides)
        for kind, node in self._outer[first : first + AT_ONCE]:
            self._insides.append(self._inside(kind, node))
        if self.is_complete:
            self._known = None
            if len(self._outer) >= FEW and self._is_self_contained():
                self._keep()

    def counts(self) -> dict[str, int]:
        """How many entries there are of each kind; of those inside others, as far as they were looked into."""
        counts = Counter(self.looked_into())
        counts.update(kind for kind, _ in self._outer[len(self._insides) :])
        return dict(counts) | ({SETTINGS: len(self._settings)} if self._settings else {})

    def looked_into(self) -> dict[str, int]:
        """The same, of what was looked into alone."""
        counts: Counter[str] = Counter()
        for (kind, _), inside in zip(self._outer, self._insides, strict=False):
            if inside.is_row:
                counts[kind] += 1
            for name, many in inside.kinds.items():
                counts[name] += many
        return dict(counts)

    def is_outer(self, kind: str) -> bool:
        """Entries of this kind are in no others."""
        return any(one == kind for one, _ in self._outer)

    def kind(self, name: str) -> Kind:
        """The entries of a kind; without those that were not looked into."""
        found = self._kinds.get(name)
        if found is not None:
            return found
        is_complete = self.is_complete
        found = self._setting_lines() if name == SETTINGS else self._entry_lines(name)
        if is_complete:
            self._kinds[name] = found
        return found

    # --- the walk -------------------------------------------------------------------------------------------------

    def _walk(self) -> None:
        """Find the settings, and the entries that are in no other one; these are not looked into."""
        kinds: dict[Names, str] = {}
        # Beside what is opened in a script, its code is no setting.
        root = self._document.root
        has_code = self._document.format.traits.script and any(child.name != "line" for child in root.children)
        stack: list[tuple[Node, Names]] = [(self._document.root, ())]
        while stack:
            node, names = stack.pop()
            is_code = has_code and node.name == "line" and node.parent is root
            if node.value is not None and node.parent is not None and not is_code:
                self._settings.append(node)
            if node.parent is not None and not node.is_value and node.has_children and self._is_named(names):
                kind = kinds.get(names) or kinds.setdefault(names, _joined(names))
                self._outer.append((kind, node))
                continue
            stack.extend((child, (*names, child.name)) for child in reversed(node.children))

    def _is_named(self, names: Names) -> bool:
        """Groups with these names are entries: a field of them says which they are."""
        found = self._is_entry.get(names)
        if found is None:
            field = self._fields[names] = self._document.keys.field_for(names)
            found = self._is_entry[names] = field is not None
        return found

    def _inside(self, kind: str, node: Node) -> Inside:
        if self._known is not None:
            known = self._known.insides.get(self._identity(kind, node))
            if known is not None:
                return known
        names = node.names
        cells: dict[str, str] = {}
        parts: dict[str, list[str]] = {}
        for path, value in self._values(node, names, parts):
            cells.setdefault(path, value.value or "")
        kinds: Counter[str] = Counter()
        for child, below in self._entries_in(node, names):
            kinds[_joined(below)] += any(one.value is not None for one in child.children)
        listed = {kind: tuple(keys) for kind, keys in parts.items()}
        words = [*cells.values(), *(key for keys in listed.values() for key in keys), node.comment]
        is_row = any(child.value is not None for child in node.children)
        return Inside(is_row, cells, listed, {name: many for name, many in kinds.items() if many}, _small(words))

    def _entries_in(self, node: Node, names: Names) -> Iterator[tuple[Node, Names]]:
        stack = [(child, (*names, child.name)) for child in reversed(node.children)]
        while stack:
            child, below = stack.pop()
            if not child.is_value and child.children and self._is_named(below):
                yield child, below
            stack.extend((one, (*below, one.name)) for one in reversed(child.children))

    def _values(
        self, node: Node, names: Names, parts: dict[str, list[str]], above: str = "", depth: int = 0
    ) -> Iterator[tuple[str, Node]]:
        """The values of an entry by their paths in it; `parts` gets the entries inside of it."""
        for child in node.children:
            path = f"{above}{child.name}"
            if child.value is not None and child.name:
                yield path, child
            if child.is_value or not child.children or not child.name:
                continue
            below = (*names, child.name)
            if self._is_named(below):
                parts.setdefault(path, []).append(self._document.keys.key_of(child) or "?")
            elif depth < DEEPEST:
                yield from self._values(child, below, parts, f"{path}/", depth + 1)

    # --- what is kept for the next version ------------------------------------------------------------------------

    def _is_self_contained(self) -> bool:
        """The text of an entry alone says what it holds: it has no anchors, and no words that a DTD defines."""
        document = self._document
        return document.format is Format.JSON or (document.format is Format.XML and "<!DOCTYPE" not in document.text)

    def _identity(self, kind: str, node: Node) -> tuple[str, str, str]:
        return kind, self._document.text[node.start : node.end], node.comment

    def _earlier(self) -> _Known | None:
        """What was found in another version, where the entries of this one are named by the same fields."""
        if not self._is_self_contained():
            return None
        with _KEEPING:
            known = _KNOWN.get((self._document.path, self._document.format))
        if known is None or any(self._document.keys.field_for(one) != field for one, field in known.fields.items()):
            return None
        self._fields.update(known.fields)
        self._is_entry.update((names, field is not None) for names, field in known.fields.items())
        return known

    def _keep(self) -> None:
        pairs = zip(self._outer, self._insides, strict=True)
        known = _Known(self._fields, {self._identity(kind, node): inside for (kind, node), inside in pairs})
        with _KEEPING:
            _KNOWN[self._document.path, self._document.format] = known

    # --- lines ----------------------------------------------------------------------------------------------------

    def _setting_lines(self) -> Kind:
        addresses = [self._document.keys.address_of(node) for node in self._settings]
        lines = [
            Line(node, address, {"value": node.value or ""}, {}, f"{address}\n{node.value}\n{node.comment}".lower())
            for node, address in zip(self._settings, addresses, strict=True)
        ]
        return Kind(lines, {}, (), len(lines))

    def _entry_lines(self, name: str) -> Kind:
        trails = _Trails(self._document)
        lines: list[Line] = []
        insides = self._insides[:]  # another thread may go on looking
        unread = sum(kind == name for kind, _ in self._outer[len(insides) :])
        for (kind, outer), inside in zip(self._outer, insides, strict=False):
            if kind == name and inside.is_row:
                lines.append(_line(outer, inside, trails.of(outer)))
            if inside.kinds.get(name):
                inner = self._entries_in(outer, outer.names)
                wanted = (node for node, below in inner if _joined(below) == name)
                found = ((node, self._inside(name, node)) for node in wanted)
                lines += [_line(node, known, trails.of(node)) for node, known in found if known.is_row]
        parts = tuple(dict.fromkeys(kind for line in lines for kind in line.parts))
        return Kind(lines, self._columns(lines), parts, len(lines) + unread)

    def _columns(self, lines: list[Line]) -> dict[str, Node]:
        """The fields of entries, each with the first node of it."""
        columns: dict[str, Node] = {}
        for line in lines:
            if columns.keys() >= line.cells.keys():
                continue
            for path, node in self._values(line.node, line.node.names, {}):
                columns.setdefault(path, node)
        return columns


class _Trails:
    """The keys from the outermost entry down, of which all siblings share nearly all."""

    def __init__(self, document: Document) -> None:
        self._keys = document.keys
        self._above: dict[int, tuple[str, Names]] = {}

    def of(self, node: Node) -> str:
        parent = node.parent
        if parent is None:
            return ""
        above, names = self._of_group(parent)
        key = self._keys.key_among(names, node) or node.name
        return f"{above} / {key}" if above else key

    def _of_group(self, group: Node) -> tuple[str, Names]:
        found = self._above.get(id(group))
        if found is None:
            found = self._above[id(group)] = self.of(group), group.names
        return found


def _line(node: Node, inside: Inside, trail: str) -> Line:
    return Line(node, trail, inside.cells, inside.parts, f"{trail.lower()}\n{inside.words}")


def _small(words: list[str]) -> str:
    return "\n".join(words).lower()


def _joined(names: Names) -> str:
    return "/".join(name or "*" for name in names)


def kind_name(node: Node) -> str:
    """The kind of an entry: its names from below the root down, `*` for one without a name."""
    return _joined(node.names)
