"""
Read braced key-values into nodes: `"key" "value"` is a value, `"key" { … }` a group.

Quotation marks may lack around a word. A key may occur again; what is in brackets behind a value (`[$WINDOWS]`) says where it
holds and stays as it is.
"""

from __future__ import annotations

import re
from typing import Final, NamedTuple

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.nesting import MAX_DEPTH, Nesting
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.source import Source, Splice

_TOKEN: Final = re.compile(
    r"(?P<space>[\s\ufeff]+)|(?P<remark>//[^\r\n]*|/\*(?:[^*]|\*(?!/))*+(?:\*/)?)|(?P<open>\{)|(?P<close>\})"
    r'|"(?P<quoted>(?:[^"\\\r\n]|\\[^\r\n])*+)"|(?P<where>\[[^\]\r\n]*\])|(?P<unclosed>"[^\r\n]*+)|(?P<bare>[^\s{}"]+)'
)
_ESCAPED: Final = re.compile(r'\\(["\\])')


class _Word(NamedTuple):
    text: str
    start: int
    end: int
    is_quoted: bool


def read(source: Source, report: Report, _reading: Reading) -> Node:
    """Read the text; the root is a group of values and groups."""
    own = Report(source, report.path, report.tolerate, is_guessed=report.is_guessed)
    reader = _Reader(source, own, by_indentation=False)
    root = reader.read()
    if not reader.nesting.is_even:
        own = Report(source, report.path, report.tolerate, is_guessed=report.is_guessed)
        root = _Reader(source, own, by_indentation=True).read()
    report.findings += own.findings
    return root


class _Reader:
    def __init__(self, source: Source, report: Report, *, by_indentation: bool) -> None:
        self.source = source
        self.text = source.text
        self.report = report
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
            else:
                raw = match.group("quoted") if kind == "quoted" else match.group()
                self._word(_Word(raw, start, end, is_quoted=kind == "quoted"))
        self._no_value()
        self.nesting.ended()
        return self.root

    def _word(self, word: _Word) -> None:
        key = self.key
        if key is not None and self.source.line_start(key.start) < self.source.line_start(word.start):
            self._no_value()
            key = None
        if key is None:
            self.nesting.begins(word.start)
            self.key = word
            return
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
        self._place(node)
        self.comments.ended(node, word.end)
        self.key = None

    def _place(self, node: Node) -> None:
        self.comments.document(node)
        self.nesting.top.adopt(node)

    def _is_beside(self, start: int) -> bool:
        """A condition behind the value on the same line."""
        siblings = self.nesting.top.children
        return bool(siblings) and self.source.line_start(siblings[-1].end) == self.source.line_start(start)

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
        if self.nesting.depth >= MAX_DEPTH:
            self.report.add("text.too-deep", at, f"Groups nest deeper than {MAX_DEPTH} levels here.")
            return False
        self.nesting.opened(node, at)
        return True

    def _closes(self, at: int) -> None:
        self._no_value()
        node = self.nesting.closed(at)
        self.comments.forget()
        if node is not None:
            node.value_end, node.end = at, at + 1
            self.comments.ended(node, at + 1)

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
        stop = start + 1 + len(raw)
        self.report.add(
            "braces.quote-not-closed",
            stop,
            "The text that begins with the last quotation mark of this line is never closed.",
            hint='Add `"` where it ends.',
            fix=Splice(stop, stop, '"'),
        )
        self._word(_Word(raw, start, stop, is_quoted=False))
