"""
Read keyword lines into nodes: `port 27015`, `admin "Ada" 5 build`, `load "maps/north"`.

A keyword with one value is a value. One with several values, or that has them on another line, is an entry whose fields are
numbered from 1, and the first one names it: `admin[Ada]/2`.
"""

from __future__ import annotations

import re
from typing import Final, NamedTuple

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report, first_of_each_line, report_smart_quotes
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.source import Source, Splice

_LINE: Final = re.compile(r"[^\r\n]+")
_REMARK: Final = re.compile(r"//|#|;")
_KEYWORD: Final = re.compile(r'[^\s"]+')
_USUAL: Final = re.compile(r"[A-Za-z_+@./\-][\w.:+@/\-]*")
_FENCE: Final = re.compile(r"```|~~~|</?\w+[ >]")
_LAST_SIGN: Final = re.compile(r";[ \t]*\Z")
_GAP: Final = re.compile(r"[ \t]*")
_BESIDE: Final = re.compile(r"//|[#;](?=[ \t]|\Z|[\r\n])")
_QUOTED: Final = re.compile(r'"((?:[^"\\\r\n]|\\[^\r\n])*+)"')
_BARE: Final = re.compile(r'[^\s"]+')


class _Word(NamedTuple):
    value: str
    start: int  #: with its quotation mark
    end: int
    is_quoted: bool


class _Line(NamedTuple):
    keyword: str
    start: int
    keyword_end: int
    end: int
    words: tuple[_Word, ...]
    node: Node


def read(source: Source, report: Report, _reading: Reading) -> Node:
    """Read the text; the root is a group of values and entries."""
    own = report.alike()
    root = _Reader(source, own).read()
    report.findings += first_of_each_line(own.findings)
    return root


class _Reader:
    def __init__(self, source: Source, report: Report) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.comments = CommentKeeper(source)
        self.lines: list[_Line] = []
        self.odd: list[tuple[int, int]] = []  #: lines that do not begin as keywords mostly do

    def read(self) -> Node:
        for match in _LINE.finditer(self.text):
            body = match.group().strip(" \t\ufeff")
            if body:
                start = match.start() + match.group().index(body)
                self._line(start, start + len(body))
        root = Node(NodeKind.GROUP, "", 0, len(self.text), value_start=0, value_end=len(self.text))
        if 2 * len(self.odd) <= len(
            self.lines
        ):  # else it is the way of this file, such as a list that begins with numbers
            for place in self.odd:
                self._odd(*place)
        are_entries = {line.keyword for line in self.lines if len(line.words) > 1}
        for line in self.lines:
            self._fill(line, is_entry=line.keyword in are_entries)
            root.adopt(line.node)
        return root

    def _line(self, start: int, end: int) -> None:
        if _REMARK.match(self.text, start):
            self.comments.saw(start, end, tidy_block(self.text[start:end].lstrip("/#;")))
            return
        if _FENCE.match(self.text, start):
            self._odd(start, end)
            return
        keyword = _KEYWORD.match(self.text, start, end)
        if keyword is None:
            self.report.add(
                "keywords.no-keyword",
                start,
                f"`{self.text[start : min(end, start + 30)]}` has no keyword before it; the game skips the line.",
                hint="Write the keyword before it.",
            )
            self.comments.forget()
            return
        if not _USUAL.fullmatch(keyword.group()):
            self.odd.append((start, keyword.end()))
        words, stop = self._words(keyword.end(), end)
        last = words[-1].end if words else keyword.end()
        node = Node(NodeKind.VALUE, keyword.group(), start, last)
        self.comments.document(node)
        if stop < end:
            node.comment = node.comment or tidy_block(self.text[stop:end].lstrip("/#;"))
        self.lines.append(_Line(keyword.group(), start, keyword.end(), last, tuple(words), node))

    def _odd(self, start: int, end: int) -> None:
        self.report.add(
            "keywords.odd-keyword",
            start,
            f"`{self.text[start : min(end, start + 30)]}` does not look like a keyword, as the other lines begin with.",
            hint="Begin the line with a keyword, or take it out.",
        )

    def _odd_value(self, value: str, at: int, before: int) -> None:
        """What is hardly meant as a value: a sign alone, typographic marks, something right behind a closing mark."""
        if not value.strip(",;:=|"):
            self.report.add(
                "keywords.stray-sign",
                at,
                f"`{value}` is read as a value of its own; only spaces are between values.",
                hint="Remove it.",
            )
        elif at == before and self.text[at - 1] == '"':
            self.report.add(
                "keywords.no-gap",
                at,
                f"`{value[:30]}` follows a quotation mark at once. Is a mark inside the text, or a space missing?",
                hint="Put a space between two values.",
            )
        report_smart_quotes(self.report, at, value)

    def _words(self, at: int, end: int) -> tuple[list[_Word], int]:
        """The values of a line, and where the comment beside them begins."""
        words: list[_Word] = []
        while True:
            gap = _GAP.match(self.text, at, end)
            parted = gap is not None and gap.end() > at
            at = gap.end() if gap is not None else at
            if at >= end or (parted and _BESIDE.match(self.text, at, end)):
                return words, at
            if _LAST_SIGN.match(self.text, at, end):
                return words, end  # it ends the line, as in some games
            quoted = _QUOTED.match(self.text, at, end)
            if quoted is not None:
                words.append(_Word(quoted.group(1), at, quoted.end(), is_quoted=True))
                at = quoted.end()
                continue
            if self.text[at] == '"':
                self.report.add(
                    "keywords.quote-not-closed",
                    end,
                    "A value in this line has no closing quotation mark, so that it goes on to the end of the line.",
                    hint='Add `"` where it ends.',
                    fix=Splice(end, end, '"'),
                )
                words.append(_Word(self.text[at + 1 : end], at, end, is_quoted=False))
                return words, end
            bare = _BARE.match(self.text, at, end)
            if bare is None:
                return words, end
            value = bare.group()
            if bare.end() == end and value.endswith(";") and ";" not in value[:-1]:
                value = value[:-1]
            words.append(_Word(value, at, at + len(value), is_quoted=False))
            self._odd_value(value, at, words[-2].end if len(words) > 1 else -1)
            at = bare.end()

    def _fill(self, line: _Line, *, is_entry: bool) -> None:
        node = line.node
        if not is_entry:
            word = line.words[0] if line.words else None
            node.value = word.value if word is not None else ""
            inner = 1 if word is not None and word.is_quoted else 0
            node.value_start = word.start + inner if word is not None else line.keyword_end
            node.value_end = word.end - inner if word is not None else line.keyword_end
            node.is_quoted = bool(inner)
            return
        node.kind = NodeKind.GROUP
        node.value_start, node.value_end = line.keyword_end, line.end
        for number, word in enumerate(line.words, 1):
            inner = 1 if word.is_quoted else 0
            node.adopt(
                Node(
                    NodeKind.VALUE,
                    str(number),
                    word.start,
                    word.end,
                    word.value,
                    word.start + inner,
                    word.end - inner,
                    is_quoted=word.is_quoted,
                )
            )
