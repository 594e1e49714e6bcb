"""
Addresses: the names of places in files, and how they lead to nodes and back.

`[SERVER:]path#segment/segment…` where a segment is `name`, `name[key]`, `name[#3]`, `@attribute`, `*` (any
name) or `**` (any depth). An item of a list has no name and is written `[key]` or `[#3]`. A key may hold `*`
and `?`, or be a list `[red,blue]`; what stands in double quotes is taken to the letter, a quote in it doubled.

The key of an entry is one of its fields. Which one is either given (a gamebook says so) or found: the first
field, preferring `name`, `id` and `key`, that all entries of one kind have and that tells siblings apart.
It is chosen once for all entries of a kind, since an address that changed its form with each new sibling
could not be written down.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Final

from zerrit.core.documents.document import Document, Format
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import as_number
from zerrit.core.errors import AddressInvalid, AddressNotFound
from zerrit.core.nearest import nearest

PREFERRED_KEYS: Final = ("name", "id", "key", "title", "code")
MAX_LISTED: Final = 8  # so many existing names are shown for a wrong one without any near name

_SERVER: Final = re.compile(r"([a-z0-9][a-z0-9-]{0,62}):(?![\\/])")
_NEEDS_QUOTES_IN_KEY: Final = re.compile(r'[\[\],*?"]|^#|^\s|\s$|^$')
_NEEDS_QUOTES_IN_NAME: Final = re.compile(r'[\[\]/*?"#\s]|^$')


@dataclass(frozen=True, slots=True)
class KeyPattern:
    """One alternative between the brackets; `literal` ones come from quotes and hold no wildcards."""

    text: str
    is_literal: bool = False

    def matches(self, key: str) -> bool:
        if self.is_literal or not ("*" in self.text or "?" in self.text):
            return key == self.text
        return bool(_wildcard(self.text).match(key))


@dataclass(frozen=True, slots=True)
class Segment:
    """One step down. `is_deep` stands for `**`; `ordinal` is 1-based, 0 where none was given."""

    name: str
    is_any_name: bool = False
    is_deep: bool = False
    keys: tuple[KeyPattern, ...] = ()
    ordinal: int = 0

    def __str__(self) -> str:
        if self.is_deep:
            return "**"
        text = "*" if self.is_any_name else _quote_name(self.name)
        if self.ordinal:
            return f"{text}[#{self.ordinal}]"
        if self.keys:
            return text + "[" + ",".join(_quote_key(k.text) if k.is_literal else k.text for k in self.keys) + "]"
        return text

    @property
    def is_pattern(self) -> bool:
        """May lead to several nodes."""
        return (
            self.is_any_name
            or self.is_deep
            or len(self.keys) > 1
            or any(not key.is_literal and ("*" in key.text or "?" in key.text) for key in self.keys)
        )


@dataclass(frozen=True, slots=True)
class Address:
    """A parsed address. `path` may hold `*`; `segments` is empty for a whole file."""

    path: str
    segments: tuple[Segment, ...] = ()
    server: str = ""

    def __str__(self) -> str:
        prefix = f"{self.server}:" if self.server else ""
        path = f'"{self.path}"' if "#" in self.path else self.path
        return f"{prefix}{path}#{print_segments(self.segments)}" if self.segments else f"{prefix}{path}"

    @property
    def node_text(self) -> str:
        """The part after `#`."""
        return print_segments(self.segments)

    @property
    def is_pattern(self) -> bool:
        return "*" in self.path or any(segment.is_pattern for segment in self.segments)


def print_segments(segments: Iterable[Segment]) -> str:
    return "/".join(str(segment) for segment in segments)


# --- reading addresses ------------------------------------------------------------------------------------------------


def parse_address(text: str) -> Address:
    """Read `[SERVER:]path[#node]`.

    Raises AddressInvalid: something stands where it cannot.
    """
    rest = text.strip()
    server = ""
    match = _SERVER.match(rest)
    if match:
        server = match.group(1)
        rest = rest[match.end() :]
    if rest.startswith('"'):
        end = rest.find('"', 1)
        if end < 0:
            raise AddressInvalid(f"{text}: the quotation mark before the file name is never closed.", text, 0)
        path, rest = rest[1:end], rest[end + 1 :]
        node = rest[1:] if rest.startswith("#") else ""
    else:
        path, _, node = rest.partition("#")
    if not path:
        raise AddressInvalid(
            f"{text}: an address begins with a file, such as sea/finds.xml#find[Copper Gimbal].", text, 0
        )
    return Address(path, parse_node_address(node) if node else (), server)


@lru_cache(maxsize=2048)
def parse_node_address(text: str) -> tuple[Segment, ...]:
    """Read the part after `#`.

    Raises AddressInvalid: a bracket or quote is not closed, or a segment is empty.
    """
    return tuple(_AddressScanner(text).segments())


class _AddressScanner:
    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0

    def segments(self) -> Iterator[Segment]:
        while True:
            yield self._segment()
            if self.at >= len(self.text):
                return
            if self.text[self.at] != "/":
                raise self._fault(f"`{self.text[self.at]}` stands where `/` or the end is expected")
            self.at += 1

    def _segment(self) -> Segment:
        if self.text.startswith("**", self.at):
            self.at += 2
            return Segment("", is_deep=True)
        is_quoted = self.text.startswith('"', self.at)
        if is_quoted:
            name = self._quoted()
        else:
            match = re.compile(r"[^/\[\]]*").match(self.text, self.at)
            name = match.group() if match else ""
            self.at += len(name)
        is_any = name == "*" and not is_quoted
        if not self.text.startswith("[", self.at):
            if not name:
                raise self._fault("a name is missing between two `/` or at the end")
            return Segment("" if is_any else name, is_any_name=is_any)
        self.at += 1
        if self.text.startswith("#", self.at):
            match = re.compile(r"#([1-9]\d{0,8})\]").match(self.text, self.at)
            if not match:
                raise self._fault("`[#` is followed by a number from 1 and `]`, such as [#3]")
            self.at = match.end()
            return Segment("" if is_any else name, is_any_name=is_any, ordinal=int(match.group(1)))
        return Segment("" if is_any else name, is_any_name=is_any, keys=tuple(self._keys()))

    def _keys(self) -> Iterator[KeyPattern]:
        while True:
            if self.text.startswith('"', self.at):
                yield KeyPattern(self._quoted(), is_literal=True)
            else:
                match = re.compile(r"[^\],]*").match(self.text, self.at)
                key = match.group() if match else ""
                self.at += len(key)
                yield KeyPattern(key.strip())
            if self.text.startswith(",", self.at):
                self.at += 1
                continue
            if self.text.startswith("]", self.at):
                self.at += 1
                return
            raise self._fault("a bracket `[` is never closed")

    def _quoted(self) -> str:
        match = re.compile(r'"((?:[^"]|"")*)"').match(self.text, self.at)
        if not match:
            raise self._fault("a quotation mark is never closed")
        self.at = match.end()
        return match.group(1).replace('""', '"')

    def _fault(self, what: str) -> AddressInvalid:
        return AddressInvalid(f"{self.text} is no address: {what}, at character {self.at + 1}.", self.text, self.at)


# --- keys -------------------------------------------------------------------------------------------------------------


@dataclass(slots=True)
class _Kind:
    """What is known of all nodes with the same names from the root down."""

    nodes: list[Node] = field(default_factory=list)
    is_repeated: bool = False
    may_repeat: bool = False


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
    def of(cls, documents: Iterable[Document]) -> Keys:
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


def keyed_segment(name: str, key: str) -> Segment:
    """The segment that names one entry, its key taken to the letter."""
    return Segment(name, keys=(KeyPattern(key, is_literal=bool(_NEEDS_QUOTES_IN_KEY.search(key))),))


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


# --- from addresses to nodes ------------------------------------------------------------------------------------------


def select(document: Document, segments: tuple[Segment, ...]) -> list[Node]:
    """All nodes that the segments lead to, in the order of the text; empty when none does."""
    nodes = [document.root]
    for segment in segments:
        nodes = list(_below(document, nodes, segment))
        if not nodes:
            return []
    return sorted(nodes, key=lambda node: node.start) if any(s.is_deep for s in segments) else nodes


def find(document: Document, segments: tuple[Segment, ...]) -> list[Node]:
    """Like `select`, but a place that is not there is an error.

    Raises AddressNotFound: nothing fits; it carries the nearest existing addresses.
    """
    nodes = [document.root]
    for depth, segment in enumerate(segments):
        below = list(_below(document, nodes, segment))
        if not below:
            raise _not_found(document, segments, depth, nodes)
        nodes = below
    return sorted(nodes, key=lambda node: node.start) if any(s.is_deep for s in segments) else nodes


def _below(document: Document, nodes: list[Node], segment: Segment) -> Iterator[Node]:
    if segment.is_deep:
        seen: set[int] = set()
        for node in nodes:
            for below in node.walk():
                if id(below) not in seen:
                    seen.add(id(below))
                    yield below
        return
    for node in nodes:
        ordinal = 0
        for child in node.children:
            if not segment.is_any_name and child.name != segment.name:
                continue
            ordinal += 1
            if segment.ordinal and segment.ordinal != ordinal:
                continue
            if segment.keys and not _fits_keys(document, child, segment.keys):
                continue
            yield child


def _fits_keys(document: Document, node: Node, patterns: tuple[KeyPattern, ...]) -> bool:
    key = document.keys.key_of(node)
    return bool(key) and any(pattern.matches(key) for pattern in patterns)


def _not_found(document: Document, segments: tuple[Segment, ...], depth: int, parents: list[Node]) -> AddressNotFound:
    segment = segments[depth]
    prefix = "".join(f"{part}/" for part in segments[:depth])
    names = list(dict.fromkeys(child.name for parent in parents[:50] for child in parent.children if child.name))
    place = parents[0]
    where = f"{document.path}#{print_segments(segments[:depth])}" if depth else document.path
    similar: list[str] = []
    if segment.keys and (segment.name in names or not segment.name):
        wanted = segment.keys[0].text
        same = [child for parent in parents for child in parent.children if child.name == segment.name]
        keys = [key for key in map(document.keys.key_of, same) if key]
        close = nearest(wanted.replace("*", "").replace("?", ""), keys) or tuple(keys[:MAX_LISTED])
        similar = [f"{prefix}{_quote_name(segment.name)}[{_quote_key(key)}]" for key in close]
        kind = segment.name or "item"
        message = f"{where} has no {kind} that fits [{','.join(k.text for k in segment.keys)}]."
    elif segment.ordinal and segment.name in names:
        count = sum(child.name == segment.name for parent in parents for child in parent.children)
        message = f"{where} has {count} of {segment.name}, so there is no number {segment.ordinal}."
    else:
        close = nearest(segment.name, names) or tuple(names[:MAX_LISTED])
        similar = [f"{prefix}{_quote_name(name)}" for name in close]
        message = f"{where} has no `{segment.name or segment}`."
    if similar:
        message += f" {'Nearest' if len(similar) <= 3 else 'There are'}: {', '.join(similar)}."
    line = document.line_of(place)
    return AddressNotFound(message, f"{document.path}#{print_segments(segments)}", document.path, line, tuple(similar))


def path_matches(pattern: str, path: str) -> bool:
    """Whether a file path fits a pattern: `*` within a folder, `**` across folders, `?` one character."""
    return bool(_path_pattern(pattern).match(path))


@lru_cache(maxsize=1024)
def _path_pattern(pattern: str) -> re.Pattern[str]:
    parts = re.split(r"(\*\*/?|\*|\?)", pattern)
    translated = {"**/": "(?:.*/)?", "**": ".*", "*": "[^/]*", "?": "[^/]"}
    return re.compile("".join(translated.get(part, re.escape(part)) for part in parts) + r"\Z")


@lru_cache(maxsize=1024)
def _wildcard(pattern: str) -> re.Pattern[str]:
    parts = re.split(r"([*?])", pattern)
    return re.compile("".join({"*": ".*", "?": "."}.get(p, re.escape(p)) for p in parts) + r"\Z", re.DOTALL)


def _quote_name(name: str) -> str:
    if not name:
        return ""
    return '"' + name.replace('"', '""') + '"' if _NEEDS_QUOTES_IN_NAME.search(name) else name


def _quote_key(key: str) -> str:
    return '"' + key.replace('"', '""') + '"' if _NEEDS_QUOTES_IN_KEY.search(key) else key
