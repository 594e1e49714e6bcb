"""
Read the tables, lists and objects that a script writes out in full.

What is between the brackets of one is known to pair up. An entry whose value is a text, a number, a word or another table
is opened; any other value, such as a call or a function, is one closed value with its text. A table in which something
stands that no table can hold is no table, and stays closed as a whole.

Written from the grammars of the languages: a table constructor is `{ [field (sep field)* [sep]] }` (Lua, section 3.4.9 of
its manual), an object literal and an array literal are those of ECMAScript (section 13.2), an initialiser list that of C
(section 6.7.10 of C17).
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import cache
from typing import Final

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scripts.languages import Language, Tables
from zerrit.core.documents.scripts.literals import text_value
from zerrit.core.documents.source import Source, Splice

MAX_DEPTH: Final = 100
_TEXT: Final = r'"(?:[^"\\\r\n]|\\.)*+"|' + r"'(?:[^'\\\r\n]|\\.)*+'"
_NUMBER: Final = r"[-+]?(?:0[xX][0-9a-fA-F]+|\d[\d_]*(?:\.\d*)?(?:[eE][-+]?\d+)?|\.\d+)[fFuUlLdDmMn]{0,3}(?![\w.])"
_DIGITS: Final = re.compile(r"\d+\Z")
_NAME: Final = re.compile(r"[A-Za-z_$][\w$]*(?:(?:\.|::|->)[A-Za-z_$][\w$]*)*")
_WORD: Final = re.compile(r"\w+")
_CLOSED: Final = {"{": "}", "[": "]", "(": ")"}
_NOT_A_NAME: Final = re.compile(
    r"(?:not|typeof|void|await|new|delete|return|yield|async|function|lambda|if|for|else|and|or|in|is|of|get|set|static)\b"
)
_TERNARY: Final = re.compile(r"\?(?!\.)")


class NoTable(Exception):
    """What is between the brackets is no table."""


@cache
def _patterns(language: Language) -> _Patterns:
    return _Patterns(language)


class _Patterns:
    """What a language looks like inside of a table; compiled once."""

    def __init__(self, language: Language) -> None:
        tables = language.tables
        if tables is None:
            raise ValueError(f"{language.name} has no tables")
        marks = "".join(mark for mark in language.quotes if mark not in "\"'")
        texts = "|".join([_TEXT, *(rf"{mark}(?:[^{mark}\\]|\\.)*+{mark}" for mark in marks)])
        words = "|".join(tables.words)
        self.skipped = language.skipped
        self.blank = re.compile(r"\s+")
        self.literal = re.compile(
            rf"(?P<text>{texts})|(?P<plain>{_NUMBER}|(?:{words})\b)|(?P<long>\[(=*)\[)"
            if tables.is_always_literal
            else rf"(?P<text>{texts})|(?P<plain>{_NUMBER}|(?:{words})\b)|(?P<long>(?!))",
            re.DOTALL,
        )
        separators = re.escape(tables.separators)
        #: Where another entry may begin without a separator before it: in a new line, or behind a value.
        self.between = re.compile(r"[ \t]*[\r\n]\s*|(?<=[\w\"'\])}])[ \t]+(?=[A-Za-z_\[])")
        #: The next sign that is no part of a plain expression.
        self.next = re.compile(
            rf"{language.skipped.pattern}|{texts}|(?P<sign>[{separators};()\[\]{{}}])",
            language.skipped.flags | re.DOTALL,
        )
        #: The shortest way through what most tables hold: a name, a text or number, and what comes behind it.
        self.behind = re.compile(rf"[ \t]*(?:(?P<separator>[{separators}])|(?=[\]}}]))")


def _name_in(key: re.Match[str]) -> str:
    """The name of an entry, without the marks around it."""
    groups = key.groupdict()
    return groups.get("word") or groups.get("number") or text_value(groups.get("quoted") or "")


class TableReader:
    """Reads the tables of one script."""

    def __init__(self, source: Source, report: Report, language: Language, closing: Mapping[int, int]) -> None:
        if language.tables is None:
            raise ValueError(f"{language.name} has no tables")
        self.source = source
        self.text = source.text
        self.report = report
        self.language = language
        self.tables: Tables = language.tables
        self.closing = closing
        self.comments = CommentKeeper(source)
        self.patterns = _patterns(language)
        words = "|".join(block.opens for block in language.blocks)
        self.opening_word = re.compile(rf"(?<![\w.:])(?:{words})\b") if words else None

    def read(self, node: Node, opening: int) -> None:
        """Read what is between the bracket at `opening` and the one that closes it, into `node`.

        Raises NoTable.
        """
        self.comments = CommentKeeper(self.source)
        self._read(node, opening, 1)

    def _read(self, node: Node, opening: int, depth: int) -> None:
        if depth > MAX_DEPTH:
            raise NoTable
        closing = self._end_of_brackets(opening, len(self.text)) - 1
        node.value_start, node.value_end = opening, closing + 1
        is_list = self.text[opening] == "["
        at = self._passed(opening + 1)
        seen: dict[str, int] = {}
        self.comments.ended(node, opening + 1)
        while at < closing:
            if self.text[at] in self.tables.separators:
                if not (is_list and self.tables.has_gaps):
                    self._value_missing(at)
                at = self._passed(at + 1)
                continue
            child, end = self._entry(at, closing, depth)
            if child.is_value:
                self.comments.document(child)
            node.adopt(child)
            self.comments.ended(child, end)
            if child.name:
                self._note_name(child, seen)
            behind = self.patterns.behind.match(self.text, end)
            if behind is not None:
                at = self._passed(behind.end())
                continue
            at = self._passed(end)
            if at < closing and self.text[at] in self.tables.separators:
                at = self._passed(at + 1)
            elif at < closing:
                self._separator_missing(end)
        node.kind = NodeKind.GROUP if not node.children or any(one.name for one in node.children) else NodeKind.LIST
        if is_list:
            node.kind = NodeKind.LIST
        else:
            self._check_decimals(node)

    def _check_decimals(self, node: Node) -> None:
        """The only value without a name is a number right behind the comma of another one."""
        bare = [n for n, child in enumerate(node.children) if not child.name]
        if len(bare) != 1 or bare[0] == 0:
            return
        last, child = node.children[bare[0] - 1], node.children[bare[0]]
        between = self.text[last.value_end : child.start]
        if (
            between == ","
            and not child.is_quoted
            and _DIGITS.match(child.value or "")
            and _DIGITS.match(last.value or "")
        ):
            self.report.add(
                "script.decimal-comma",
                last.value_start,
                f"{last.value},{child.value} are two values; the decimal sign is a point.",
            )

    # --- entries ----------------------------------------------------------------------------------------------------

    def _entry(self, at: int, closing: int, depth: int) -> tuple[Node, int]:
        """One entry, and where it ends."""
        key = self.tables.key.match(self.text, at, closing)
        name = ""
        place = at
        if key is not None:
            name = _name_in(key)
            place = self._passed(key.end(), is_kept=True)
            if place >= closing or self.text[place] in self.tables.separators:
                self._no_value(key, name)
                end = key.end()
                return Node(NodeKind.VALUE, name, at, end, "", end, end), end
        elif self.tables.wrong_sign is not None:
            wrong = self.tables.wrong_sign.match(self.text, at, closing)
            if wrong is not None:
                name = wrong.group("word")
                place = self._wrong_sign(wrong)
        return self._value(name, at, place, closing, depth)

    def _value(self, name: str, start: int, at: int, closing: int, depth: int) -> tuple[Node, int]:
        text = self.text
        if text[at] in self.tables.brackets and not (text[at] == "[" and self.tables.is_always_literal):
            end = self._end_of_brackets(at, closing)
            if self._is_whole(end, closing):
                node = Node(NodeKind.GROUP, name, start, end)
                self.comments.document(node)
                self._read(node, at, depth + 1)
                self.comments.forget()
                return node, end
        literal = self.patterns.literal.match(text, at, closing)
        if literal is not None:
            end = self._end_of_literal(literal)
            if end and self._is_whole(end, closing) and not self._is_computed(literal, end):
                return self._literal(name, start, literal, end), end
        end = self._end_of_expression(at, closing)
        if not name:
            self._check_sign(at, end)
        return Node(NodeKind.VALUE, name, start, end, text[at:end], at, end), end

    def _literal(self, name: str, start: int, literal: re.Match[str], end: int) -> Node:
        if literal.group("plain") is not None:
            return Node(NodeKind.VALUE, name, start, end, literal.group("plain"), literal.start(), end)
        if literal.group("long") is not None:
            margin = len(literal.group("long"))
            value_start, value_end = literal.end(), end - margin
            value = self.text[value_start:value_end]
            return Node(NodeKind.VALUE, name, start, end, value, value_start, value_end, is_quoted=True)
        raw = literal.group("text")
        return Node(NodeKind.VALUE, name, start, end, text_value(raw), literal.start() + 1, end - 1, is_quoted=True)

    def _end_of_literal(self, literal: re.Match[str]) -> int:
        """Behind the literal; 0 where a long text is no literal."""
        if literal.group("long") is None:
            return literal.end()
        found = self.language.skipped.match(self.text, literal.start())
        return found.end() if found is not None else 0

    def _is_computed(self, literal: re.Match[str], end: int) -> bool:
        """A text with places that are filled in when the script runs."""
        raw = literal.group("text") or ""
        return raw.startswith("`") and "${" in raw and not self.tables.is_always_literal

    def _is_whole(self, end: int, closing: int) -> bool:
        """What ends here is all of the value: a separator, the end, or another entry without a separator follows."""
        behind = self.patterns.behind.match(self.text, end)
        if behind is not None:
            return True
        at = self._passed(end, is_kept=True)
        if at >= closing or self.text[at] in self.tables.separators:
            return True
        return self._begins_entry(at, closing, is_next_line=self.source.line_at(at) > self.source.line_at(end))

    def _begins_entry(self, at: int, closing: int, *, is_next_line: bool) -> bool:
        """What stands here can only be the beginning of another entry."""
        if self.tables.key.match(self.text, at, closing):
            return True
        if self.text[at] in "\"'":
            return not self.tables.texts_join
        if self.text[at].isalnum() or self.text[at] == "_":
            word = _NAME.match(self.text, at)
            return (
                word is None
                or (word.group() in self.tables.words)
                or (is_next_line and not _NOT_A_NAME.match(self.text, at) and not self.tables.is_always_literal)
            )
        return is_next_line and self.text[at] == "{" and "{" in self.tables.brackets

    def _end_of_expression(self, start: int, closing: int) -> int:
        """Where a closed value ends: before the next separator or the end; or before what must be another entry.

        Raises NoTable: a statement ends there.
        """
        at = last = start
        while at < closing:
            # A regular expression is known by what is before the blanks before it.
            begins = at
            while at == start and self.text[begins - 1] in " \t":
                begins -= 1
            found = self.patterns.next.search(self.text, begins, closing)
            stop = found.start() if found is not None else closing
            if self.opening_word is not None:
                opened = self.opening_word.search(self.text, at, stop)
                if opened is not None:
                    at = last = self._end_of_block(opened.start(), closing)
                    continue
            entry = self._entry_within(at, stop, start)
            if entry:
                return entry
            if found is None:
                at = closing
                last = closing
                break
            sign = found.groupdict().get("sign")
            if sign is None:
                at = max(found.end(), found.start() + 1)
                if not self._is_comment(found):
                    last = at
                continue
            if sign in self.tables.separators:
                last = found.start()
                break
            if sign not in _CLOSED:
                raise NoTable
            at = last = self._end_of_brackets(found.start(), closing)
        return self._before_blanks(start, min(last, closing))

    def _is_comment(self, found: re.Match[str]) -> bool:
        return self.text[found.start()] not in "\"'`[@"

    def _entry_within(self, at: int, stop: int, start: int) -> int:
        """Where an entry ends because the next one begins in a line of its own, or behind a name; 0 where none does."""
        for gap in self.patterns.between.finditer(self.text, at, stop):
            key = self.tables.key.match(self.text, gap.end()) if gap.start() > start else None
            if key is not None and not (self.tables.has_gaps and _TERNARY.search(self.text, start, gap.end())):
                return self._before_blanks(start, gap.start())
        return 0

    def _end_of_block(self, start: int, closing: int) -> int:
        """Behind the word that closes the block which begins here. Raises NoTable: there is none."""
        end = self.closing.get(start, closing)
        word = _WORD.match(self.text, end)
        if end >= closing or word is None:
            raise NoTable
        return word.end()

    def _end_of_brackets(self, opening: int, stop: int) -> int:
        """Behind the bracket that closes this one. Raises NoTable: none does, before `stop`."""
        end = self.closing.get(opening, stop) + 1
        if end > stop:
            raise NoTable
        return end

    def _before_blanks(self, start: int, end: int) -> int:
        while end > start and self.text[end - 1].isspace():
            end -= 1
        if end == start:
            raise NoTable
        return end

    def _passed(self, at: int, *, is_kept: bool = False) -> int:
        """Behind blanks and comments; comments are noted unless they are looked at again."""
        text = self.text
        while True:
            blank = self.patterns.blank.match(text, at)
            if blank is not None:
                at = blank.end()
            comment = self.patterns.skipped.match(text, at)
            if comment is None or comment.end() == at or text[at] in "[@'\\$^":
                return at
            if not is_kept:
                self.comments.saw(at, comment.end(), tidy_block(comment.group().strip("-/#*[]=")))
            at = comment.end()

    # --- faults -----------------------------------------------------------------------------------------------------

    def _note_name(self, child: Node, seen: dict[str, int]) -> None:
        first = seen.setdefault(child.name, child.start)
        if first != child.start:
            self.report.add(
                "script.repeated-name",
                child.start,
                f"{child.name} is on line {self.source.line_at(first)} of this table already; only the last one counts.",
                hint="Remove the one that is wrong.",
            )

    def _separator_missing(self, end: int) -> None:
        sign = self.tables.separators[0]
        self.report.add(
            "script.comma-missing",
            end,
            f"There is no `{sign}` between this entry of the table and the next.",
            hint=f"Add `{sign}` here.",
            fix=Splice(end, end, sign),
        )

    def _value_missing(self, at: int) -> None:
        self.report.add(
            "script.value-missing",
            at,
            f"Nothing is before this `{self.text[at]}`.",
            hint="Remove it, or add the value that is missing.",
        )

    def _no_value(self, key: re.Match[str], name: str) -> None:
        self.report.add(
            "script.value-missing",
            key.end() - 1,
            f"{name} has no value.",
            hint="Add one, or remove the name.",
        )

    def _wrong_sign(self, wrong: re.Match[str]) -> int:
        """A name with the sign of another language behind it; where its value begins."""
        sign = self.tables.sign.strip()
        start, end = wrong.span("sign")
        self.report.add(
            "script.wrong-sign",
            start,
            f"`{wrong.group('sign')}` is between {wrong.group('word')} and its value; {self.language.name} wants `{sign}` there.",
            hint=f"Write `{sign}`.",
            fix=Splice(start, end, sign),
        )
        return self._passed(end, is_kept=True)

    def _check_sign(self, start: int, end: int) -> None:
        """A name and a value with nothing between them."""
        word = _NAME.match(self.text, start, end)
        if word is None or _NOT_A_NAME.match(self.text, start):
            return
        rest = self.text[word.end() : end].strip()
        if not rest or rest == self.text[word.end() : end]:
            return
        value = self.patterns.literal.fullmatch(rest)
        if value is None or (self.tables.is_always_literal and value.group("plain") is None):
            return  # in Lua a name and a text are a call
        if rest[0] in "-+":
            return
        sign = self.tables.sign.strip()
        self.report.add(
            "script.sign-missing",
            word.end(),
            f"There is no `{sign}` between {word.group()} and its value.",
            hint=f"Write `{word.group()}{self.tables.sign}{rest[:40]}`.",
            fix=Splice(word.end(), end - len(rest), self.tables.sign),
        )
