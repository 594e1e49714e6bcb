"""Read a cleaned snippet: as it is, or completed where it is only a fragment of a file."""

from __future__ import annotations

import re
import textwrap
from dataclasses import dataclass
from typing import Final

from zerrit.core.documents.code import Severity
from zerrit.core.documents.document import Document, read_document
from zerrit.core.documents.format import Format
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.errors import SnippetRefused

_WRAP: Final = "snippet"  #: the root that is put around entries of XML


@dataclass(frozen=True, slots=True)
class Reading:
    """A snippet, read; `tops` are the nodes whose children are to be merged."""

    document: Document
    tops: tuple[Node, ...]
    lines_before: int = 0  #: lines that completing it put before its own first one

    def line_of(self, node: Node) -> int:
        return self.document.line_of(node) - self.lines_before


@dataclass(frozen=True, slots=True)
class _Attempt:
    """One way to complete a snippet."""

    text: str
    lines_before: int = 0


def read_snippet(target: Document, text: str, *, is_item: bool) -> Reading:
    """Read it as it is or completed; with `is_item` its entries go into a list.

    Raises SnippetRefused: it can be read in no way.
    """
    readings = [
        (
            attempt,
            read_document(attempt.text.encode(), "the snippet", format=target.format, tolerate=target.reading.tolerate),
        )
        for attempt in _attempts(target.format, text, is_item=is_item)
    ]
    for attempt, document in readings:
        if not document.ok or not document.root.children:
            continue
        if target.format is Format.INI:
            return Reading(document, tuple(_ini_tops(document)))
        if target.format is Format.XML and document.root.name not in (_WRAP, target.root.name):
            continue  # a single entry is taken for the root when it is alone; the next attempt wraps it
        if is_item and target.format in (Format.JSON, Format.YAML) and document.root.kind is not NodeKind.LIST:
            continue
        return Reading(document, (document.root,), attempt.lines_before)
    other = _other_format(target.format, text)
    if other is not None:
        raise SnippetRefused(
            f"The snippet reads like {other.label}, but {target.path} is {target.format.label}. "
            "Is it meant for another file?"
        )
    attempt, document = min(readings, key=lambda reading: len(reading[1].findings))
    fault = next((f for f in document.findings if f.severity is Severity.ERROR), None)
    where = f"line {max(1, fault.line - attempt.lines_before)}: " if fault else ""
    what = f"{where}{fault.message}" if fault else "it holds no entry that can be read."
    raise SnippetRefused(f"The snippet cannot be read as {target.format.label}, {what} Was its end or start left out?")


def _other_format(format: Format, text: str) -> Format | None:
    """The format that a snippet is in, if its first character or line says so and it can be read as that."""
    start = text.lstrip()
    likely = (
        (Format.XML, start.startswith("<")),
        (Format.JSON, start.startswith("{")),
        (Format.INI, re.match(r"\[[^\]\n]+\]\s*\n[^\n]*=", start) is not None),
        (Format.YAML, re.match(r"(- )?[\w.-]+:(\s|\Z)", start) is not None),
    )
    for other, is_likely in likely:
        if is_likely and other is not format:
            document = read_document(text.encode(), "the snippet", format=other)
            if document.ok and document.root.children:
                return other
    return None


def _attempts(format: Format, text: str, *, is_item: bool) -> list[_Attempt]:
    """The snippet as it is, and then completed in the ways that its format allows."""
    bare = text.rstrip().rstrip(",")
    if format is Format.XML:
        return [_Attempt(text), _Attempt(f"<{_WRAP}>\n{text}\n</{_WRAP}>", 1)]
    if format is Format.JSON:
        # Closed on the next line, since the last one may end in a comment.
        objects, lists = _Attempt("{" + bare + "\n}"), _Attempt("[" + bare + "\n]")
        end = "\n}]" if "//" in bare.rpartition("\n")[2] else "}]"
        return [_Attempt(text), lists, _Attempt("[{" + bare + end)] if is_item else [_Attempt(text), objects, lists]
    if format is Format.YAML and is_item:
        return [_Attempt(text), _Attempt("- " + textwrap.indent(text, "  ").lstrip())]
    return [_Attempt(text)]


def _ini_tops(document: Document) -> list[Node]:
    loose = [
        child for child in document.root.children if child.parent is document.root and not is_section(document, child)
    ]
    sections = [child for child in document.root.children if is_section(document, child)]
    return ([document.root] if loose else []) + sections


def is_section(document: Document, node: Node) -> bool:
    """A node is a section of an INI file, with a header of its own."""
    return node.kind is NodeKind.GROUP and document.text.startswith("[", node.start)
