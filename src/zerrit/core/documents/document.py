"""
A file, read: its exact text plus the tree over it.

The text is the truth and the tree a view. That is why an unedited document gives back its bytes whatever they
are, and why an edit (`zerrit.core.documents.edits`) is a list of splices after which the text is read again.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Final

from zerrit.core.addresses import parse_node_address
from zerrit.core.documents.codes import Severity
from zerrit.core.documents.findings import Finding, Report, in_reading_order
from zerrit.core.documents.format import Format, format_of
from zerrit.core.documents.ini import reader as ini_reader
from zerrit.core.documents.json import reader as json_reader
from zerrit.core.documents.keys import Keys
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import typed
from zerrit.core.documents.selecting import select
from zerrit.core.documents.slots import Slot
from zerrit.core.documents.source import MAX_BYTES, Source, Splice, decode, splice
from zerrit.core.documents.text import reader as text_reader
from zerrit.core.documents.xml import reader as xml_reader
from zerrit.core.documents.yaml import data as yaml_data
from zerrit.core.documents.yaml import reader as yaml_reader

BINARY_LOOK: Final = 8000  # characters; binary formats show a NUL long before
_READERS: Final[dict[Format, Callable[[Source, Report], Node]]] = {
    Format.XML: xml_reader.read,
    Format.YAML: yaml_reader.read,
    Format.JSON: json_reader.read,
    Format.INI: ini_reader.read,
}


@dataclass(frozen=True, slots=True)
class Reading:
    """What a reader is told about a file; a re-read uses it again.

    `tolerate`: the codes of faults that this game accepts. `keys`: the field that names an entry, by the entry's
    names (`"find": "@name"`). `slots`: the parts that are cut out of a text file, by name.
    """

    tolerate: frozenset[str] = frozenset()
    keys: Mapping[str, str] = field(default_factory=dict)
    slots: Mapping[str, Slot] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Document:
    """One file, read."""

    source: Source
    path: str
    format: Format
    root: Node
    findings: tuple[Finding, ...]
    reading: Reading = Reading()

    @property
    def given_keys(self) -> Mapping[str, str]:
        """The fields that name entries because somebody said so."""
        return self.reading.keys

    @property
    def text(self) -> str:
        return self.source.text

    @property
    def ok(self) -> bool:
        """No finding is an error; what the gamebook tolerates is none."""
        return not any(finding.severity is Severity.ERROR for finding in self.findings)

    @property
    def is_binary(self) -> bool:
        """No text editor would open it: NUL characters stand near its start."""
        return "\0" in self.text[:BINARY_LOOK]

    def to_bytes(self) -> bytes:
        """The bytes of the text in the encoding that it came in; of an unedited document its very input."""
        return self.source.to_bytes()

    def to_data(self) -> Any:
        """Plain values: dicts, lists, text, numbers, truth values, None. Repeated names become lists."""
        if self.format is Format.YAML:
            return yaml_data.to_data(self.root, self.text)
        return _plain(self.root, self.format)

    @cached_property
    def keys(self) -> Keys:
        """Which field names the entries of this document."""
        return Keys.of([self])

    def select(self, address: str) -> list[Node]:
        """All nodes that the node part of an address leads to, in the order of the text; empty when none does."""
        return select(self.root, self.keys, parse_node_address(address))

    def with_text(self, text: str) -> Document:
        """Read other text in place of this document's, in the same way."""
        return read_source(self.source.with_text(text), self.path, self.format, self.reading)

    def with_splices(self, splices: Iterable[Splice]) -> Document:
        """Put splices, given in offsets of this text, into it and read what comes out, in the same way.

        In a sound XML file only the entry that changed is read again.
        """
        pieces = sorted(splices, key=lambda piece: (piece.start, piece.end))
        if not pieces:
            return self
        source = self.source.with_text(splice(self.text, pieces))
        if self.format is Format.XML and not self.findings:
            shift = len(source.text) - len(self.text)
            root = xml_reader.read_again(self.root, source, pieces[0].start, pieces[-1].end, shift)
            if root is not None:
                return replace(self, source=source, root=root)
        return read_source(source, self.path, self.format, self.reading)

    def line_of(self, node: Node) -> int:
        return self.source.line_at(node.start)


def read_document(
    data: bytes,
    path: str = "",
    *,
    format: Format | None = None,
    tolerate: Iterable[str] = (),
    keys: Mapping[str, str] | None = None,
    slots: Mapping[str, Slot] | None = None,
) -> Document:
    """Read a file. Never raises on bad input: what is wrong stands in `findings`.

    `path` says the format by its ending unless `format` is given; for the rest see `Reading`.
    """
    if len(data) > MAX_BYTES:
        finding = Finding(
            "text.too-large",
            Severity.ERROR,
            f"The file has {len(data):,} bytes; Zerrit reads up to {MAX_BYTES:,}. Leave it out of the tracked files.",
            path,
        )
        empty = Node(NodeKind.GROUP, "", 0, 0)
        return Document(decode(data), path, format or Format.TEXT, empty, (finding,))
    return read_source(
        decode(data), path, format or format_of(path), Reading(frozenset(tolerate), keys or {}, slots or {})
    )


def read_source(source: Source, path: str, format: Format, reading: Reading) -> Document:
    report = Report(source, path, reading.tolerate)
    if source.is_guessed:
        report.add(
            "text.legacy-encoding",
            0,
            "This file is not UTF-8. It is read as Western 8-bit text and written back the same way.",
        )
    nul = source.text.find("\0") if format in (Format.TEXT, Format.INI) else -1
    if nul >= 0:  # the other formats have a rule of their own against it
        report.add("text.nul", nul, "A NUL character stands here; text files have none. Was the upload cut or binary?")
    if format is Format.TEXT:
        root = text_reader.read(source, report, reading.slots)
    else:
        root = _READERS[format](source, report)
    return Document(source, path, format, root, in_reading_order(report.findings), reading)


def _plain(node: Node, format: Format) -> Any:
    # Recursion is bounded: every reader stops at MAX_DEPTH.
    if node.kind is NodeKind.VALUE:
        return typed(node.value or "", node.is_quoted, format.value)
    if node.kind is NodeKind.LIST:
        return [_plain(child, format) for child in node.children]
    result: dict[str, Any] = {}
    repeated: set[str] = set()
    for child in node.children:
        value = _plain(child, format)
        if child.name not in result or format is Format.JSON:
            result[child.name] = value
        elif child.name in repeated:
            result[child.name].append(value)
        else:
            repeated.add(child.name)
            result[child.name] = [result[child.name], value]
    return result
