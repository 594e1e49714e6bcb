"""
Read the single values of JSON that may be wrong: texts, words, numbers, and what is between them.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.json.text import unescape
from zerrit.core.documents.json.tolerant_reader import report_comment
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import JSON_NUMBER
from zerrit.core.documents.source import Source, Splice
from zerrit.core.nearest import nearest

_SPACE: Final = re.compile(r"[ \t\r\n]*")
STRING: Final = re.compile(r'"((?:[^"\\\x00-\x1f]|\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4}))*)"')
BARE: Final = re.compile(r"(?:[^\s,:;\[\]{}\"'\u201c\u201d\u201e/#]|/(?![/*]))+")
_ZERO_FIRST: Final = re.compile(r"[+-]?0\d")
_BARE_TEXT: Final = re.compile(r"[^,;\[\]{}\"\r\n\u201c\u201d\u201e]*[^\s,;:\[\]{}\"\u201c\u201d\u201e]")
_BAD_ESCAPE: Final = re.compile(r'\\(?!["\\/bfnrt]|u[0-9a-fA-F]{4}).?')
_SMART: Final = re.compile('[\u201c\u201d\u201e]([^\u201c\u201d\u201e"\r\n]*)[\u201c\u201d\u201e"]?')
_REST_OF_TEXT: Final = re.compile(r"[^\"{}\[\]:\r\n]*\"\s*[,}\]]?[ \t]*(?=[\r\n]|\Z)")
_INNER_QUOTES: Final = re.compile(r"[^\s,:\]}\"/#][^\r\n]*\"[ \t]*(?=[,}\]]?[ \t]*(?:[\r\n]|\Z))")
_WORDS: Final = ("true", "false", "null")


class Values:
    """Where the reader is in the text; reads one single value."""

    def __init__(self, source: Source, report: Report) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.at = 0
        self.is_too_deep = False
        self.comments = CommentKeeper(source)

    def _fault(self, code: str, at: int, message: str, hint: str = "", fix: Splice | None = None) -> None:
        if not self.is_too_deep:
            self.report.add(code, at, message, hint, fix)

    def _skip(self) -> None:
        while True:
            match = _SPACE.match(self.text, self.at)
            self.at = match.end() if match else self.at
            if self.text.startswith("//", self.at):
                end = self.source.line_end(self.at)
            elif self.text.startswith("/*", self.at):
                close = self.text.find("*/", self.at + 2)
                if close < 0:
                    self._comment_not_closed()
                    self.at = len(self.text)
                    return
                end = close + 2
            elif self.text.startswith("#", self.at):
                end = self.source.line_end(self.at)
            else:
                return
            report_comment(self.report, self.at)
            body = self.text[self.at : end].removeprefix("/*").removesuffix("*/").lstrip("/#")
            self.comments.saw(self.at, end, tidy_block(body))
            self.at = end

    def _comment_not_closed(self) -> None:
        self._fault(
            "json.comment-not-closed",
            self.at,
            "The comment that begins here is never closed, so the game reads nothing of what follows.",
            hint="Add */ where the comment ends.",
        )

    def _next_sign(self, at: int) -> str:
        match = _SPACE.match(self.text, at)
        end = match.end() if match else at
        return self.text[end : end + 1]

    def _string(self, name: str, start: int) -> Node:
        opened = self.at
        match = STRING.match(self.text, opened)
        if match:
            self.at = match.end()
            raw, value_start, value_end = match.group(1), match.start(1), match.end(1)
            inner = _INNER_QUOTES.match(self.text, self.at)
            if inner and not self._is_key_at(inner.start()):
                raw, value_end = self._quote_inside(opened, inner.end())
        else:
            raw, value_start, value_end = self._loose_string(opened)
        return Node(
            NodeKind.VALUE,
            name,
            start,
            self.at,
            unescape(raw),
            value_start,
            value_end,
            True,
        )

    def _is_key_at(self, at: int) -> bool:
        """A quoted or bare key with its colon is there: only a comma is missing."""
        return bool(re.compile(r"[\w.-]*\"?\s*:").match(self.text, at))

    def _quote_inside(self, opened: int, end: int) -> tuple[str, int]:
        """`"Eel "royal" Pie"`: the text goes on to the last quotation mark of the line."""
        last = end - 1 - (len(self.text[opened:end]) - len(self.text[opened:end].rstrip(" \t")))
        raw = self.text[opened + 1 : last]
        fixed = re.sub(r'(?<!\\)"', r'\\"', raw)
        place = opened + 1 + raw.index('"')
        self._fault(
            "json.quote-inside",
            place,
            'A quotation mark is inside a text; it ends the text. One that belongs to the text is written \\".',
            hint='Write \\" for it.',
            fix=Splice(opened + 1, last, fixed),
        )
        self.at = last + 1
        return fixed, last

    def _string_not_closed(self, opened: int, end: int, quote: str) -> None:
        self._fault(
            "json.string-not-closed",
            end,
            f"The text opened with {quote} on line {self.source.line_at(opened)} is not closed on that line.",
            hint=f"Add {quote} here.",
            fix=Splice(end, end, quote),
        )

    def _loose_string(self, opened: int) -> tuple[str, int, int]:
        quote = self.text[opened]
        line_end = self.source.line_end(opened)
        body = re.compile(rf"(?:[^{quote}\\\r\n]|\\.)*").match(self.text, opened + 1)
        end = body.end() if body else opened + 1
        if not (self.text.startswith(quote, end) and end < line_end):
            return self._open_string(opened, line_end, quote)
        self.at = end + 1
        raw = self.text[opened + 1 : end]
        if quote == "'":
            inner = raw.replace('"', '\\"').replace("\\'", "'")
            self._fault(
                "json.single-quotes",
                opened,
                "This text is in single quotation marks.",
                hint='Write " on both sides.',
                fix=Splice(opened, end + 1, f'"{inner}"'),
            )
        for bad in _BAD_ESCAPE.finditer(raw):
            if quote == "'" and bad.group() == "\\'":
                continue
            at = opened + 1 + bad.start()
            self._fault(
                "json.bad-escape",
                at,
                f"`{bad.group()}` means nothing in JSON; a backslash itself is written `\\\\`.",
                hint="Write two backslashes.",
                fix=Splice(at, at, "\\"),
            )
        control = re.search(r"[\x00-\x1f]", raw)
        if control:
            at = opened + 1 + control.start()
            self._fault(
                "json.control-character",
                at,
                "A tab or another control character is raw inside a text.",
                hint="Write \\t for a tab.",
                fix=Splice(at, at + 1, "\\t") if control.group() == "\t" else None,
            )
        return raw, opened + 1, end

    def _open_string(self, opened: int, line_end: int, quote: str) -> tuple[str, int, int]:
        """The quote is missing: the text ends where a person would end it, before a comma or bracket."""
        following = self.source.after_line(opened)
        rest = _REST_OF_TEXT.match(self.text, following)
        if quote == '"' and rest and following > line_end:
            end = self.text.index('"', following)
            self._fault(
                "json.line-break",
                line_end,
                "A text goes over two lines; in JSON it is on one, and a line break in it is written \\n.",
                hint="Join the lines.",
                fix=Splice(line_end, following, "\\n"),
            )
            self.at = end + 1
            return self.text[opened + 1 : end], opened + 1, end
        tail = re.compile(r"\s*[,\]}:]*\s*\Z").search(self.text[opened + 1 : line_end])
        end = opened + 1 + (tail.start() if tail else line_end - opened - 1)
        self._string_not_closed(opened, end, quote)
        self.at = end
        return self.text[opened + 1 : end], opened + 1, end

    def _smart(self, name: str, start: int) -> Node:
        """A text in typographic quotation marks."""
        match = _SMART.match(self.text, self.at)
        inner = match.group(1) if match else ""
        end = match.end() if match else self.at + 1
        self._fault(
            "json.smart-quotes",
            self.at,
            "This text is in typographic quotation marks; JSON knows only plain ones.",
            hint=f'Write "{inner}".',
            fix=Splice(self.at, end, f'"{inner}"'),
        )
        value_start = self.at + 1
        self.at = end
        value_end = max(value_start, min(value_start + len(inner), end))
        return Node(NodeKind.VALUE, name, start, end, inner, value_start, value_end, True)

    def _bare(self, name: str, start: int) -> Node:
        begin = self.at
        match = BARE.match(self.text, begin)
        word = match.group() if match else self.text[begin]
        end = begin + len(word)
        if word not in _WORDS and not JSON_NUMBER.match(word):
            end = self._bad_word(begin, word)
            word = self.text[begin:end].removesuffix('"')
        self.at = end
        value_end = begin + len(word)
        return Node(NodeKind.VALUE, name, start, end, word, begin, value_end)

    def _bad_word(self, begin: int, word: str) -> int:
        """Say what is wrong with a bare word, and where it ends."""
        fixed = _valid_number(word)
        close = nearest(word.lower(), _WORDS)
        text = _BARE_TEXT.match(self.text, begin)
        end = text.end() if text else begin + len(word)
        if fixed or word in ("NaN", "Infinity", "-Infinity"):
            self._fault(
                "json.bad-number" if fixed else "json.not-a-number",
                begin,
                f"{word[:40]} is not a number in JSON.",
                hint=f"Write {fixed}." if fixed else "Write null, or the number that is meant.",
                # A zero in front may be what is left of another number.
                fix=Splice(begin, begin + len(word), fixed) if fixed and not _ZERO_FIRST.match(word) else None,
            )
            return begin + len(word)
        if self.text.startswith('"', end) and self._next_sign(end + 1) in (",", "}", "]", ""):
            self._fault(
                "json.quote-missing",
                begin,
                f'The text {self.text[begin:end][:40]}" has no opening quotation mark.',
                hint='Add `"` here.',
                fix=Splice(begin, begin, '"'),
            )
            return end + 1
        if close and end == begin + len(word):
            self._fault(
                "json.bad-word",
                begin,
                f"{word} is none of true, false and null, which are written small.",
                hint=f"Write {close[0]}.",
                fix=Splice(begin, end, close[0]) if word.lower() == close[0] else None,
            )
            return end
        shown = self.text[begin:end]
        is_one_text = ":" not in shown and "//" not in shown and "\\" not in shown
        stop = end if is_one_text else begin + len(word)
        self._fault(
            "json.bad-word",
            begin,
            f"{self.text[begin:stop][:40]} is not a number, true, false or null; a text is in quotation marks.",
            hint=f'Write "{self.text[begin:stop][:40]}" for a text.',
        )
        return stop


def _valid_number(word: str) -> str:
    """The number that a misspelled one means, or an empty text: `+30`, `030`, `.5`, `5.`."""
    match = re.fullmatch(r"([+-]?)0*(\d*)(?:\.(\d*))?", word)
    if not match or not any(character.isdigit() for character in word):
        return ""
    sign, whole, places = match.groups()
    return f"{sign.replace('+', '')}{whole or '0'}{f'.{places}' if places else ''}"
