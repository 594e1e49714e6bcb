"""
Read braced key-values into nodes: `"key" "value"` is a value, `"key" { … }` a group.

A word may be without quotation marks. A key may occur again; what is in brackets behind a value (`[$WIDE]`) says where it
holds and stays as it is.
"""

from __future__ import annotations

import re
from typing import Final, NamedTuple

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report, report_smart_quotes
from zerrit.core.documents.nesting import MAX_DEPTH, Nesting, is_first_on_its_line, read_by_braces
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.source import Source, Splice

_TOKEN: Final = re.compile(
    r"(?P<space>[\s\ufeff]+)|(?P<remark>//[^\r\n]*|/\*(?:[^*]|\*(?!/))*+(?:\*/)?)|(?P<open>\{)|(?P<close>\})"
    r'|"(?P<quoted>(?:[^"\\\r\n]|\\[^\r\n])*+)"|(?P<where>\[[^\]\r\n]*\])|(?P<unclosed>"[^\r\n]*+)|(?P<bare>[^\s{}"]+)'
)
_REST: Final = re.compile(r"[ \t]*(?=[\r\n]|\Z)")
_ESCAPED: Final = re.compile(r'\\(["\\])')


class _Word(NamedTuple):
    text: str
    start: int
    end: int
    is_quoted: bool


def read(source: Source, report: Report, _reading: Reading) -> Node:
    """Read the text; the root is a group of values and groups."""
    return read_by_braces(report, lambda own, by_indentation: _Reader(source, own, by_indentation=by_indentation))


class _Reader:
    def __init__(self, source: Source, report: Report, *, by_indentation: bool) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.by_indentation = by_indentation
        self.comments = CommentKeeper(source)
        self.root = Node(NodeKind.GROUP, "", 0, len(self.text), value_start=0, value_end=len(self.text))
        self.nesting = Nesting(source, report, self.root, "braces", by_indentation=by_indentation)
        self.key: _Word | None = None

    def read(self) -> Node:
        for match in _TOKEN.finditer(self.text):
            kind, start, end = match.lastgroup, match.start(), match.end()
            if kind == "space":
                continue
            if kind == "remark":
                self.nesting.remark_ended(match)
                self.comments.saw(start, end, tidy_block(match.group().strip("/*")))
            elif kind == "open":
                if not self._opens(start):
                    break
            elif kind == "close":
                self._closes(start)
            elif kind == "where" and self.key is None and self._is_beside(start):
                continue
            elif kind == "unclosed":
                self._unclosed(start, end)
            elif kind == "bare" and match.group() in "()" and self._is_alone(start, end):
                self._wrong_bracket(match.group(), start)
            else:
                raw = match.group("quoted") if kind == "quoted" else match.group()
                self._word(_Word(raw, start, end, is_quoted=kind == "quoted"))
        self._no_value()
        self.nesting.ended()
        return self.root

    def _is_alone(self, start: int, end: int) -> bool:
        return is_first_on_its_line(self.text, start) and _REST.match(self.text, end) is not None

    def _wrong_bracket(self, sign: str, at: int) -> None:
        right = "{" if sign == "(" else "}"
        self.report.add(
            "braces.wrong-bracket",
            at,
            f"`{sign}` is here, but groups are between braces.",
            hint=f"Write `{right}`.",
            fix=Splice(at, at + 1, right),
        )
        if sign == "(":
            self._opens(at)
        else:
            self._closes(at)

    def _word(self, word: _Word) -> None:
        key = self.key
        if key is not None and self.source.line_at(key.start) < self.source.line_at(word.start):
            if not self.nesting.is_full and self.nesting.is_deeper(key.start, word.start):
                self._brace_missing(key)
            else:
                self._no_value()
            key = None
        if key is None:
            self.nesting.begins(word.start)
            self.key = word
            return
        if not word.is_quoted:
            report_smart_quotes(self.report, word.start, word.text)
        inner = 1 if word.is_quoted else 0
        value = _ESCAPED.sub(r"\1", word.text) if word.is_quoted else word.text
        node = Node(
            NodeKind.VALUE,
            _ESCAPED.sub(r"\1", key.text),
            key.start,
            word.end,
            value,
            word.start + inner,
            word.end - inner,
            is_quoted=word.is_quoted,
        )
        self._require_own_line(key)
        self._place(node)
        self.comments.ended(node, word.end)
        self.key = None

    def _require_own_line(self, key: _Word) -> None:
        """A second key without marks on a line, where no group is on it, is mostly the rest of a text without its marks."""
        siblings = self.nesting.top.children
        last = siblings[-1] if siblings else None
        if last is None or key.is_quoted or self.nesting.is_opened_on_line(key.start):
            return
        if last.is_value and self.source.line_at(last.start) == self.source.line_at(key.start):
            self.report.add(
                "braces.two-on-line",
                key.start,
                f"`{key.text}` is read as another key, since a value is before it on this line.",
                hint="If it belongs to the value, put all of it in one pair of quotation marks.",
            )

    def _brace_missing(self, key: _Word) -> None:
        """What follows a key is indented as if it were in its group."""
        self.report.add(
            "braces.no-value",
            key.end,
            f"`{key.text}` has no `{{` before what seems to be in it.",
            hint="Add `{` behind it.",
        )
        node = Node(NodeKind.GROUP, key.text, key.start, key.end, value_start=key.end, value_end=key.end)
        self._place(node)
        self.nesting.opened(node, key.end)
        self.key = None

    def _place(self, node: Node) -> None:
        self.comments.document(node)
        self.nesting.top.adopt(node)

    def _is_beside(self, start: int) -> bool:
        """A condition behind the value on the same line."""
        siblings = self.nesting.top.children
        return bool(siblings) and self.source.line_at(siblings[-1].end) == self.source.line_at(start)

    def _opens(self, at: int) -> bool:
        key = self.key
        self.key = None
        if key is None:
            self.report.add(
                "braces.no-name", at, "This `{` has no name before it.", hint="Write the name of the group before it."
            )
        start = key.start if key is not None else at
        name = _ESCAPED.sub(r"\1", key.text) if key is not None else ""
        node = Node(NodeKind.GROUP, name, start, at + 1, value_start=at + 1, value_end=at + 1)
        self._place(node)
        self.comments.ended(node, at + 1)
        if self.nesting.is_full:
            self.report.add("text.too-deep", at, f"Groups nest deeper than {MAX_DEPTH} levels here.")
            return False
        self.nesting.opened(node, at)
        return True

    def _closes(self, at: int) -> None:
        self._no_value()
        if self.by_indentation and self._is_of_faulty_line(at):
            return
        node = self.nesting.closed(at)
        self.comments.forget()
        if node is not None:
            node.value_end, node.end = at, at + 1
            self.comments.ended(node, at + 1)

    def _is_of_faulty_line(self, at: int) -> bool:
        """The brace closes what was to be opened on this line, by the fault that was found in it."""
        last = self.report.findings[-1] if self.report.findings else None
        is_here = last is not None and last.line == self.source.line_at(at)
        return is_here and not self._is_alone(at, at + 1) and not self.nesting.is_opened_on_line(at)

    def _no_value(self) -> None:
        if self.key is not None:
            self.report.add(
                "braces.no-value",
                self.key.end,
                f"`{self.key.text}` has neither a value nor a group behind it.",
                hint="Add its value here, or remove it.",
            )
            self.comments.forget()
        self.key = None

    def _unclosed(self, start: int, end: int) -> None:
        raw = self.text[start + 1 : end].rstrip(" \t")
        is_behind_word = start > 0 and not self.text[start - 1].isspace()
        if not raw.strip() and is_behind_word:
            self.report.add(
                "braces.quote-not-closed",
                start,
                "The text that ends with this quotation mark has none where it begins.",
                hint='Add `"` before it.',
            )
            return
        stop = start + 1 + len(raw)
        self.report.add(
            "braces.quote-not-closed",
            stop,
            "The text that begins with the last quotation mark of this line is never closed.",
            hint='Add `"` where it ends.',
            fix=Splice(stop, stop, '"') if self.key is not None and "//" not in raw else None,
        )
        if self.key is not None or not (is_behind_word or raw.strip().startswith("//")):
            self._word(_Word(raw, start, stop, is_quoted=False))
