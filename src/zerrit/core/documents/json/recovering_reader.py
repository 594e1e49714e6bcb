"""
Read JSON text that is not sound, and go on after every mistake.

The grammar is RFC 8259; what people write besides (comments, a comma after the last entry, single quotes, bare
keys, NaN) is recognised by name, so that a gamebook can tolerate what its game tolerates.

Where a bracket is missing or wrong, the indentation of its line and what the neighbours look like tell what was
meant: the aim is one finding at the place where a person would fix it, not the place where a parser noticed.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Final

from zerrit.core.documents.findings import Report
from zerrit.core.documents.json.fast_reader import MAX_DEPTH
from zerrit.core.documents.json.faulty_values import BARE, STRING, Values
from zerrit.core.documents.json.text import unescape
from zerrit.core.documents.json.tolerant_reader import report_last_comma
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Source, Splice

_KEY_BEFORE_COLON: Final = re.compile(r"([\w .-]*?)\s*:")
_ITEMS_TO_BRACKET: Final = re.compile(r"[^\[\]{}\r\n]*\]")
_CLOSING: Final = {"{": "}", "[": "]"}


def read_faulty(source: Source, report: Report) -> Node:
    """Read the text; the root node is its one value."""
    return _JsonReader(source, report).read()


@dataclass(slots=True)
class _Open:
    """A bracket that is not closed yet."""

    node: Node
    opening: str
    at: int
    seen: set[str] = field(default_factory=set)
    comma_at: int = -1  #: where the comma is behind the last child; -1 where none does

    @property
    def closing(self) -> str:
        return _CLOSING[self.opening]


class _JsonReader(Values):
    """Reads objects and lists."""

    def __init__(self, source: Source, report: Report) -> None:
        super().__init__(source, report)
        self.open: list[_Open] = []

    def read(self) -> Node:
        self._skip()
        if self.at >= len(self.text):
            self._fault("json.empty", 0, "The file is empty; JSON needs at least {} or [].")
            return Node(NodeKind.GROUP, "", 0, 0)
        root = self._value("", self.at)
        self._skip()
        if self.at < len(self.text):
            shown = self.text[self.at : self.at + 20].split("\n")[0]
            rest = self.text[self.at :].strip()
            self._fault(
                "json.trailing",
                self.at,
                f"`{shown}` is after the end of the value. Is there one closing bracket too many above?",
                fix=Splice(self.at, self.at + len(rest), "") if rest in ("}", "]", ",") else None,
            )
        return root

    # --- values -----------------------------------------------------------------------------------------------------

    def _value(self, name: str, start: int) -> Node:
        """Read the value at the present place; the node of a member starts at its key (`start`)."""
        sign = self.text[self.at]
        if sign in "{[":
            return self._container(name, start)
        if sign in "\"'":
            node = self._string(name, start)
        elif sign in "\u201c\u201d\u201e":
            node = self._smart(name, start)
        else:
            node = self._bare(name, start)
        self.comments.document(node)
        self.comments.ended(node, node.end)
        return node

    def _container(self, name: str, start: int) -> Node:
        opening = self.text[self.at]
        kind = NodeKind.GROUP if opening == "{" else NodeKind.LIST
        node = Node(kind, name, start, start, value_start=self.at)
        self.comments.document(node)
        if len(self.open) >= MAX_DEPTH:
            self._fault("text.too-deep", self.at, f"Brackets nest deeper than {MAX_DEPTH} levels here.")
            self.is_too_deep = True
            self.at = node.end = node.value_end = len(self.text)
            return node
        self.open.append(_Open(node, opening, self.at))
        self.at += 1
        self._inside()
        self.open.pop()
        node.end = node.value_end = self.at
        self.comments.forget()
        self.comments.ended(node, node.end)
        return node

    def _inside(self) -> None:
        """What is in the innermost open bracket, up to and with the closing one."""
        here = self.open[-1]
        while True:
            before = self.at
            self._skip()
            if self.at >= len(self.text):
                self._not_closed(here, min(before, len(self.text)))
                return
            sign = self.text[self.at]
            if sign in "}]":
                if self._closes(here, sign):
                    return
            elif sign in ",;" or (sign == "." and self._next_sign(self.at + 1) in ('"', "{", "[", "")):
                self._comma(here, sign)
            else:
                if here.node.children and here.comma_at < 0:
                    self._comma_missing(here.node)
                if self._ends_by_content(here, sign):
                    return
                begin = self.at
                is_read = self._item(here) if here.opening == "[" else self._member(here)
                if is_read:
                    here.comma_at = -1
                elif self.at == begin:
                    self.at += 1

    # --- brackets ------------------------------------------------------------------------------------------------

    def _closes(self, here: _Open, sign: str) -> bool:
        """A closing bracket is here. True when the innermost open bracket has ended."""
        if sign == here.closing:
            if here.comma_at >= 0:
                report_last_comma(self.report, here.comma_at)
            self.at += 1
            return True
        if self.text[self.at - 1 : self.at] == sign and here.opening == "[":
            self._fault(
                "json.bracket-extra",
                self.at,
                f"`{sign}` occurs twice; the first one has closed what it belongs to.",
                hint="Remove one.",
                fix=Splice(self.at, self.at + 1, ""),
            )
            self.at += 1
            return False
        line = self.source.line_at(here.at)
        if self._is_outer(sign) and not self._is_typed_for(here):
            if here.comma_at >= 0:
                report_last_comma(self.report, here.comma_at)
            else:
                self._not_closed(here, self._end_of_content(here))
            return True
        self._fault(
            "json.bracket-mismatch",
            self.at,
            f"`{sign}` is here, but `{here.opening}` on line {line} is still open and is closed by `{here.closing}`.",
            hint=f"Write `{here.closing}` here.",
            fix=Splice(self.at, self.at + 1, here.closing),
        )
        self.at += 1
        return True

    def _is_outer(self, sign: str) -> bool:
        return any(outer.closing == sign for outer in self.open[:-1])

    def _is_typed_for(self, here: _Open) -> bool:
        """The wrong bracket is where the right one would: by its line, or by the indentation of its line."""
        start = self.source.line_start(self.at)
        if self.text[start : self.at].strip():
            return self.source.line_at(here.at) == self.source.line_at(self.at)
        return self.source.indent_at(self.at) == self.source.indent_at(here.at)

    def _end_of_content(self, here: _Open) -> int:
        return here.node.children[-1].end if here.node.children else here.at + 1

    def _not_closed(self, here: _Open, at: int) -> None:
        line = self.source.line_at(here.at)
        is_end = at >= len(self.text.rstrip())
        place = self._end_of_content(here)
        own_line = self.source.line_at(place) > line
        lead = self.source.newline_near(place) + self.source.indent_at(here.at) if own_line else ""
        self._fault(
            "json.not-closed",
            place,
            f"{'The file ends, but' if is_end else 'Here'} `{here.opening}` opened on line {line} is not closed.",
            hint=f"Add `{here.closing}` here.",
            fix=Splice(place, place, lead + here.closing) if not is_end or len(self.open) == 1 else None,
        )
        if is_end:
            self.is_too_deep = True  # what else is open is open for the same reason

    def _ends_by_content(self, here: _Open, sign: str) -> bool:
        """What is here cannot belong into this bracket, but does belong into the one around it."""
        if len(self.open) < 2:
            return False
        outer = self.open[-2]
        if here.opening == "{" and sign in "{[" and outer.opening == "[":
            self._give_back(here)
            return True
        if here.opening == "[" and sign == '"' and outer.opening == "{" and self._is_key():
            key = STRING.match(self.text, self.at)
            last = here.node.children[-1] if here.node.children else None
            if last is not None and key is not None and last.child(unescape(key.group(1))) is not None:
                return False  # an entry of this list whose opening brace is missing
            self._give_back(here)
            return True
        return False

    def _give_back(self, here: _Open) -> None:
        self._not_closed(here, self._end_of_content(here))
        if here.comma_at >= 0:
            self.at = here.comma_at

    def _is_key(self) -> bool:
        match = STRING.match(self.text, self.at)
        return match is not None and self._next_sign(match.end()) == ":"

    # --- members and items -------------------------------------------------------------------------------------

    def _item(self, here: _Open) -> bool:
        if self.text[self.at] == ":":
            self._fault("json.value-missing", self.at, "A colon is here, but the values of a list have no names.")
            return False
        if self.text[self.at] == '"' and self._is_key():
            self._without_opening(here)
            return True
        here.node.adopt(self._value("", self.at))
        return True

    def _without_opening(self, here: _Open) -> None:
        """`"name": …` straight inside a list: the brace before it is missing."""
        start = self.at
        self._fault(
            "json.opening-missing",
            start,
            "A name with a value is straight inside a list here; the opening brace of its entry is missing.",
            hint="Add `{` here.",
            fix=Splice(start, start, "{"),
        )
        node = here.node.adopt(Node(NodeKind.GROUP, "", start, start, value_start=start))
        self.open.append(_Open(node, "{", start))
        self._inside()
        self.open.pop()
        node.end = node.value_end = self.at

    def _member(self, here: _Open) -> bool:
        """Read one `key: value`; False when nothing readable is here."""
        node = here.node
        if self.text[self.at] == ":":
            self._fault("json.value-missing", self.at, "A colon is here with no key before it.")
            return False
        if here.comma_at >= 0 and self._is_loose_item(here):
            return True
        key_start = self.at
        key = self._key()
        if key is None:
            return False
        if key in here.seen:
            self._fault(
                "json.duplicate-key",
                key_start,
                f'"{key}" occurs twice in this object; most games keep the last and forget the first.',
            )
        here.seen.add(key)
        key_end = self.at
        self._skip()
        self._colon(key, key_end)
        if self.at >= len(self.text) or self.text[self.at] in ",}]":
            self._fault("json.value-missing", key_end, f'"{key}" has no value.')
            node.adopt(Node(NodeKind.VALUE, key, key_start, key_end, "", key_end, key_end))
            return True
        node.adopt(self._value(key, key_start))
        return True

    def _colon(self, key: str, key_end: int) -> None:
        sign = self.text[self.at : self.at + 1]
        if sign not in (":", "="):
            self._fault(
                "json.colon-missing",
                key_end,
                f'A colon is missing after "{key}".',
                hint="Add `:` here.",
                fix=Splice(key_end, key_end, ":"),
            )
            return
        if sign == "=":
            self._fault(
                "json.colon-missing",
                self.at,
                f'After "{key}" is `=`; JSON wants a colon.',
                hint="Write `:`.",
                fix=Splice(self.at, self.at + 1, ":"),
            )
        self.at += 1
        self._skip()
        if self.text.startswith(":", self.at):
            self._fault(
                "json.colon-extra",
                self.at,
                f'Two colons are after "{key}".',
                hint="Remove one.",
                fix=Splice(self.at, self.at + 1, ""),
            )
            self.at += 1
            self._skip()

    def _is_loose_item(self, here: _Open) -> bool:
        """Values without names behind a comma in an object: a decimal comma, or a list without its opening bracket."""
        last = here.node.children[-1] if here.node.children else None
        bare = BARE.match(self.text, self.at)
        if last is None or bare is None or not last.is_value or self._next_sign(bare.end()) in (":", '"', "="):
            return False
        line = self.text[self.at : self.source.line_end(self.at)]
        closing = _ITEMS_TO_BRACKET.match(line)
        if closing:
            self._fault(
                "json.opening-missing",
                last.value_start,
                "Several values are here with a closing bracket, but without an opening one.",
                hint="Add `[` here.",
                fix=Splice(last.value_start, last.value_start, "["),
            )
            self.at += closing.end()
            return True
        if bare.group().isdigit() and here.comma_at == last.end and (last.value or "").lstrip("-").isdigit():
            self._fault(
                "json.bad-number",
                last.value_start,
                f"{last.value},{bare.group()} is not a number; the decimal sign is a point.",
                hint=f"Write {last.value}.{bare.group()}.",
                fix=Splice(here.comma_at, here.comma_at + 1, "."),
            )
            self.at = bare.end()
            return True
        return False

    def _key(self) -> str | None:
        sign = self.text[self.at]
        if sign in "\"'":
            return self._quoted_key()
        if sign in "\u201c\u201d\u201e":
            return self._smart("", self.at).value
        match = BARE.match(self.text, self.at)
        if not match:
            self._fault("json.bad-word", self.at, f"`{sign}` cannot be here; a key in quotation marks is expected.")
            return None
        start, self.at = self.at, match.end()
        if self.text.startswith('"', self.at):
            self._fault(
                "json.quote-missing",
                start,
                f'The key {match.group()}" has no opening quotation mark.',
                hint='Add `"` here.',
                fix=Splice(start, start, '"'),
            )
            self.at += 1
            return match.group()
        self._fault(
            "json.key-unquoted",
            start,
            f"The key {match.group()} is without quotation marks.",
            hint=f'Write "{match.group()}".',
            fix=Splice(start, match.end(), f'"{match.group()}"'),
        )
        return match.group()

    def _quoted_key(self) -> str | None:
        start = self.at
        whole = STRING.match(self.text, start)
        if whole is None and self.text[start] == '"':
            line = self.text[start + 1 : self.source.line_end(start)]
            open_key = _KEY_BEFORE_COLON.match(line)
            if open_key and '"' not in line[: open_key.end()]:
                end = start + 1 + len(open_key.group(1))
                self._string_not_closed(start, end, '"')
                self.at = end
                return open_key.group(1)
        return self._string("", start).value

    # --- commas ------------------------------------------------------------------------------------------------------

    def _comma(self, here: _Open, sign: str) -> None:
        if sign != ",":
            self._fault(
                "json.comma-missing",
                self.at,
                f"`{sign}` is where a comma is expected.",
                hint="Write `,`.",
                fix=Splice(self.at, self.at + 1, ","),
            )
        if not here.node.children or here.comma_at >= 0:
            self._fault(
                "json.value-missing",
                self.at,
                "A comma is here with no value before it.",
                hint="Remove the comma.",
                fix=Splice(self.at, self.at + 1, ""),
            )
        here.comma_at = self.at
        self.at += 1

    def _comma_missing(self, node: Node) -> None:
        last = node.children[-1]
        what = f'"{last.name}"' if last.name else "this value"
        self._fault(
            "json.comma-missing",
            last.end,
            f"A comma is missing after {what}; the next one follows.",
            hint="Add `,` here.",
            fix=Splice(last.end, last.end, ","),
        )
