"""
Read a script: its lines, and what is written out in full in them.

Code stays closed: its lines are values called `line`, as in any text. What is regular is opened in their place: a table,
list or object is a group under the name that it is given to (`Market.Stalls`), or that of the function it is handed to;
a line that gives a name a literal value is a value of that name; the options of a command that starts a program are
values, too. Brackets, quotation marks and block words have to pair up; a table in which they do not stays closed.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.findings import Report
from zerrit.core.documents.format import Format
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.scripts.balance import Balance, Brackets, Regions
from zerrit.core.documents.scripts.command_lines import options, valued
from zerrit.core.documents.scripts.languages import BATCH, C_LIKE, JAVASCRIPT, LANGUAGES, PYTHON, Language
from zerrit.core.documents.scripts.literals import text_value
from zerrit.core.documents.scripts.tables import NoTable, TableReader
from zerrit.core.documents.source import Source
from zerrit.core.documents.text.reader import read_lines

_ARRAYS: Final = r"(?:[ \t]*\[\w*\])*"
_ASSIGNED: Final = re.compile(
    r"(?<![\w$])(?P<name>[A-Za-z_$][\w$]*(?:[.:]{1,2}[A-Za-z_$][\w$]*|\[[ ]?(?:\"[^\"]*\"|'[^']*'|\d+)[ ]?\])*)"
    rf"{_ARRAYS}(?:[ \t]*:[ \t]*[\w.<>\[\]|, ]+)?\s*=\s*(?:new\b[^;={{}}]*|[\w.$]+\s*(?:or|\|\||\?\?)\s*)?\Z"
)
_HANDED_OVER: Final = re.compile(
    r"(?<![\w$])(?P<name>[A-Za-z_$][\w$]*(?:[.:]{1,2}[A-Za-z_$][\w$]*)*)[ \t]*"
    r"(?:\(\s*(?:(?P<first>\"[^\"\r\n]*\"|'[^'\r\n]*')\s*,)?[^(){}\r\n]*|(?P<bare>\"[^\"\r\n]*\"|'[^'\r\n]*')?[ \t]*)\Z"
)
_NO_FUNCTION: Final = frozenset(
    [
        "and",
        "or",
        "not",
        "in",
        "if",
        "elseif",
        "else",
        "then",
        "do",
        "while",
        "until",
        "return",
        "typeof",
        "of",
        "await",
        "new",
    ]
)
_GIVEN_BACK: Final = re.compile(r"\b(?P<name>return|default)\s*\Z")
_WORD_BEFORE: Final = re.compile(r"(?:\breturn|\bdefault|\bnew\b[^;={}]*)\Z")
#: What follows a pattern by which parameters or values are taken apart.
_BEHIND_PARAMETERS: Final = re.compile(r"\s*(?:=(?!=)|\)\s*(?:=>|\{)|,?[^(){};]{0,200}\)\s*(?:=>|\{))")
_LONGEST_HEAD: Final = 400  # characters before a table that are looked at for its name
MOST_FAILED: Final = 20  # times the length of the text that is looked at for tables that are none
_LOOKS_NAMED: Final = re.compile(
    r"\s*(?:[\w$.\"'\-\[\]]+\s*[:=](?![:=>])|\.\.\.|[\"'{\[\]}\d-]|//|#|/\*|true\b|false\b|null\b"
    r"|(?!(?:if|for|while|switch|catch|with|function|return)\b)[\w$]+\s*\([^(){}]*\)\s*\{)"
)
_SIZES: Final = re.compile(r"(?:[ \t]*\[\w*\])+(?=\s*=)")
_INDEX: Final = re.compile(r"\.|\[[ ]?(?:\"([^\"]*)\"|'([^']*)'|(\d+))[ ]?\]")


def read(format: Format, source: Source, report: Report, reading: Reading) -> Node:
    """Read the script; the root's children are its lines, and what is opened in their place."""
    language = LANGUAGES[format]
    brackets = Balance(source, report, language).check()
    opened: list[Node] = []
    if not brackets.is_cut_off:
        taken = _Taken(source)
        if language.tables is not None:
            opened += _tables(source, report, language, brackets, taken)
        if language.setting is not None:
            opened += _settings(source, language, brackets, taken)
        if language.goes_on and not reading.is_uncut:
            opened += options(source, language, taken.lines)
    free = (node for node in opened if node.name not in reading.slots)  # a gamebook's name goes before the file's own
    return read_lines(source, reading, sorted(free, key=lambda node: node.start))


class _Taken:
    """The lines in whose place something is, by their numbers from 1."""

    def __init__(self, source: Source) -> None:
        self._source = source
        self.lines: set[int] = set()

    def is_free(self, start: int, end: int) -> bool:
        return self.lines.isdisjoint(self._numbers(start, end))

    def take(self, start: int, end: int) -> None:
        self.lines.update(self._numbers(start, end))

    def _numbers(self, start: int, end: int) -> range:
        return range(self._source.line_at(start), self._source.line_at(end) + 1)


# --- tables -------------------------------------------------------------------------------------------------------------


def _tables(source: Source, report: Report, language: Language, brackets: Brackets, taken: _Taken) -> list[Node]:
    """The outermost tables of the script that have a name."""
    if language.tables is None:
        return []
    found: list[Node] = []
    reader = TableReader(source, report, language, brackets.closing)
    end_of_last = -1
    failed = 0
    for opening in sorted(brackets.closing):
        if opening < end_of_last or source.text[opening] not in language.tables.brackets:
            continue
        closing = brackets.closing[opening]
        if not taken.is_free(opening, opening):
            end_of_last = closing
            continue
        if not brackets.is_sound(opening, closing) or not _is_literal(source.text, opening, closing, language):
            continue
        head = _head(source, opening)
        # A parameter or argument that is empty says nothing; the line that it is in says more.
        is_empty = closing - opening < _LONGEST_HEAD and not source.text[opening + 1 : closing].strip()
        if is_empty and "(" in source.text[head:opening]:
            continue
        name = _table_name(_without_sizes(source.text[head:opening], language))
        if not name or not taken.is_free(head, closing):
            end_of_last = closing  # what is in it would go by a name that is not its own
            continue
        start = _first_on_line(source, head)
        end = _last_on_line(source, closing + 1)
        node = Node(NodeKind.GROUP, name, start, end)
        kept = len(report.findings)
        try:
            reader.read(node, opening)
        except NoTable:
            del report.findings[kept:]
            failed += closing - opening
            if failed > MOST_FAILED * len(source.text):
                break  # brackets within brackets that are no tables; they stay closed
            continue
        found.append(node)
        taken.take(start, end)
        end_of_last = closing
    return found


def _is_literal(text: str, opening: int, closing: int, language: Language) -> bool:
    """The bracket begins a table and no block of code, type or index."""
    if language.tables is None or language.tables.is_always_literal:
        return True
    if language is JAVASCRIPT and _BEHIND_PARAMETERS.match(text, closing + 1):
        return False
    if not _may_be_literal(text[max(0, opening - _LONGEST_HEAD) : opening].rstrip()):
        return False
    if language is PYTHON and text[opening] == "[":
        return True
    return _LOOKS_NAMED.match(text, opening + 1) is not None or text[opening] == "["


def _may_be_literal(before: str) -> bool:
    """What is before a bracket wants a value."""
    if before.endswith(("(", ",", "[", "?", "&&", "||")):
        return True
    if before.endswith(("=", ":")):
        return not before.endswith(("==", "!=", "<=", ">=", "::"))
    return _WORD_BEFORE.search(before) is not None


def _head(source: Source, opening: int) -> int:
    """Where what gives a table its name begins: the line, or the one before where the bracket is alone in its line."""
    start = source.line_start(opening)
    if start > 0 and opening - start <= _LONGEST_HEAD and not source.text[start:opening].strip():
        start = source.line_start(start - 1)
    return max(start, opening - _LONGEST_HEAD)


def _without_sizes(head: str, language: Language) -> str:
    """The text before a bracket; in C, numbers in brackets behind a name are the sizes of the table, and no places in one."""
    return _SIZES.sub("", head) if language is C_LIKE else head


def _table_name(head: str) -> str:
    """The name that a table is given, from the text before its bracket; empty where there is none."""
    found = _ASSIGNED.search(head) or _GIVEN_BACK.search(head)
    if found is not None:
        is_one_of_several = head[: found.start("name")].rstrip().endswith(",")
        return "" if is_one_of_several else plain_path(found.group("name"))
    found = _HANDED_OVER.search(head)
    if found is None or found.group("name") in _NO_FUNCTION:
        return ""
    first = found.group("first") or found.group("bare")
    return plain_path(found.group("name")) + (f".{text_value(first)}" if first else "")


def plain_path(path: str) -> str:
    """`Market["quay"].price` as `Market.quay.price`."""
    return _INDEX.sub(lambda m: "." + next((group for group in m.groups() if group is not None), ""), path)


def _first_on_line(source: Source, at: int) -> int:
    start = source.line_start(at)
    return start + len(source.indent_at(start))


def _last_on_line(source: Source, at: int) -> int:
    end = source.line_end(at)
    while source.text[end - 1].isspace():
        end -= 1
    return end


# --- settings ---------------------------------------------------------------------------------------------------------------


def _settings(source: Source, language: Language, brackets: Brackets, taken: _Taken) -> list[Node]:
    """Lines that give a name a literal value, outside of brackets and blocks: those that are not indented."""
    if language.setting is None:
        return []
    found: list[Node] = []
    text = source.text
    regions = Regions(brackets.texts) if language.fixed is not None else brackets.outermost()
    for number, line_start in enumerate(source.line_starts, 1):
        start = line_start
        if language.fixed is not None and text[start : start + 1] in (" ", "\t"):
            start = _first_on_line(source, line_start)
            if not language.fixed.match(text, start):
                continue
        match = language.setting.match(text, start)
        if match is None or number in taken.lines or regions.hold(start):
            continue
        groups = match.groupdict()
        name = groups.get("name") or groups.get("bare") or ""
        key = "value" if groups.get("value") is not None else "rest"
        raw = groups.get(key) or ""
        first, last = match.span(key)
        end = _last_on_line(source, last)
        if language.tables is None:
            node = valued(text, name, start, first, last, may_be_list=raw[:1] in ("'", '"') or language is BATCH)
            node.end = end
        else:
            is_quoted = raw[:1] in ("'", '"')
            inner = 1 if is_quoted else 0
            value = text_value(raw) if is_quoted else raw
            node = Node(NodeKind.VALUE, plain_path(name), start, end, value, first + inner, last - inner, is_quoted)
        found.append(node)
        taken.take(start, end)
    return found
