"""
Read TOML 1.0.

A table is a group under the whole name of its header (`[fleet.main]` is `fleet.main`), a dotted name stays one name, and
each `[[lamp]]` is an entry of its own, with the tables that belong to it (`[lamp.wick]`) in it. Whether a text is TOML is
said by the reader of Python's own library: what that one takes has no fault, and what it does not take is told even where
this reader, which goes on behind a fault, understood it.
"""

from __future__ import annotations

import re
import tomllib
from typing import Final

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report, first_of_each_line
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.source import Source, Splice

MAX_DEPTH: Final = 100
_PART: Final = r"(?:[A-Za-z0-9_-]+|\"(?:[^\"\\\r\n]|\\.)*+\"|'[^'\r\n]*+')"
_PATH: Final = rf"{_PART}(?:[ \t]*\.[ \t]*{_PART})*"
_PARTS: Final = re.compile(_PART)
_HEADER: Final = re.compile(rf"(?P<open>\[\[?)[ \t]*(?P<path>{_PATH})?[ \t]*(?P<close>\]{{0,2}})")
_KEY: Final = re.compile(rf"(?P<path>{_PATH})[ \t]*(?P<sign>=)?[ \t]*")
_BLANK: Final = re.compile(r"[ \t]*")
_COMMA: Final = re.compile(r"[ \t]*,")
_MARKS: Final = "\u201c\u201d\u201e\u2018\u2019"
_BLANKS: Final = re.compile(r"\s*")
_COMMENT: Final = re.compile(r"#([^\r\n]*)")
_REST: Final = re.compile(r"[^\r\n]*")
_LONG: Final = re.compile(r'"""(?:[^\\]|\\.)*?"{3,5}(?!")|' + r"\'\'\'[\s\S]*?'{3,5}(?!')", re.DOTALL)
_TEXT: Final = re.compile(r'"(?:[^"\\\r\n]|\\.)*+"|' + r"'[^'\r\n]*+'")
_BARE: Final = re.compile(r"[^\s,\]}#=\"']+(?:[ ](?=\d\d:\d\d)[^\s,\]}#]+)?")
_LITERAL: Final = re.compile(
    r"(?:true|false|[+-]?(?:inf|nan)|[+-]?\d[\d_]*(?:\.\d[\d_]*)?(?:[eE][+-]?\d[\d_]*)?|0x[\da-fA-F_]+|0o[0-7_]+|0b[01_]+"
    r"|\d{4}-\d\d-\d\d(?:[Tt ]\d\d:\d\d:\d\d(?:\.\d+)?(?:[Zz]|[+-]\d\d:\d\d)?)?|\d\d:\d\d:\d\d(?:\.\d+)?)\Z"
)
_ESCAPE: Final = re.compile(r"\\(u[0-9a-fA-F]{4}|U[0-9a-fA-F]{8}|\s*\n\s*|.)", re.DOTALL)
_MEANINGS: Final = {"n": "\n", "t": "\t", "r": "\r", "b": "\b", "f": "\f"}
_PLACE: Final = re.compile(r" \(at (?:line (\d+), column (\d+)|end of document)\)\Z")


def read(source: Source, report: Report, reading: Reading) -> Node:
    """Read the file; the root's children are its settings and its tables."""
    own = report.alike()
    root = _Reader(source, own).read()
    try:
        tomllib.loads(source.text.replace("\r\n", "\n"))
    except (tomllib.TOMLDecodeError, ValueError, RecursionError) as error:
        report.findings += first_of_each_line(own.findings)
        if not own.findings:
            _refused(source, report, error)
    return root


def _refused(source: Source, report: Report, error: Exception) -> None:
    """What the library does not take and this reader did not see, such as a date that does not exist."""
    message = str(error)
    place = _PLACE.search(message)
    offset = len(source.text)
    if place is not None and place.group(1):
        offset = min(source.offset_of(int(place.group(1)), int(place.group(2))), len(source.text))
    what = message[: place.start()] if place is not None else "Tables are nested too deep"
    report.add("toml.not-toml", offset, f"TOML does not allow this: {what[:1].lower()}{what[1:]}.")


class _Reader:
    def __init__(self, source: Source, report: Report) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.comments = CommentKeeper(source)
        self.root = Node(NodeKind.GROUP, "", 0, len(self.text), value_start=0, value_end=len(self.text))
        self.table = self.root
        self.entry: Node | None = None  #: the last `[[…]]`, to which tables below its name belong
        self.tables: dict[tuple[int, str], int] = {}
        self.names: dict[int, dict[str, int]] = {}

    def read(self) -> Node:
        at = 0
        while True:
            at = _end(_BLANKS, self.text, at)
            if at >= len(self.text):
                break
            comment = _COMMENT.match(self.text, at)
            if comment is not None:
                self.comments.saw(at, comment.end(), tidy_block(comment.group(1)))
                at = comment.end()
            elif self.text[at] == "[":
                at = self._header(at)
            else:
                at = self._setting(at)
        return self.root

    # --- headers ----------------------------------------------------------------------------------------------------

    def _header(self, at: int) -> int:
        match = _HEADER.match(self.text, at)
        end = _end(_REST, self.text, at)
        if match is None:
            return end
        opening, name = match.group("open"), _name(match.group("path") or "")
        wanted = "]" * len(opening)
        if not name:
            self.report.add(
                "toml.no-name", match.end(), "This header has no name.", hint="Write a name between the brackets."
            )
        elif match.group("close") != wanted:
            missing = wanted[len(match.group("close")) :]
            self.report.add(
                "toml.header-not-closed",
                match.end(),
                f"The header of {name} is not closed.",
                hint=f"Add `{missing}` here.",
                fix=Splice(match.end(), match.end(), missing) if missing and not match.group("close") else None,
            )
        else:
            self._require_end(match.end(), end, f"the header of {name}")
        is_entry = len(opening) == 2
        node = Node(NodeKind.GROUP, name, at, match.end(), value_start=match.end(), value_end=match.end())
        self.comments.document(node)
        above = self.entry if self.entry is not None and name.startswith(f"{self.entry.name}.") else None
        if above is not None:
            node.name = name[len(above.name) + 1 :]
        parent = above or self.root
        parent.adopt(node)
        if not is_entry and name:
            self._once(self.tables, (id(parent), node.name), node, "The table")
        if above is None:
            self.entry = node if is_entry else None
        self.table = node
        self._extend(match.end())
        self.comments.ended(node, match.end())
        return self._behind(match.end(), end)

    def _once(self, seen: dict[tuple[int, str], int], key: tuple[int, str], node: Node, what: str) -> None:
        first = seen.setdefault(key, node.start)
        if first != node.start:
            self.report.add(
                "toml.repeated-name",
                node.start,
                f"{what} {node.name} is on line {self.source.line_at(first)} already.",
                hint="Give it another name, or remove one of the two.",
            )

    def _extend(self, end: int) -> None:
        """A table goes to the end of the last thing in it."""
        node: Node | None = self.table
        while node is not None and node.parent is not None:
            node.end = node.value_end = max(node.end, end)
            node = node.parent

    # --- settings -----------------------------------------------------------------------------------------------------

    def _setting(self, at: int) -> int:
        end = _end(_REST, self.text, at)
        node, stop = self._pair(at, 1)
        if node is None:
            self.comments.forget()
            return end
        self.comments.document(node)
        self.table.adopt(node)
        self._note(self.table, node)
        self._extend(node.end)
        self.comments.ended(node, node.end)
        line_end = _end(_REST, self.text, stop)
        self._require_end(stop, line_end, node.name)
        return self._behind(stop, line_end)

    def _note(self, table: Node, node: Node) -> None:
        seen = self.names.setdefault(id(table), {})
        first = seen.setdefault(node.name, node.start)
        if first != node.start:
            self.report.add(
                "toml.repeated-name",
                node.start,
                f"{node.name} is on line {self.source.line_at(first)} already.",
                hint="Remove the one that is wrong.",
            )

    def _pair(self, at: int, depth: int) -> tuple[Node | None, int]:
        """A name with its value, and where that ends; no node where there is no name."""
        key = _KEY.match(self.text, at)
        if key is None:
            self.report.add(
                "toml.no-name",
                at,
                f"`{self.text[at : at + 20].splitlines()[0]}` is neither a name with a value nor a header.",
                hint="Names have letters, digits, `_` and `-`; others are in quotation marks.",
            )
            return None, at
        name = _name(key.group("path"))
        if key.group("sign") is None:
            self.report.add(
                "toml.sign-missing",
                key.end(),
                f"There is no `=` behind {name}.",
                hint=f"Write `{name} = …`.",
            )
        place = key.end()
        if self.text[place : place + 1] in ("", "\n", "\r", "#", ",", "}", "]") and key.group("sign") is not None:
            self.report.add("toml.value-missing", place, f"{name} has no value.", hint="Add one, or remove the name.")
            return Node(NodeKind.VALUE, name, at, place, "", place, place), place
        return self._value(name, at, place, depth)

    def _value(self, name: str, start: int, at: int, depth: int) -> tuple[Node, int]:
        text = self.text
        sign = text[at : at + 1]
        if sign in ("[", "{") and depth <= MAX_DEPTH:
            return self._brackets(name, start, at, depth)
        if text.startswith(('"""', "'''"), at):
            return self._long(name, start, at)
        if sign in ("'", '"'):
            return self._quoted(name, start, at)
        bare = _BARE.match(text, at)
        end = bare.end() if bare is not None else at
        raw = text[at:end]
        if not _LITERAL.match(raw):
            line = text[at : _end(_REST, text, at)].split("#")[0].rstrip()
            is_typographic = any(mark in line for mark in _MARKS)
            self.report.add(
                "toml.text-without-quotes",
                at,
                f"`{line[:40]}` has typographic quotation marks; TOML knows only plain ones."
                if is_typographic
                else f"`{line[:40]}` is no number, date, true or false; a text is in quotation marks.",
                hint=f'Write "{raw.strip(_MARKS)}".',
            )
            end = at + len(line) if depth == 1 else end
        return Node(NodeKind.VALUE, name, start, max(end, at), text[at:end], at, max(end, at)), max(end, at)

    def _quoted(self, name: str, start: int, at: int) -> tuple[Node, int]:
        found = _TEXT.match(self.text, at)
        if found is not None:
            raw = found.group()
            value = raw[1:-1] if raw[0] == "'" else _unescaped(raw[1:-1])
            return Node(
                NodeKind.VALUE, name, start, found.end(), value, at + 1, found.end() - 1, is_quoted=True
            ), found.end()
        end = _end(_REST, self.text, at)
        self.report.add(
            "toml.quote-not-closed",
            at,
            f"The text of {name or 'this value'} has no closing quotation mark.",
            hint=f"Add `{self.text[at]}` where it ends.",
        )
        return Node(NodeKind.VALUE, name, start, end, self.text[at + 1 : end], at + 1, end), end

    def _long(self, name: str, start: int, at: int) -> tuple[Node, int]:
        found = _LONG.match(self.text, at)
        if found is None:
            self.report.add(
                "toml.quote-not-closed",
                at,
                f"The text of {name or 'this value'}, which begins with three quotation marks, is never closed.",
                hint="Add three of them where it ends.",
            )
            end = len(self.text)
            return Node(NodeKind.VALUE, name, start, end, self.text[at + 3 :], at + 3, end), end
        first, last = at + 3, found.end() - 3
        body = re.sub(r"\A\r?\n", "", self.text[first:last])
        value = body if self.text[at] == "'" else _unescaped(body)
        return Node(NodeKind.VALUE, name, start, found.end(), value, first, last, is_quoted=True), found.end()

    # --- lists and tables in a line --------------------------------------------------------------------------------

    def _brackets(self, name: str, start: int, at: int, depth: int) -> tuple[Node, int]:
        is_list = self.text[at] == "["
        closing = "]" if is_list else "}"
        node = Node(NodeKind.LIST if is_list else NodeKind.GROUP, name, start, at + 1, value_start=at)
        place = self._passed(at + 1)
        while True:
            if place >= len(self.text) or self._begins_line(place, is_list=is_list):
                self._not_closed(node, closing, name)
                break
            sign = self.text[place]
            if sign == closing:
                node.end = place + 1
                break
            if sign in "]}":
                self._not_closed(node, closing, name)
                break
            if sign == ",":
                self.report.add(
                    "toml.value-missing", place, "Nothing is before this comma.", hint="Remove it, or add a value."
                )
                place = self._passed(place + 1)
                continue
            child, end = self._value("", place, place, depth + 1) if is_list else self._pair(place, depth + 1)
            if child is None:
                end = max(place + 1, _end(_BARE, self.text, place))
            else:
                if child.is_value:
                    self.comments.document(child)
                node.adopt(child)
                self.comments.ended(child, end)
                if not is_list:
                    self._note(node, child)
            place = max(self._separated(end, closing, child), place + 1)  # a sign that begins no value is passed over
        node.value_end = node.end
        return node, node.end

    def _separated(self, end: int, closing: str, child: Node | None) -> int:
        """Behind the comma after an entry, which is missing where another entry follows."""
        place = self._passed(end)
        if place < len(self.text) and self.text[place] == ",":
            return self._passed(place + 1)
        follows = self.text[place : place + 1]
        if (
            child is not None
            and follows
            and follows not in "]}"
            and not self._begins_line(place, is_list=closing == "]")
        ):
            self.report.add(
                "toml.comma-missing",
                end,
                "There is no comma between this value and the next.",
                hint="Add `,` here.",
                fix=Splice(end, end, ","),
            )
        return place

    def _begins_line(self, at: int, *, is_list: bool) -> bool:
        """A header or a setting begins here, so that the bracket before it is not closed."""
        start = self.source.line_start(at)
        if self.text[start:at].strip(" \t"):
            return False
        key = _KEY.match(self.text, at)
        is_setting = key is not None and key.group("sign") is not None
        header = _HEADER.fullmatch(self.text, at, _end(_REST, self.text, at)) if start == at else None
        path = (header.group("path") or "") if header is not None else ""
        is_header = path[:1].isalpha() and not _LITERAL.match(path)
        return is_setting or is_header if is_list else True

    def _not_closed(self, node: Node, closing: str, name: str) -> None:
        end = node.children[-1].end if node.children else node.value_start + 1
        end = _end(_COMMA, self.text, end)
        node.end = end
        self.report.add(
            "toml.bracket-not-closed",
            end,
            f"`{self.text[node.value_start]}` of {name or 'this list'} on line {self.source.line_at(node.value_start)} is never closed.",
            hint=f"Add `{closing}` here.",
            fix=Splice(end, end, closing),
        )

    def _passed(self, at: int) -> int:
        """Behind blanks and comments."""
        while True:
            at = _end(_BLANKS, self.text, at)
            comment = _COMMENT.match(self.text, at)
            if comment is None:
                return at
            self.comments.saw(at, comment.end(), tidy_block(comment.group(1)))
            at = comment.end()

    # --- ends of lines ------------------------------------------------------------------------------------------------

    def _behind(self, at: int, end: int) -> int:
        place = _end(_BLANK, self.text, at)
        return place if self.text.startswith("#", place) else end

    def _require_end(self, at: int, end: int, what: str) -> None:
        rest = self.text[at:end].strip()
        if (
            rest
            and not rest.startswith("#")
            and not any(one.line == self.source.line_at(at) for one in self.report.findings[-1:])
        ):
            self.report.add(
                "toml.more-behind",
                at,
                f"`{rest[:30]}` is behind {what} on the same line.",
                hint="Put it on a line of its own, or make it a comment with `#`.",
            )


def _end(pattern: re.Pattern[str], text: str, at: int) -> int:
    """Where the pattern ends that begins at an offset; there where it does not fit."""
    found = pattern.match(text, at)
    return found.end() if found is not None else at


def _name(path: str) -> str:
    """A name without the quotation marks that it does not need."""
    parts = []
    for part in _PARTS.findall(path):
        bare = part
        if part[:1] == "'":
            bare = part[1:-1]
        elif part[:1] == '"':
            bare = _unescaped(part[1:-1])
        parts.append(part if "." in bare else bare)
    return ".".join(parts)


def _unescaped(text: str) -> str:
    return _ESCAPE.sub(_meaning, text) if "\\" in text else text


def _meaning(match: re.Match[str]) -> str:
    sign = match.group(1)
    if sign[0] in "uU" and len(sign) > 1:
        number = int(sign[1:], 16)
        return chr(number) if number < 0x110000 and not 0xD800 <= number < 0xE000 else match.group()
    if "\n" in sign:
        return ""
    return _MEANINGS.get(sign, sign)
