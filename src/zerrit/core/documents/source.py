"""
The exact text of a file, and how to get back to its bytes.

Python's universal newlines and codecs' error handlers both lose information, so bytes are decoded here once:
line endings stay as they are, a byte order mark is kept apart, and any bytes whatever give *some* text that
encodes back to them.
"""

from __future__ import annotations

import codecs
import re
from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass, field
from itertools import accumulate
from typing import Final

MAX_BYTES: Final = 64 * 1024 * 1024  # far above any real file; a bound on memory for what a stranger sends

_BOMS: Final = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)
_XML_ENCODING: Final = re.compile(rb"""^<\?xml[^>]{0,200}?encoding\s*=\s*["']([A-Za-z0-9._-]{1,40})["']""")
_LINE_END: Final = re.compile(r"\r\n|\r|\n")


@dataclass(frozen=True, slots=True, eq=False)
class Source:
    """Text together with the encoding that it came in."""

    text: str
    encoding: str = "utf-8"
    bom: bytes = b""
    is_guessed: bool = False  #: the encoding is only the likeliest one
    _line_starts: list[int] = field(default_factory=list, init=False, repr=False)

    def to_bytes(self) -> bytes:
        """Encode the text as it came in.

        Raises UnicodeEncodeError: the text has a character that the encoding of the file does not hold.
        """
        return self.bom + self.text.encode(self.encoding)

    def with_text(self, text: str) -> Source:
        return Source(text, self.encoding, self.bom, self.is_guessed)

    @property
    def line_starts(self) -> list[int]:
        """Offset of the first character of each line; CR, LF and CRLF each end one line."""
        if not self._line_starts:
            if "\r" in self.text:
                starts = [0, *(match.end() for match in _LINE_END.finditer(self.text))]
            else:
                lengths = (len(line) + 1 for line in self.text.split("\n"))
                starts = [0, *accumulate(lengths)][:-1]
            self._line_starts[:] = starts
        return self._line_starts

    def locate(self, offset: int) -> tuple[int, int]:
        """Turn an offset (0-based, up to and including the length) into line and column, both 1-based.

        The column counts characters, a tab being one.
        """
        line = bisect_right(self.line_starts, offset)
        return line, offset - self.line_starts[line - 1] + 1

    def offset_of(self, line: int, column: int) -> int:
        """The offset of a place given by line and column, both 1-based; the reverse of `locate`."""
        return min(self.line_starts[line - 1] + column - 1, len(self.text))

    def line_at(self, offset: int) -> int:
        return bisect_right(self.line_starts, offset)

    def line_start(self, offset: int) -> int:
        """Offset of the start of the line that holds `offset`."""
        if self._line_starts:
            return self._line_starts[bisect_right(self._line_starts, offset) - 1]
        # One look back is cheaper than finding all lines of a long text.
        start = self.text.rfind("\n", 0, offset) + 1
        if "\r" in self.text[start:offset] or self.text.startswith("\r", start - 2):
            return self.line_starts[bisect_right(self.line_starts, offset) - 1]
        return start

    def line_end(self, offset: int) -> int:
        """Offset of the line ending (or of the end of the text) after `offset`."""
        match = _LINE_END.search(self.text, offset)
        return match.start() if match else len(self.text)

    def after_line(self, offset: int) -> int:
        """Offset of the first character of the next line (or the end of the text)."""
        match = _LINE_END.search(self.text, offset)
        return match.end() if match else len(self.text)

    def indent_at(self, offset: int) -> str:
        """The white space with which the line of `offset` begins."""
        start = self.line_start(offset)
        end = start
        while end < len(self.text) and self.text[end] in " \t":
            end += 1
        return self.text[start:end]

    @property
    def newline(self) -> str:
        """The first line ending of the text; LF where there is none. New lines near others ask `newline_near`."""
        match = _LINE_END.search(self.text)
        return match.group() if match else "\n"

    def newline_near(self, offset: int) -> str:
        """The ending of the line before `offset`, so that text added to a file with mixed endings fits in."""
        start = self.line_start(offset)
        if start == 0:
            return self.newline
        match = _LINE_END.search(self.text, max(start - 2, 0), start)
        return match.group() if match else self.newline


@dataclass(frozen=True, slots=True)
class Splice:
    """Replace `text[start:end]` by `text`. Offsets in characters, 0-based, `end` exclusive."""

    start: int
    end: int
    text: str


def splice(text: str, splices: Iterable[Splice]) -> str:
    """Apply splices, all of them given in offsets of `text`; they must not overlap."""
    parts: list[str] = []
    at = 0
    for piece in sorted(splices, key=lambda s: (s.start, s.end)):
        if piece.start < at:
            raise ValueError(f"splices overlap at {piece.start}")
        parts.append(text[at : piece.start])
        parts.append(piece.text)
        at = piece.end
    parts.append(text[at:])
    return "".join(parts)


def decode(data: bytes) -> Source:
    """Decode any bytes; `decode(data).to_bytes() == data` always holds."""
    for bom, encoding in _BOMS:
        if data.startswith(bom):
            source = _try_decode(data[len(bom) :], encoding, bom)
            if source:
                return source
    declared = _XML_ENCODING.match(data[:300])
    if declared:
        source = _try_decode(data, declared.group(1).decode("ascii"), b"")
        if source:
            return source
    source = _try_decode(data, "utf-8", b"")
    if source:
        return source
    for encoding in ("cp1252", "latin-1"):
        source = _try_decode(data, encoding, b"", is_guessed=True)
        if source:
            return source
    raise AssertionError("latin-1 decodes every byte")


def _try_decode(data: bytes, encoding: str, bom: bytes, *, is_guessed: bool = False) -> Source | None:
    try:
        text = data.decode(encoding)
        # A codec may accept bytes that it would not write (UTF-16 with an odd mark, say); then it is not ours to use.
        if encoding != "utf-8" and text.encode(encoding) != data:
            return None
    except (UnicodeError, LookupError):
        return None
    return Source(text, encoding, bom, is_guessed)
