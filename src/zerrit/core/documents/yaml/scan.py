"""
Moving over YAML text: white space, comments, columns, and where a line begins.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.source import Source, Splice

BLANK: Final = " \t\r\n"
SPACES: Final = re.compile(r"[ \t]*")
MARKER: Final = re.compile(r"(?:---|\.\.\.)(?=[ \t\r\n]|\Z)")
_TAB_LINE: Final = re.compile(r"^ *\t[ \t]*[^\s#]", re.MULTILINE)


class Scanner:
    """Where the reader is in the text, and what it has met that holds for the whole document."""

    def __init__(self, source: Source, report: Report) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.comments = CommentKeeper(source)
        self.at = 0
        self.line = 0  #: where the line of `at` begins
        self.depth = 0
        self.anchors: set[str] = set()
        self.handles: set[str] = set()  #: of tags, declared for the document
        self.is_tab_reported = False
        self.is_too_deep = False
        self.is_list_misplaced = False  #: a list began behind its name; the dashes below say where it is

    def _skip(self) -> bool:
        """Go over white space, comments and line ends to what comes next; True when a line end was among them."""
        text = self.text
        at = self.at
        crossed = False
        while at < len(text):
            sign = text[at]
            if sign in " \t":
                match = SPACES.match(text, at)
                at = match.end() if match else at + 1
            elif sign == "\n":
                at += 1
                self.line = at
                crossed = True
            elif sign == "\r":
                at += 2 if text.startswith("\n", at + 1) else 1
                self.line = at
                crossed = True
            elif sign == "#" and (at == self.line or text[at - 1] in " \t\ufeff"):
                end = self.source.line_end(at)
                self.comments.saw(at, end, tidy_block(text[at:end].lstrip("#")))
                at = end
            else:
                break
        self.at = at
        return crossed

    def _column(self) -> int:
        return self.at - self.line

    def _column_or(self, expected: int) -> int:
        """The column of what is here; behind a tab, which says nothing, the one that its neighbours have."""
        if "\t" in self.text[self.line : self.at]:
            self._check_tab()
            return expected
        return self.at - self.line

    def _is_sign(self, sign: str) -> bool:
        """The sign is here and a blank, a line end or the end of the file behind it."""
        return self.text.startswith(sign, self.at) and self.text[self.at + 1 : self.at + 2] in (
            "",
            " ",
            "\t",
            "\r",
            "\n",
        )

    def _to_line_end(self) -> None:
        self.at = self.source.line_end(self.at)

    def _skip_block(self, column: int) -> None:
        """Leave this line and the lines below it that are indented further than `column`."""
        self._to_line_end()
        while self._skip() and self.at < len(self.text) and self._column() > max(column, 0) and not self._marker():
            self._to_line_end()

    def _rest_of_line(self, code: str, what: str) -> None:
        """Nothing but a comment may follow on this line."""
        match = SPACES.match(self.text, self.at)
        at = match.end() if match else self.at
        rest = self.text[at : at + 1]
        if rest in ("", "\r", "\n") or (rest == "#" and at > self.at):
            return
        end = self.source.line_end(at)
        shown = self.text[at : min(end, at + 30)]
        self._fault(code, at, f"`{shown}` is behind {what}.")
        self.at = end

    def _fault(self, code: str, at: int, message: str, hint: str = "", fix: Splice | None = None) -> None:
        if not self.is_too_deep:
            self.report.add(code, min(at, len(self.text)), message, hint, fix)

    def _marker(self) -> str:
        """`---` or `...` where one begins this line."""
        if self.at != self.line:
            return ""
        match = MARKER.match(self.text, self.at)
        return match.group() if match else ""

    def _check_tab(self) -> None:
        """Before a key or dash that begins a line, only spaces may be."""
        tab = self.text.find("\t", self.line, self.at)
        if tab >= 0 and not self.text[self.line : self.at].strip(" \t"):
            self._check_tab_at(tab)

    def _check_tab_at(self, tab: int) -> None:
        """Report a tab in the indentation, once: where one line has it, others do."""
        if self.is_tab_reported:
            return
        self.is_tab_reported = True
        more = len(_TAB_LINE.findall(self.text, self.source.line_end(tab)))
        others = f" {more} more {'line' if more == 1 else 'lines'} below may have one too." if more else ""
        self._fault(
            "yaml.tab",
            tab,
            f"A tab is at the start of this line; YAML allows only spaces for indentation.{others}",
            hint="Replace the tab by spaces, as many as the lines around it have.",
        )

    def _back(self, at: int) -> int:
        """Back over white space, comments not being looked at."""
        while at > 0 and self.text[at - 1] in BLANK:
            at -= 1
        return at

    def _line_body(self, line: int) -> str:
        return self.text[line : self.source.line_end(line)].lstrip(" ")
