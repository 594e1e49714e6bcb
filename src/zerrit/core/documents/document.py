"""
A file, read: its exact text plus the tree over it.

The text is the truth and the tree a view. That is why an unedited document gives back its bytes whatever they
are, and why an edit (`zerrit.core.documents.value_edits`) is a list of splices after which the text is read again.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cache, cached_property, partial
from importlib import import_module
from typing import TYPE_CHECKING, Any, Final, cast

from zerrit.core.addresses import parse_node_address
from zerrit.core.documents.code import Severity
from zerrit.core.documents.codes import CODES
from zerrit.core.documents.database import is_database, is_server_tables
from zerrit.core.documents.entry_keys import Keys
from zerrit.core.documents.findings import Finding, Report, in_reading_order
from zerrit.core.documents.format import Format, Recognised, format_by_first_line, format_by_name, guessed_format
from zerrit.core.documents.measures import Declared, MeasuredText, Measures
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.reading import FormatReader, Reading
from zerrit.core.documents.scalars import typed
from zerrit.core.documents.selection import select
from zerrit.core.documents.slots import Slot
from zerrit.core.documents.source import MAX_BYTES, Source, Splice, decode, splice
from zerrit.core.documents.text_delta import pieces_between

if TYPE_CHECKING:
    from zerrit.core.documents.database.rows import RowsSource

BINARY_LOOK: Final = 8000  # characters; binary formats show a NUL long before


@dataclass(frozen=True, eq=False)
class Document:
    """One file, read."""

    source: Source
    path: str
    format: Format
    root: Node
    findings: tuple[Finding, ...]
    reading: Reading = field(default_factory=Reading)

    @property
    def given_keys(self) -> Mapping[str, str]:
        """The fields that name entries because someone said so."""
        return self.reading.keys

    @property
    def is_guessed(self) -> bool:
        """The format was guessed by the content; neither the file's name nor a gamebook says it."""
        return self.reading.is_guessed

    @property
    def read_as(self) -> str:
        """The format in words, and that it is a guess."""
        return f"{self.format.label} (guessed)" if self.is_guessed else self.format.label

    @property
    def text(self) -> str:
        return self.source.text

    @property
    def faults(self) -> tuple[Finding, ...]:
        """The findings because of which the tree may not be what is meant, also where a guess makes them mere notices."""
        return tuple(
            finding
            for finding in self.findings
            if finding.severity is Severity.ERROR
            or (
                self.is_guessed
                and CODES[finding.code].severity is Severity.ERROR
                and finding.code not in self.reading.tolerate
            )
        )

    @property
    def ok(self) -> bool:
        """It has no fault; what the gamebook tolerates is none."""
        return not self.faults

    @property
    def is_binary(self) -> bool:
        """No text editor would open it: NUL characters are near its start."""
        return "\0" in self.text[:BINARY_LOOK]

    def to_bytes(self) -> bytes:
        """The bytes of the text in the encoding that it came in; of an unedited document its very input."""
        return self.source.to_bytes()

    def is_same_file(self, other: Document) -> bool:
        """Both have the same bytes: the same text in the same encoding, with the same mark before it."""
        one, two = self.source, other.source
        return one is two or (one.text, one.encoding, one.bom) == (two.text, two.encoding, two.bom)

    def to_data(self) -> Any:
        """Plain values: dicts, lists, text, numbers, truth values, None. Repeated names become lists."""
        if self.format is Format.YAML:
            return _yaml_data(self)
        if self.format is Format.TOML and self.ok:
            import tomllib

            return tomllib.loads(self.text.replace("\r\n", "\n"))
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
        return self._version(self.source.with_text(text))

    def read_uncut(self) -> Document:
        """The same text with its lines whole: no slots and options are cut out of them."""
        return read_source(self.source, self.path, self.format, replace(self.reading, is_uncut=True))

    def other_version(self, data: bytes) -> Document:
        """Read another version of this file in the same way; quick where the two differ in a few places only."""
        if len(data) > MAX_BYTES:
            return read_document(data, self.path, format=self.format)
        rows = _rows(data)
        if rows is not None:
            return read_rows(rows, self.path, self.reading)
        if self.format is Format.DATABASE:
            return read_document(data, self.path)
        return self._version(decode(data))

    def _version(self, source: Source) -> Document:
        is_alike = (source.encoding, source.is_guessed) == (self.source.encoding, self.source.is_guessed)
        if is_alike and self.format is Format.XML and not self.findings:
            pieces = pieces_between(self.text, source.text)
            root = _read_xml_again(self, source, pieces) if pieces is not None else None
            if root is not None:
                return replace(self, source=source, root=root)
        return read_source(source, self.path, self.format, self.reading)

    def with_splices(self, splices: Iterable[Splice]) -> Document:
        """Put splices, given in offsets of this text, into it and read what comes out, in the same way.

        In a sound XML file only the entries that changed are read again.
        """
        pieces = sorted(splices, key=lambda piece: (piece.start, piece.end))
        if not pieces:
            return self
        source = self.source.with_text(splice(self.text, pieces))
        if self.format is Format.XML and not self.findings:
            root = _read_xml_again(self, source, pieces)
            if root is not None:
                return replace(self, source=source, root=root)
        return read_source(source, self.path, self.format, self.reading)

    def line_of(self, node: Node) -> int:
        return self.source.line_at(node.start)

    def declared_of(self, node: Node) -> Declared | None:
        """What the gamebook says of the numbers in a value; None where it says nothing."""
        return self.reading.measures.of(node.names)


def declared_text(document: Document, node: Node, *below: str, value: str | None = None) -> str:
    """The value of a node, which knows what the gamebook says of the numbers in it.

    With `below` and `value` it is the value of a field of the node, of which no node need be made.
    """
    text = value if value is not None else node.value or ""
    measures = document.reading.measures
    declared = measures.of((*node.names, *below)) if measures else None
    return MeasuredText(text, declared) if declared is not None else text


def read_document(
    data: bytes,
    path: str = "",
    *,
    format: Format | None = None,
    tolerate: Iterable[str] = (),
    keys: Mapping[str, str] | None = None,
    slots: Mapping[str, Slot] | None = None,
    measures: Mapping[tuple[str, ...], Declared] | None = None,
) -> Document:
    """Read a file. Never raises on bad input: what is wrong is in `findings`.

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
    rows = _rows(data)
    if rows is not None:
        return read_rows(rows, path, Reading(frozenset(tolerate), keys or {}, {}, Measures(measures or {})))
    source = decode(data)
    chosen = Recognised(format) if format is not None else format_of(path, source.text, has_slots=bool(slots))
    named = {name: "key" for name, slot in (slots or {}).items() if slot.has_key}
    reading = Reading(
        frozenset(tolerate), {**named, **(keys or {})}, slots or {}, Measures(measures or {}), chosen.is_guessed
    )
    return read_source(source, path, chosen.format, reading)


def _rows(data: bytes) -> RowsSource | None:
    """The rows of a database; None for any other file, and for a database with too many rows to be shown."""
    if is_server_tables(data):
        from zerrit.core.documents.database.server_rows import source_of_server_tables

        return source_of_server_tables(data)
    if not is_database(data):
        return None
    from zerrit.core.documents.database.rows import source_of_database

    return source_of_database(data)


def read_rows(rows: RowsSource, path: str, reading: Reading | None = None) -> Document:
    """Read rows that are a text already."""
    return read_source(rows, path, Format.DATABASE, _with_keys(reading or Reading(), rows))


def _with_keys(reading: Reading, rows: RowsSource) -> Reading:
    """The rows of each table are named by the column that tells them apart, unless a gamebook says otherwise."""
    own = {name: table.key for name, table in (rows.tables or {}).items()}
    return replace(reading, keys={**own, **reading.keys})


def format_of(path: str, text: str, *, has_slots: bool = False) -> Recognised:
    """The format of a file by its name or the program it names for itself; else a text where it has slots; else a guess."""
    by_name = format_by_name(path) or format_by_first_line(text)
    if by_name is not None or has_slots:
        return Recognised(by_name or Format.TEXT)
    return guessed_format(path, text)


def read_source(source: Source, path: str, format: Format, reading: Reading) -> Document:
    """Read text that is decoded already; the rest as in `read_document`."""
    report = Report(source, path, reading.tolerate, is_guessed=reading.is_guessed)
    if source.is_guessed:
        report.add(
            "text.legacy-encoding",
            0,
            "This file is not UTF-8. It is read as Western 8-bit text and written back the same way.",
        )
    nul = source.text.find("\0") if format not in (Format.XML, Format.YAML, Format.JSON) else -1
    if nul >= 0:  # those three have a rule of their own against it
        report.add("text.nul", nul, "A NUL character is here; text files have none. Was the upload cut or binary?")
    root = reader_of(format)(source, report, reading)
    return Document(source, path, format, root, in_reading_order(report.findings), reading)


# The readers are imported when they are first needed: compiling the patterns of all takes longer than reading most files,
# and a command reads files of one or two formats.
# ruff: noqa: PLC0415


@cache
def reader_of(format: Format) -> FormatReader:
    """The reader of a format, out of its folder; one reader serves the scripts of all languages."""
    read = import_module(f"zerrit.core.documents.{format.folder}.reader").read
    return cast(FormatReader, partial(read, format) if format.traits.script else read)


def _read_xml_again(document: Document, source: Source, pieces: Sequence[Splice]) -> Node | None:
    from zerrit.core.documents.xml.reader import read_again

    return read_again(document.root, document.text, source, pieces)


def _yaml_data(document: Document) -> Any:
    from zerrit.core.documents.yaml.data import to_data

    return to_data(document.root, document.text)


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
