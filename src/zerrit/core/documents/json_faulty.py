"""
Read JSON text that is not sound, and go on after every mistake.

The grammar is RFC 8259; what people write besides (comments, a comma after the last entry, single quotes, bare
keys, NaN) is recognised by name, so that a gamebook can tolerate what its game tolerates.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.json_sound import MAX_DEPTH
from zerrit.core.documents.json_text import unescape
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import JSON_NUMBER
from zerrit.core.documents.source import Source
from zerrit.core.nearest import did_you_mean

_SPACE: Final = re.compile(r"[ \t\r\n]*")
_STRING: Final = re.compile(r'"((?:[^"\\\x00-\x1f]|\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4}))*)"')
_BARE: Final = re.compile(r"[^\s,:\[\]{}\"']+")
_BAD_ESCAPE: Final = re.compile(r'\\(?!["\\/bfnrt]|u[0-9a-fA-F]{4}).?')
_CLOSING: Final = {"{": "}", "[": "]"}


def read_faulty(source: Source, report: Report) -> Node:
    """Read the text; the root node is its one value."""
    return _JsonReader(source, report).read()


class _JsonReader:
    def __init__(self, source: Source, report: Report) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.at = 0
        self.too_deep = False
        self.comments = CommentKeeper(source)

    def read(self) -> Node:
        self._skip()
        if self.at >= len(self.text):
            self.report.add("json.empty", 0, "The file is empty; JSON needs at least {} or [].")
            return Node(NodeKind.GROUP, "", 0, 0)
        root = self._value("", 0, self.at)
        self._skip()
        if self.at < len(self.text):
            shown = self.text[self.at : self.at + 20].split("\n")[0]
            self.report.add(
                "json.trailing",
                self.at,
                f"`{shown}` stands after the end of the value. Is there one closing bracket too many above?",
            )
        return root

    # --- white space and comments ----------------------------------------------------------------------------------

    def _skip(self) -> None:
        while True:
            match = _SPACE.match(self.text, self.at)
            self.at = match.end() if match else self.at
            if self.text.startswith("//", self.at):
                end = self.source.line_end(self.at)
            elif self.text.startswith("/*", self.at):
                close = self.text.find("*/", self.at + 2)
                end = close + 2 if close >= 0 else len(self.text)
            elif self.text.startswith("#", self.at):
                end = self.source.line_end(self.at)
            else:
                return
            self.report.add(
                "json.comment", self.at, "A comment stands here; plain JSON has none, and many games stop at it."
            )
            body = self.text[self.at : end].removeprefix("/*").removesuffix("*/").lstrip("/#")
            self.comments.saw(self.at, end, tidy_block(body))
            self.at = end

    # --- values -----------------------------------------------------------------------------------------------------

    def _value(self, name: str, depth: int, start: int) -> Node:
        """Read the value at the present place; the node of a member starts at its key (`start`)."""
        character = self.text[self.at]
        if character in "{[":
            node = self._container(name, depth, start)
        elif character in "\"'":
            node = self._string(name, start)
            self.comments.document(node)
        else:
            node = self._bare(name, start)
            self.comments.document(node)
        self.comments.ended(node, node.end)
        return node

    def _container(self, name: str, depth: int, start: int) -> Node:
        opening = self.text[self.at]
        kind = NodeKind.GROUP if opening == "{" else NodeKind.LIST
        node = Node(kind, name, start, start, value_start=self.at)
        self.comments.document(node)
        if depth >= MAX_DEPTH:
            self.report.add("text.too-deep", self.at, f"Brackets nest deeper than {MAX_DEPTH} levels here.")
            self.too_deep = True
            self.at = len(self.text)
            node.end = node.value_end = self.at
            return node
        opened_at = self.at
        self.at += 1
        seen: set[str] = set()
        comma_at = -1
        first = True
        while True:
            before = self.at
            self._skip()
            if self.at >= len(self.text):
                if not self.too_deep:
                    self._not_closed(opening, opened_at, before)
                break
            character = self.text[self.at]
            if character in "}]":
                if comma_at >= 0:
                    self._comma_extra(comma_at)
                if character != _CLOSING[opening] and not self._mismatch(opening, opened_at, depth):
                    break
                self.at += 1
                break
            if character == ",":
                self._stray_comma(first or comma_at >= 0)
                comma_at = self.at
                self.at += 1
                continue
            if not first and comma_at < 0:
                self._comma_missing(node)
            if not self._member(node, kind, depth, seen):
                self.at += 1
                continue
            first = False
            comma_at = -1
        node.end = node.value_end = self.at
        return node

    def _member(self, node: Node, kind: NodeKind, depth: int, seen: set[str]) -> bool:
        """Read one item or one `key: value`; False when nothing readable stands here."""
        if self.text[self.at] == ":":
            self.report.add("json.value-missing", self.at, "A colon stands here with no key before it.")
            return False
        if kind is NodeKind.LIST:
            node.adopt(self._value("", depth + 1, self.at))
            return True
        key_start = self.at
        key = self._key()
        if key is None:
            return False
        if key in seen:
            self.report.add(
                "json.duplicate-key",
                key_start,
                f'"{key}" stands twice in this object; most games keep the last and forget the first.',
            )
        seen.add(key)
        key_end = self.at
        self._skip()
        if self.text.startswith((":", "="), self.at):
            if self.text[self.at] == "=":
                self.report.add(
                    "json.colon-missing", self.at, f'After "{key}" stands `=`; JSON wants a colon.', hint="Write `:`."
                )
            self.at += 1
            self._skip()
        else:
            self.report.add("json.colon-missing", key_end, f'A colon is missing after "{key}".', hint="Add `:` here.")
        if self.at >= len(self.text) or self.text[self.at] in ",}]":
            self.report.add("json.value-missing", key_end, f'"{key}" has no value.')
            node.adopt(Node(NodeKind.VALUE, key, key_start, key_end, value="", value_start=key_end, value_end=key_end))
            return True
        node.adopt(self._value(key, depth + 1, key_start))
        return True

    def _key(self) -> str | None:
        character = self.text[self.at]
        if character in "\"'":
            string = self._string("", self.at)
            return string.value
        match = _BARE.match(self.text, self.at)
        if not match:
            self.report.add(
                "json.bad-word", self.at, f"`{character}` cannot stand here; a key in quotation marks is expected."
            )
            return None
        self.report.add(
            "json.key-unquoted",
            self.at,
            f"The key {match.group()} stands without quotation marks.",
            hint=f'Write "{match.group()}".',
        )
        self.at = match.end()
        return match.group()

    def _string(self, name: str, start: int) -> Node:
        opened = self.at
        match = _STRING.match(self.text, opened)
        if match:
            self.at = match.end()
            raw, value_start, value_end = match.group(1), match.start(1), match.end(1)
        else:
            raw, value_start, value_end = self._loose_string(opened)
        return Node(
            NodeKind.VALUE,
            name,
            start,
            self.at,
            value=unescape(raw),
            value_start=value_start,
            value_end=value_end,
            is_quoted=True,
        )

    def _loose_string(self, opened: int) -> tuple[str, int, int]:
        quote = self.text[opened]
        line_end = self.source.line_end(opened)
        body = re.compile(rf"(?:[^{quote}\\\r\n]|\\.)*").match(self.text, opened + 1)
        end = body.end() if body else opened + 1
        closed = self.text.startswith(quote, end) and end < line_end
        if not closed:
            # The quote is missing: the text ends where a person would end it, before a comma or bracket.
            tail = re.compile(r"\s*[,\]}:]*\s*\Z").search(self.text[opened + 1 : line_end])
            end = opened + 1 + (tail.start() if tail else line_end - opened - 1)
            line = self.source.line_at(opened)
            self.report.add(
                "json.string-not-closed",
                end,
                f"The text opened with {quote} on line {line} is not closed on that line.",
                hint=f"Add {quote} here.",
            )
            self.at = end
            return self.text[opened + 1 : end], opened + 1, end
        self.at = end + 1
        raw = self.text[opened + 1 : end]
        if quote == "'":
            self.report.add(
                "json.single-quotes",
                opened,
                "This text stands in single quotation marks.",
                hint='Write " on both sides.',
            )
        for bad in _BAD_ESCAPE.finditer(raw):
            self.report.add(
                "json.bad-escape",
                opened + 1 + bad.start(),
                f"`{bad.group()}` means nothing in JSON; a backslash itself is written `\\\\`.",
            )
        control = re.search(r"[\x00-\x1f]", raw)
        if control:
            self.report.add(
                "json.control-character",
                opened + 1 + control.start(),
                "A tab or another control character stands raw inside a text.",
                hint="Write \\t for a tab.",
            )
        return raw, opened + 1, end

    def _bare(self, name: str, start: int) -> Node:
        match = _BARE.match(self.text, self.at)
        if not match:
            word = self.text[self.at]
            end = self.at + 1
        else:
            word, end = match.group(), match.end()
        if word not in ("true", "false", "null") and not JSON_NUMBER.match(word):
            suggestion = did_you_mean(word, ("true", "false", "null"))
            self.report.add(
                "json.bad-word",
                self.at,
                f"{word[:40]} is no number and none of true, false, null; a text stands in quotation marks.",
                hint=suggestion or f'Write "{word[:40]}".',
            )
        node = Node(NodeKind.VALUE, name, start, end, value=word, value_start=self.at, value_end=end)
        self.at = end
        return node

    # --- what is wrong ------------------------------------------------------------------------------------------------

    def _comma_missing(self, node: Node) -> None:
        end = node.children[-1].end if node.children else self.at
        what = f'"{node.children[-1].name}"' if node.children and node.children[-1].name else "this value"
        self.report.add(
            "json.comma-missing", end, f"A comma is missing after {what}; the next one follows.", hint="Add `,` here."
        )

    def _comma_extra(self, comma_at: int) -> None:
        self.report.add(
            "json.comma-extra",
            comma_at,
            "A comma stands after the last value; only values that are followed by another have one.",
            hint="Remove the comma.",
        )

    def _stray_comma(self, is_stray: bool) -> None:
        if is_stray:
            self.report.add(
                "json.value-missing", self.at, "A comma stands here with no value before it.", hint="Remove the comma."
            )

    def _mismatch(self, opening: str, opened_at: int, depth: int) -> bool:
        """A wrong closing bracket: take it for ours when nothing outside waits for it. True to consume it."""
        line = self.source.line_at(opened_at)
        found = self.text[self.at]
        self.report.add(
            "json.bracket-mismatch",
            self.at,
            f"`{found}` stands here, but `{opening}` on line {line} is still open and is closed by `{_CLOSING[opening]}`.",
            hint=f"Write `{_CLOSING[opening]}` here, or add it before.",
        )
        outer_waits = depth > 0 and self.text.count(found, self.at + 1) == 0
        return not outer_waits

    def _not_closed(self, opening: str, opened_at: int, at: int) -> None:
        line = self.source.line_at(opened_at)
        self.report.add(
            "json.not-closed",
            min(at, len(self.text)),
            f"The file ends here, but `{opening}` opened on line {line} is not closed.",
            hint=f"Add `{_CLOSING[opening]}`.",
        )
