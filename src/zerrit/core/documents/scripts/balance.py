"""
Do brackets, quotation marks and block words of a script pair up?

Comments and texts are passed over. Which bracket closes which is found on the way: what is read of a script later begins
with it.
"""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from dataclasses import dataclass, field
from typing import Final

from zerrit.core.documents.findings import Report
from zerrit.core.documents.scripts.languages import Language
from zerrit.core.documents.source import Source, Splice

_SMART: Final = re.compile("[\u201c\u201d\u201e]")
_SMART_LINE: Final = re.compile("([\u201c\u201d\u201e](?:[^\\r\\n]*[\u201c\u201d\u201e])?)")
_LONGEST_WORD: Final = 60
_COMMAND_FOLLOWS: Final = re.compile(r"(?:^|[\s;&|({])(then|else|elif|do|if|while|until|time|!)\Z")
MOST_BLAMED: Final = 20  # what is left open beyond that is told where it is opened
MOST_OPEN: Final = 10_000  # brackets open at one time; a file with more is not a script


@dataclass(slots=True)
class Brackets:
    """The brackets of a script: offsets in characters."""

    #: The closing bracket of each opening one, in the order in which they were closed.
    closing: dict[int, int] = field(default_factory=dict)
    faults: list[int] = field(default_factory=list)  #: where something does not pair up
    texts: list[tuple[int, int]] = field(default_factory=list)  #: comments and texts that go over several lines
    is_cut_off: bool = False  #: there are too many to go on

    def is_sound(self, start: int, end: int) -> bool:
        """Nothing between the two places does not pair up."""
        index = bisect_right(self.faults, start)
        return index >= len(self.faults) or self.faults[index] > end

    def outermost(self) -> Regions:
        """What is in brackets, or in texts and comments of several lines."""
        return Regions([*self.closing.items(), *self.texts])


def _either(words: set[str]) -> str:
    return " or ".join(f"`{word}`" for word in sorted(words))


class Regions:
    """Parts of a text, those inside of others left out."""

    def __init__(self, parts: list[tuple[int, int]]) -> None:
        self._starts: list[int] = []
        self._ends: list[int] = []
        for start, end in sorted(parts):
            if not self._ends or start >= self._ends[-1]:
                self._starts.append(start)
                self._ends.append(end)

    def hold(self, offset: int) -> bool:
        """The offset is inside of one of them, not at its beginning."""
        index = bisect_left(self._starts, offset) - 1
        return index >= 0 and offset < self._ends[index]


class Balance:
    """One reading of the brackets of a script."""

    def __init__(self, source: Source, report: Report, language: Language) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.language = language
        self.pairs = dict(zip(language.brackets[1::2], language.brackets[::2], strict=True))
        self.closing = {opening: closing for closing, opening in self.pairs.items()}
        signs = "".join(language.quotes) + language.brackets + "\u201c\u201d\u201e"
        words = "|".join({word for block in language.blocks for word in (block.opens, block.closes)})
        word = rf"|(?<![\w.$:-])(?P<word>{words})(?![\w=-])" if words else ""
        self.next = re.compile(
            rf"{language.skipped.pattern}|(?P<sign>[{re.escape(signs)}]){word}", language.skipped.flags
        )
        self.openers = {block.opens for block in language.blocks}
        self.closers: dict[str, set[str]] = {}
        for block in language.blocks:
            self.closers.setdefault(block.closes, set()).add(block.opens)
            self.closing[block.opens] = block.closes
        self.open: list[tuple[str, int]] = []
        self.brackets = Brackets()

    def check(self) -> Brackets:
        """Note what does not pair up."""
        self._go_through()
        self.brackets.faults.sort()
        return self.brackets

    def _fault(self, code: str, place: int, message: str, hint: str, fix: Splice | None = None) -> None:
        self.brackets.faults.append(place)
        self.report.add(code, place, message, hint=hint, fix=fix)

    def _go_through(self) -> None:
        at = 0
        while match := self.next.search(self.text, at):
            sign = match.group("sign")
            if language_word := match.groupdict().get("word"):
                at = match.end()
                if not self.language.words_begin_commands or self._begins_command(match.start()):
                    self._word(language_word, match.start())
            elif sign is None:
                at = max(match.end(), at + 1)
                self._note_text(match.start(), at)
                if (match.lastgroup or "").startswith("open_"):
                    self._left_open(match)
            elif sign in self.language.quotes:
                at = self._quoted(sign, match.start())
            elif marked := _SMART_LINE.match(self.text, match.start()):
                self._smart_quotes(marked)
                at = marked.end()
            else:
                self._bracket(sign, match.start())
                at = match.end()
            if len(self.open) > MOST_OPEN:
                self.report.add("text.too-deep", match.start(), f"More than {MOST_OPEN:,} brackets are open here.")
                self.brackets.is_cut_off = True
                return
        for sign, opened in reversed(self.open):
            self._never_closed(sign, opened)

    def _begins_command(self, at: int) -> bool:
        """What stands here is a word of the shell, and none that a command is given."""
        start = self.source.line_start(at)
        before = self.text[max(start, at - _LONGEST_WORD) : at].rstrip(" \t")
        while found := _COMMAND_FOLLOWS.search(before):  # which is one itself only where a command may begin
            before = before[: found.start(1)].rstrip(" \t")
        return not before or before[-1] in ";&|({)`!"

    def _word(self, word: str, at: int) -> None:
        """A word that opens or closes a block of code."""
        wanted = self.closers.get(word)
        if wanted is None:
            self.open.append((word, at))
        elif self.open and self.open[-1][0] in wanted:
            self.brackets.closing[self.open.pop()[1]] = at
        elif any(kind in wanted for kind, _ in self.open):
            while self.open[-1][0] not in wanted:
                self._never_closed(*self.open.pop())
            self.brackets.closing[self.open.pop()[1]] = at
        else:
            self._fault(
                "text.block-extra",
                at,
                f"`{word}` on line {self.source.line_at(at)} closes nothing: no {_either(wanted)} is open there.",
                hint="Remove it, or add what it closes.",
            )

    def _note_text(self, start: int, end: int) -> None:
        if "\n" in self.text[start:end] or "\r" in self.text[start:end]:
            self.brackets.texts.append((start, end))

    def _left_open(self, match: re.Match[str]) -> None:
        """A comment or a text over several lines that runs on to the end of the file."""
        line_end = self.source.line_end(match.start())
        begins = self.text[match.start() : min(line_end, match.start() + 12)].strip()
        self._fault(
            "text.quote-not-closed",
            match.start(),
            f"What begins here with `{begins}` is never closed, so everything to the end of the file belongs to it.",
            hint="Close it where it ends.",
        )

    def _quoted(self, sign: str, start: int) -> int:
        whole = self.language.quotes[sign].match(self.text, start)
        if whole and not self._is_swapped(start, whole.end()):
            self._note_text(start, whole.end())
            return whole.end()
        line = self.source.line_start(start)
        # A bracket of this line may be closed in what the open text seems to hold.
        self.open = [(one, at) for one, at in self.open if at < line or one in self.openers]
        self._fault(
            "text.quote-not-closed",
            start,
            f"The text opened with {sign} on line {self.source.line_at(start)} is never closed.",
            hint=f"Add {sign} where the text ends.",
        )
        return max(self.source.line_end(start), start + 1)

    def _smart_quotes(self, line: re.Match[str]) -> None:
        """Typographic marks of one line; where they come in pairs, plain ones in their place do, too."""
        first = line.start(1)
        marked = line.group(1)
        is_paired = len(_SMART.findall(marked)) % 2 == 0
        self._fault(
            "text.smart-quotes",
            first,
            f"Typographic quotation marks ({marked[0]}) are in a script, which knows only plain ones.",
            hint='Write " for them.',
            fix=Splice(first, line.end(1), _SMART.sub('"', marked)) if is_paired else None,
        )

    def _is_swapped(self, start: int, end: int) -> bool:
        """A text over several lines ends with what looks like the beginning of another: its own end is missing."""
        if not re.search(r"[\r\n]", self.text[start:end]):
            return False
        before, after = self.text[end - 2], self.text[end : end + 1]
        opens = before in " \t=(,[" and not (after.isspace() or after in ";),]|&" or not after)
        is_apostrophe = before.isalnum() and after.isalnum()
        return opens or is_apostrophe

    def _bracket(self, sign: str, at: int) -> None:
        if sign not in self.pairs:
            self.open.append((sign, at))
            return
        wanted = self.pairs[sign]
        if self.open and self.open[-1][0] == wanted:
            self.brackets.closing[self.open.pop()[1]] = at
            return
        if sign == ")" and self.language.lone_parenthesis and not any(kind == "(" for kind, _ in self.open):
            return
        line = self.source.line_start(at)
        top = self.open[-1] if self.open else ("", -1)
        if (
            top[1] >= line
            and top[0] not in self.openers
            and not any(kind == wanted and o >= line for kind, o in self.open)
        ):
            self._mismatch(sign, at)
        elif any(kind == wanted for kind, _ in self.open):
            while self.open[-1][0] != wanted:
                self._never_closed(*self.open.pop())
            self.open.pop()
        else:
            self._extra(sign, wanted, at)

    def _mismatch(self, sign: str, at: int) -> None:
        opening = self.open.pop()[0]
        closing = self.closing[opening]
        self._fault(
            "text.bracket-mismatch",
            at,
            f"`{sign}` is here, but `{opening}` before it in this line is closed by `{closing}`.",
            hint=f"Write `{closing}`.",
            fix=Splice(at, at + 1, closing),
        )

    def _extra(self, sign: str, wanted: str, at: int) -> None:
        """A bracket that closes nothing; where it ends an indented block, the opening one is missing above that."""
        start = self.source.line_start(at)
        place = at
        if not self.text[start:at].strip():
            indent = len(self.source.indent_at(at))
            number = self.source.line_at(at) - 1
            lines = self.source.line_starts
            while number > 0 and self._is_deeper(lines[number - 1], indent):
                number -= 1
            if 0 < number < self.source.line_at(at) - 1:
                end = self.source.line_end(lines[number - 1])
                place = lines[number - 1] + len(self.text[lines[number - 1] : end].rstrip())
        self._fault(
            "text.bracket-extra",
            place,
            f"`{sign}` on line {self.source.line_at(at)} closes nothing: no `{wanted}` is open there."
            + ("" if place == at else f" It seems to be missing at the end of line {self.source.line_at(place)}."),
            hint=f"Remove it, or add `{wanted}` where it belongs.",
        )

    def _is_deeper(self, line: int, indent: int) -> bool:
        """The line is blank or indented by more than `indent`."""
        end = self.source.line_end(line)
        body = self.text[line:end].lstrip(" \t")
        return not body or end - line - len(body) > indent

    def _is_taken(self, opened: int) -> bool:
        """What closes this bracket stands at the beginning of a line that is indented less than the one that opens it."""
        closing = self.brackets.closing[opened]
        start = self.source.line_start(closing)
        if start <= opened or self.text[start:closing].strip():
            return False
        return len(self.source.indent_at(closing)) < len(self.source.indent_at(opened))

    def _never_closed(self, sign: str, opened: int) -> None:
        """It is missing before the first line below that is indented no further than the one that opens it.

        Where another bracket further in took the closing one that belongs to this, by its indentation, that other one is
        the one that is left open.
        """
        if len(self.brackets.faults) < MOST_BLAMED:
            opened = next(
                (inner for inner in self.brackets.closing if inner > opened and self._is_taken(inner)), opened
            )
        sign = next((word for word in self.openers if self.text.startswith(word, opened)), self.text[opened])
        lines = self.source.line_starts
        number = self.source.line_at(opened)
        indent = len(self.source.indent_at(opened))
        while number < len(lines) and self._is_deeper(lines[number], indent):
            number += 1
        start = lines[number - 1]
        place = max(opened, start + len(self.text[start : self.source.line_end(start)].rstrip()))
        self._fault(
            "text.block-not-closed" if sign in self.openers else "text.bracket-not-closed",
            place,
            f"`{sign}` opened on line {self.source.line_at(opened)} is never closed.",
            hint=f"Add `{self.closing[sign]}` where it belongs.",
        )
