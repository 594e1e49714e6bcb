"""
Which groups in braces are open, and where a brace is missing or too many.

Counting finds that one is missing; where, the indentation tells. So a text is read by its braces first, and only one whose
braces do not come out even is read again with its indentation in mind.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, Protocol

from zerrit.core.documents.findings import Report, first_of_each_line
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Source

MAX_DEPTH: Final = 100


@dataclass(slots=True)
class _Open:
    node: Node
    at: int  #: of its brace
    indent: int  #: of the line on which it begins


class BraceReader(Protocol):
    """Reads a text whose groups are between braces."""

    nesting: Nesting

    def read(self) -> Node: ...


def read_by_braces(report: Report, make: Callable[[Report, bool], BraceReader]) -> Node:
    """Read a text by its braces; where they do not come out even, once more by its indentation.

    `make` gets the report of a reading, and whether it goes by the indentation. Of each line the first finding is told.
    """
    own = report.alike()
    reader = make(own, False)
    root = reader.read()
    if not reader.nesting.is_even:
        own = report.alike()
        root = make(own, True).read()
    report.findings += first_of_each_line(own.findings)
    return root


def is_first_on_its_line(text: str, at: int) -> bool:
    """Only blanks are before an offset on its line. A line may have millions of characters, so it is not cut out."""
    while at > 0 and text[at - 1] in " \t":
        at -= 1
    return at == 0 or text[at - 1] in "\r\n"


def end_of_text(text: str, at: int) -> int:
    """Where the last character before an offset ends that is no white space."""
    while at > 0 and text[at - 1].isspace():
        at -= 1
    return at


class Nesting:
    """The groups that are open at a place of the text; the root is always open."""

    def __init__(self, source: Source, report: Report, root: Node, prefix: str, *, by_indentation: bool) -> None:
        self._source = source
        self._text = source.text
        self._report = report
        self._root = root
        self._prefix = prefix  #: of the codes of its findings
        self._by_indentation = by_indentation
        self._open: list[_Open] = []
        self.is_even = True  #: no brace was missing or too many

    @property
    def top(self) -> Node:
        """The innermost group that is open."""
        return self._open[-1].node if self._open else self._root

    @property
    def is_full(self) -> bool:
        """No group may be opened any more."""
        return len(self._open) >= MAX_DEPTH

    def opened(self, node: Node, at: int) -> None:
        """A group opens with the brace at the offset `at`."""
        self._open.append(_Open(node, at, self._indent(node.start)))

    def is_deeper(self, start: int, at: int) -> bool:
        """What is at an offset is on a later line than what begins at `start`, and indented further."""
        is_later = self._source.line_at(at) > self._source.line_at(start)
        return is_later and self._is_first_on_line(at) and self._indent(at) > self._indent(start)

    def is_opened_on_line(self, at: int) -> bool:
        """The innermost group was opened on the line of an offset."""
        return bool(self._open) and self._source.line_at(self._open[-1].at) == self._source.line_at(at)

    def begins(self, start: int) -> None:
        """An entry begins at an offset. One that is indented no further than the group it is in tells that its brace is missing."""
        if not self._by_indentation or not self._is_first_on_line(start):
            return
        indent = self._indent(start)
        while self._open and self._is_left(self._open[-1], start) and indent <= self._open[-1].indent:
            self._leave(start)

    def closed(self, at: int) -> Node | None:
        """The brace at `at` closes the group that is returned; None where it closes nothing, which is reported."""
        if self._by_indentation and self._is_first_on_line(at):
            indent = self._indent(at)
            if any(one.indent == indent for one in self._open):
                while self._open[-1].indent > indent and self._is_left(self._open[-1], at):
                    self._leave(at)
            elif self._open and indent > self._open[-1].indent:
                self._extra(at)
                return None
        if not self._open:
            self._extra(at)
            return None
        return self._open.pop().node

    def remark_ended(self, remark: re.Match[str]) -> None:
        """A comment was passed over; one over several lines that runs on to the end of the file is a fault of its own."""
        if remark.group().startswith("/*") and not remark.group().endswith("*/"):
            self._report.add(
                f"{self._prefix}.comment-not-closed",
                remark.start(),
                "The comment that begins here is never closed, so everything to the end of the file belongs to it.",
                hint="Add `*/` where it ends.",
            )
            self._open.clear()  # what is open is so because of it

    def ended(self) -> None:
        """The text ends; what is open is never closed."""
        while self._open:
            self._leave(len(self._text))

    def _is_left(self, one: _Open, at: int) -> bool:
        """Its brace is on an earlier line, so that its closing one would have a line of its own."""
        return self._source.line_at(one.at) < self._source.line_at(at)

    def _leave(self, before: int) -> None:
        """The closing brace of the innermost group is missing before an offset."""
        left = self._open.pop()
        end = max(left.at + 1, end_of_text(self._text, before))
        left.node.end = max(left.node.start, end)
        left.node.value_end = max(left.node.value_start, end)
        if self.is_even:  # what seems wrong after the first one mostly follows from it
            self._report.add(
                f"{self._prefix}.brace-not-closed",
                end,
                f"The `{{` of {left.node.name or 'a group'} on line {self._source.line_at(left.at)} is never closed.",
                hint="Add `}` here.",
            )
        self.is_even = False

    def _extra(self, at: int) -> None:
        if self.is_even:
            self._report.add(
                f"{self._prefix}.brace-extra",
                at,
                "This `}` closes nothing: no `{` is open here.",
                hint="Remove it, or add the `{` that it belongs to.",
            )
        self.is_even = False

    def _is_first_on_line(self, at: int) -> bool:
        return is_first_on_its_line(self._text, at)

    def _indent(self, at: int) -> int:
        return len(self._source.indent_at(at).expandtabs(8))
