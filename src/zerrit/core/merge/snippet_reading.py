"""Read a cleaned snippet: as it is, or completed where it is only a fragment of a file."""

from __future__ import annotations

import re
import textwrap
from dataclasses import dataclass
from typing import Final

from zerrit.core.documents.closed_text import is_opened_lines
from zerrit.core.documents.code import Severity
from zerrit.core.documents.document import Document, read_document
from zerrit.core.documents.format import Format
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scripts.languages import comment_sign
from zerrit.core.errors import SnippetRefused

_WRAP: Final = "snippet"  #: the root that is put around entries of XML


@dataclass(frozen=True, slots=True)
class Reading:
    """A snippet, read; `tops` are the nodes whose children are to be merged."""

    document: Document
    tops: tuple[Node, ...]
    lines_before: int = 0  #: lines that completing it put before its own first one
    is_fragment: bool = False  #: entries of a table in a script, without what is around them

    def line_of(self, node: Node) -> int:
        return self.document.line_of(node) - self.lines_before


@dataclass(frozen=True, slots=True)
class _Attempt:
    """One way to complete a snippet; of a `fragment` what was put around it has the name `_WRAP`."""

    text: str
    lines_before: int = 0
    is_fragment: bool = False


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
        if target.format.traits.script:
            top = _script_top(document, attempt)
            if top is None or (is_item and top.kind is not NodeKind.LIST):
                continue
            return Reading(document, (top,), attempt.lines_before, attempt.is_fragment)
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
    if target.format.traits.script:
        fault = next(iter(readings[0][1].findings), None)
        if fault is not None:
            raise SnippetRefused(f"The snippet cannot be read, line {fault.line}: {fault.message}")
        raise SnippetRefused(
            "The snippet holds code, and code is not merged. Paste its tables and settings alone, or edit the file as a text."
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
    if format.traits.script:
        return [_Attempt(text), *_completed(format, bare)]
    if format is Format.YAML and is_item:
        return [_Attempt(text), _Attempt("- " + textwrap.indent(text, "  ").lstrip())]
    return [_Attempt(text)]


def _completed(format: Format, text: str) -> list[_Attempt]:
    """Entries of a table with a table around them, as the language writes one."""
    heads = {
        Format.LUA: ("{} = {{", "}"),
        Format.JAVASCRIPT: ("const {} = {{", "};"),
        Format.C: ("auto {}[] = {{", "};"),
        Format.PYTHON: ("{} = {{", "}"),
    }
    if format not in heads:
        return []
    opening, closing = (part.replace("{}", _WRAP).replace("{{", "{") for part in heads[format])
    forms = [(opening, closing)]
    if format in (Format.JAVASCRIPT, Format.PYTHON):
        forms.append((opening.replace("{", "["), closing.replace("}", "]")))
    return [_Attempt(f"{first}\n{text}\n{last}\n", 1, is_fragment=True) for first, last in forms]


def _script_top(document: Document, attempt: _Attempt) -> Node | None:
    """The tables and settings of a snippet for a script, or the table that was put around entries; None where code is in it."""
    if attempt.is_fragment:
        named = [node for node in document.root.children if node.name == _WRAP]
        return named[0] if len(named) == 1 and named[0].children else None
    opened = [node for node in document.root.children if is_opened_lines(document, node)]
    code = [node for node in document.root.children if node.name == "line" and not _is_remark(document, node)]
    if not opened or code:
        return None
    top = Node(NodeKind.GROUP, "", 0, len(document.text))
    for node in opened:
        top.adopt(node)
    return top


def _is_remark(document: Document, line: Node) -> bool:
    body = (line.value or "").strip()
    return not body or body.startswith(comment_sign(document.format, document.text))


def _ini_tops(document: Document) -> list[Node]:
    loose = [
        child for child in document.root.children if child.parent is document.root and not is_section(document, child)
    ]
    sections = [child for child in document.root.children if is_section(document, child)]
    return ([document.root] if loose else []) + sections


def is_section(document: Document, node: Node) -> bool:
    """A node is a section of an INI file, with a header of its own."""
    return node.kind is NodeKind.GROUP and document.text.startswith("[", node.start)
