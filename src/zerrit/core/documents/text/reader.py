"""
Read any other text file: a list of lines, and what can be said of it without a grammar.

Start scripts and plain lists have no common grammar; what they share is lines, so a line is what can be
addressed (`line[#3]`), compared and changed. A line out of which a gamebook cuts slots is no `line` any more: its
slots are in its place under their own names (`mods/[night-watch]`), and what is around them stays closed. In files
that are scripts by their ending, brackets and quotation marks have to pair up, comments and texts being passed over.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Final

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.slots import Slot, cuts
from zerrit.core.documents.source import Source, Splice
from zerrit.core.documents.text.languages import Language, language_of

_COMMENT: Final = re.compile(r"[ \t]*(?:#(?!!)|//|--|;|::|[rR][eE][mM][ \t])([^\r\n]*)")
_SWITCHED_OFF: Final = re.compile(r"[ \t]*(?:#|//|::|[rR][eE][mM][ \t])")  #: what no program reads has no slots
_SMART: Final = re.compile("[\u201c\u201d\u201e]")
_SMART_LINE: Final = re.compile("([\u201c\u201d\u201e](?:[^\r\n]*[\u201c\u201d\u201e])?)")
MOST_OPEN: Final = 10_000  # brackets open at one time; a file with more is not a script


def read(source: Source, report: Report, reading: Reading) -> Node:
    """Read the text; the root's children are its lines, named `line`, blank ones included, and its slots."""
    text, slots = source.text, reading.slots
    root = Node(NodeKind.GROUP, "", 0, len(text), value_start=0, value_end=len(text))
    starts = source.line_starts
    keeper = CommentKeeper(source)
    for index, start in enumerate(starts):
        end = starts[index + 1] if index + 1 < len(starts) else len(text)
        body = text[start:end].rstrip("\r\n")
        if index + 1 == len(starts) and not body:
            break  # what follows the last line ending is not a line
        stop = start + len(body)
        is_read = bool(slots) and not _SWITCHED_OFF.match(body)
        found = sorted(_cut(slots, text, start, stop), key=lambda node: node.start) if is_read else []
        line = found[0] if found else Node(NodeKind.VALUE, "line", start, stop, body, start, stop)
        for node in found or (line,):
            root.adopt(node)
        comment = _COMMENT.match(body)
        if comment:
            keeper.saw(start, stop, tidy_block(comment.group(1)))
        elif body.strip():
            _document(keeper, line)
        else:
            keeper.forget()
    language = language_of(report.path, text)
    if language is not None:
        _Balance(source, report, language).check()
    return root


def _document(keeper: CommentKeeper, line: Node) -> None:
    """The comment above a line is its help, but a line of its own: removing what it documents leaves it."""
    keeper.document(line)
    line.lead_start = line.start


def _cut(slots: Mapping[str, Slot], text: str, start: int, end: int) -> Iterator[Node]:
    """The slots of one line; where two claim the same text, the one named first has it."""
    taken: list[tuple[int, int]] = []
    for name, slot in slots.items():
        for cut in cuts(slot, text, start, end):
            if any(cut.start < last and first < cut.end for first, last in taken):
                continue
            taken.append((cut.start, cut.end))
            if not slot.separator:
                yield Node(NodeKind.VALUE, name, cut.start, cut.end, text[cut.start : cut.end], cut.start, cut.end)
                continue
            holder = Node(NodeKind.LIST, name, cut.start, cut.end, None, cut.start, cut.end)
            for first, last in cut.items:
                holder.adopt(Node(NodeKind.VALUE, "", first, last, text[first:last], first, last))
            yield holder


class _Balance:
    """Do brackets and quotation marks pair up?"""

    def __init__(self, source: Source, report: Report, language: Language) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.language = language
        self.pairs = dict(zip(language.brackets[1::2], language.brackets[::2], strict=True))
        self.closing = {opening: closing for closing, opening in self.pairs.items()}
        signs = "".join(language.quotes) + language.brackets
        self.next = re.compile(rf"{language.skipped.pattern}|(?P<sign>[{re.escape(signs)}])", language.skipped.flags)
        self.open: list[tuple[str, int]] = []

    def check(self) -> None:
        for line in _SMART_LINE.finditer(self.text):
            self._smart_quotes(line)
        at = 0
        while match := self.next.search(self.text, at):
            sign = match.group("sign")
            if sign is None:
                at = max(match.end(), at + 1)
                if (match.lastgroup or "").startswith("open_"):
                    self._left_open(match)
            elif sign in self.language.quotes:
                at = self._quoted(sign, match.start())
            else:
                self._bracket(sign, match.start())
                at = match.end()
            if len(self.open) > MOST_OPEN:
                self.report.add("text.too-deep", match.start(), f"More than {MOST_OPEN:,} brackets are open here.")
                return
        for sign, opened in reversed(self.open):
            self._never_closed(sign, opened)

    def _left_open(self, match: re.Match[str]) -> None:
        """A comment or a text over several lines that runs on to the end of the file."""
        line_end = self.source.line_end(match.start())
        begins = self.text[match.start() : min(line_end, match.start() + 12)].strip()
        self.report.add(
            "text.quote-not-closed",
            match.start(),
            f"What begins here with `{begins}` is never closed, so everything to the end of the file belongs to it.",
            hint="Close it where it ends.",
        )

    def _quoted(self, sign: str, start: int) -> int:
        whole = self.language.quotes[sign].match(self.text, start)
        if whole and not self._is_swapped(start, whole.end()):
            return whole.end()
        line = self.source.line_start(start)
        while self.open and self.open[-1][1] >= line:
            self.open.pop()  # it may be closed in what the open text seems to hold
        self.report.add(
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
        self.report.add(
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
            self.open.pop()
            return
        if sign == ")" and self.language.lone_parenthesis and not any(kind == "(" for kind, _ in self.open):
            return
        line = self.source.line_start(at)
        if self.open and self.open[-1][1] >= line and not any(kind == wanted and o >= line for kind, o in self.open):
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
        self.report.add(
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
        self.report.add(
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

    def _never_closed(self, sign: str, opened: int) -> None:
        """The fix goes before the first line below that is indented no further than the one that opens it."""
        lines = self.source.line_starts
        number = self.source.line_at(opened)
        indent = len(self.source.indent_at(opened))
        while number < len(lines) and self._is_deeper(lines[number], indent):
            number += 1
        start = lines[number - 1]
        place = max(opened, start + len(self.text[start : self.source.line_end(start)].rstrip()))
        self.report.add(
            "text.bracket-not-closed",
            place,
            f"`{sign}` opened on line {self.source.line_at(opened)} is never closed.",
            hint=f"Add `{self.closing[sign]}` where it belongs.",
        )
