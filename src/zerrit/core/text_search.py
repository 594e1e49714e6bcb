"""Search and replace in texts: plain words or RE2 patterns, line by line, in time that grows with the text."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Final

from zerrit.core.documents.source import Source, Splice
from zerrit.core.errors import ZerritError
from zerrit.core.expressions.patterns import MAX_LENGTH

MAX_MEMORY: Final = 8 << 20  # bytes of one compiled pattern
LONGEST_LINE: Final = 400  # characters of a line that are shown


class SearchInvalid(ZerritError):
    """What is searched for cannot be read."""


@dataclass(frozen=True, slots=True)
class TextSearch:
    """What is searched for. `is_pattern`: an RE2 expression; `replacement` may then hold `\\1` for its groups."""

    text: str
    is_word: bool = False
    is_case: bool = False
    is_pattern: bool = False

    def compiled(self) -> Any:
        """The pattern. Raises SearchInvalid, with the reason."""
        import re2  # noqa: PLC0415  # few commands search

        if not self.text:
            raise SearchInvalid("Say what to search for.")
        if len(self.text) > MAX_LENGTH:
            raise SearchInvalid(f"A search has at most {MAX_LENGTH} characters.")
        options = re2.Options()
        options.log_errors = False
        options.max_mem = MAX_MEMORY
        options.case_sensitive = self.is_case
        body = self.text if self.is_pattern else re2.escape(self.text)
        try:
            return re2.compile(rf"(?m)\b(?:{body})\b" if self.is_word else f"(?m){body}", options)
        except re2.error as error:
            reason = error.args[0].decode() if isinstance(error.args[0], bytes) else str(error)
            raise SearchInvalid(f"`{self.text}` is not a pattern: {reason}") from error


@dataclass(frozen=True, slots=True)
class TextHit:
    """One place. `line` and `column` are 1-based; `before`, `match` and `after` together are its line, long ones cut."""

    start: int
    end: int
    line: int
    column: int
    before: str
    match: str
    after: str


def hits(source: Source, pattern: Any, most: int) -> Iterator[TextHit]:
    """The places where a pattern matches, in order; an empty match is none."""
    text = source.text
    count = 0
    for found in pattern.finditer(text):
        start, end = found.span()
        if start == end:
            continue
        count += 1
        if count > most:
            return
        line, column = source.locate(start)
        first, last = source.line_start(start), source.line_end(end)
        room = max(0, LONGEST_LINE - (end - start)) // 2
        yield TextHit(
            start,
            end,
            line,
            column,
            text[max(first, start - room) : start],
            text[start : min(end, start + LONGEST_LINE)],
            text[end : min(last, end + room)],
        )


def replaced(text: str, pattern: Any, replacement: str, *, is_pattern: bool) -> list[Splice]:
    """What replaces each match. Raises SearchInvalid: the replacement names a group that the pattern does not have."""
    pieces: list[Splice] = []
    for found in pattern.finditer(text):
        start, end = found.span()
        if start == end:
            continue
        try:
            new = found.expand(replacement) if is_pattern else replacement
        except (IndexError, ValueError) as error:
            raise SearchInvalid(f"`{replacement}` names a group that the pattern does not have.") from error
        pieces.append(Splice(start, end, new))
    return pieces
