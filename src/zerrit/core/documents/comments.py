"""
Which comment documents which node.

Vendors write their documentation into comments: above an entry, or beside a value on the same line. That text
is the help that people read, so it is put on the node. A blank line between a comment and what follows means
that the comment is a heading, not the documentation of the next entry.
"""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass
from typing import Final

from zerrit.core.documents.format import Format
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Source

_BLANK_LINE: Final = re.compile(r"(?>\r\n|\r|\n)[ \t]*(?:\r\n|\r|\n)")  # CRLF is one line end, never two
_ORNAMENT: Final = re.compile(r"[=\-*#~_+/ \t]{3,}")


@dataclass(slots=True)
class _Comment:
    start: int
    end: int
    text: str


class CommentKeeper:
    """Fed by a reader, in the order of the text: comments seen, nodes begun (`document`) and ended."""

    def __init__(self, source: Source) -> None:
        self._text = source.text
        self._pending: list[_Comment] = []
        self._last: Node | None = None
        self._last_end = 0

    def saw(self, start: int, end: int, text: str) -> None:
        """A comment from `start` to `end`; it may belong to the node before it on the same line."""
        last = self._last
        if last is not None and not self._text[self._last_end : start].strip(" \t,"):
            if not last.comment:
                last.comment = text
            self._last = None
            return
        if self._pending and self._is_apart(self._pending[-1].end, start):
            self._pending.clear()
        self._pending.append(_Comment(start, end, text))

    def document(self, node: Node) -> None:
        """Give `node`, which begins here, the comments that are directly above it; none are pending afterwards."""
        if not self._pending:
            return
        if not self._is_apart(self._pending[-1].end, node.start):
            node.comment = "\n".join(comment.text for comment in self._pending if comment.text)
            node.lead_start = min(self._pending[0].start, node.start)
        self._pending.clear()

    def forget(self) -> None:
        """What begins here is not a node: comments above it document nothing."""
        self._pending.clear()

    def ended(self, node: Node, at: int) -> None:
        """`node`, or its opening, ended at the offset `at`; a comment that follows on the line belongs to it."""
        self._last = node
        self._last_end = at

    def _is_apart(self, end: int, start: int) -> bool:
        return bool(_BLANK_LINE.search(self._text, end, start))


_IN_XML: Final = re.compile(r"<!\[CDATA\[.*?(?:\]\]>|\Z)|<!--(?P<text>.*?)(?:-->|\Z)", re.DOTALL)
_IN_JSON: Final = re.compile(
    r'"(?:[^"\\\r\n]|\\.)*+"?|//(?P<text>[^\r\n]*)|/\*(?P<block>(?:(?!\*/).)*+)(?:\*/)?', re.DOTALL
)
_IN_YAML: Final = re.compile(r"(?:^|(?<=[ \t]))#(?P<text>[^\r\n]*)", re.MULTILINE)
_IN_LINES: Final = re.compile(r"(?:^[ \t]*|(?<=[ \t]))(?:;|#|//|--)(?P<text>[^\r\n]*)", re.MULTILINE)
_PATTERNS: Final = {Format.XML: _IN_XML, Format.JSON: _IN_JSON, Format.YAML: _IN_YAML}


def comment_texts(text: str, format: Format) -> Counter[str]:
    """What looks like a comment in a text, without ornament, and how often; for counting, not for reading."""
    found: Counter[str] = Counter()
    for match in _PATTERNS.get(format, _IN_LINES).finditer(text):
        groups = match.groupdict()
        body = groups.get("text") or groups.get("block") or ""
        if tidy := tidy_block(body):
            found[tidy] += 1
    return found


def tidy_block(body: str) -> str:
    """Comment text without ornament: rules of hyphens, leading stars, margins."""
    lines = (_ORNAMENT.sub(" ", line).strip() for line in body.splitlines())
    return "\n".join(line for line in lines if line)
