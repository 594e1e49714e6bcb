"""
Read a text strictly, with a parser that is not ours, or not at all.

A safe fix has to be judged by someone who did not propose it. Our own readers recover from faults, and a recovery that
guessed wrong would confirm its own guess. So JSON goes to the standard library, XML to expat and YAML to libyaml; for
INI, which has no standard, a grammar of single lines is here that shares nothing with the reader.
"""

from __future__ import annotations

import json
import re
from collections.abc import Collection
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Any, Final, Protocol, cast
from xml.parsers import expat

# libyaml is imported when a YAML file is judged: a command on another file need not wait for it.
# ruff: noqa: PLC0415
if TYPE_CHECKING:
    import yaml

MAX_DEPTH: Final = 200  # deeper than any file that people edit; bounds recursion


class StrictReading(Protocol):
    """One language, read without mercy."""

    #: The signs that separate and enclose; one of them lost, added or mistyped is what a fix may repair.
    signs: str

    def data(self, text: str) -> object | None:
        """What the text says, as values that compare by content; None when it is not sound."""
        ...

    def fault_at(self, text: str) -> int:
        """The offset up to which the text could still be the beginning of a sound one; its length when it is sound."""
        ...

    def has_torn_markup(self, data: object) -> bool:
        """Sound by the letter only: what is left of a tag is among the text."""
        ...


# --- JSON -------------------------------------------------------------------------------------------------------------

_JSON_PIECE: Final = re.compile(r'"(?:[^"\\]|\\.)*+"|//[^\r\n]*|/\*.*?\*/|,(?=\s*[}\]])', re.DOTALL)
_WORD: Final = re.compile(r"[\w.+\-]*")


def _not_a_number(word: str) -> object:
    raise ValueError(f"{word} is not JSON")


class StrictJson:
    """RFC 8259. Comments and a comma after the last entry are passed over where the game accepts them."""

    signs = '{}[],:"\\.-'

    def __init__(self, tolerate: Collection[str] = ()) -> None:
        self._comments = "json.comment" in tolerate
        self._commas = "json.comma-extra" in tolerate
        self._decoder = json.JSONDecoder(
            object_pairs_hook=lambda pairs: ("object", tuple(pairs)),
            parse_int=lambda digits: ("number", digits),
            parse_float=lambda digits: ("number", digits),
            parse_constant=_not_a_number,
        )

    def data(self, text: str) -> object | None:
        try:
            value, end = self._decoder.raw_decode(self._plain(text), self._start(text))
        except (ValueError, RecursionError):
            return None
        return ("file", value) if not self._plain(text)[end:].strip(" \t\r\n") else None

    def fault_at(self, text: str) -> int:
        plain = self._plain(text)
        try:
            _, end = self._decoder.raw_decode(plain, self._start(plain))
        except json.JSONDecodeError as error:
            if error.msg.startswith("Unterminated string"):
                return len(text)
            word = _WORD.match(plain, error.pos)
            return max(error.pos + 2, word.end() if word else 0)
        except (ValueError, RecursionError):
            return len(text)
        rest = plain[end:]
        return end + len(rest) - len(rest.lstrip(" \t\r\n")) + 1

    def has_torn_markup(self, data: object) -> bool:
        return False

    @staticmethod
    def _start(text: str) -> int:
        return len(text) - len(text.lstrip(" \t\r\n"))

    def _plain(self, text: str) -> str:
        """The text with what is tolerated blanked out; all offsets stay."""
        if not (self._comments or self._commas):
            return text

        def blanked(match: re.Match[str]) -> str:
            piece = match.group()
            is_tolerated = (piece.startswith("/") and self._comments) or (piece == "," and self._commas)
            return " " * len(piece) if is_tolerated else piece

        return _JSON_PIECE.sub(blanked, text)


# --- XML --------------------------------------------------------------------------------------------------------------


_TORN: Final = re.compile(r"""/>|["']>|/[\w.:-]+>|[\w.:-]=["']""")


class _Doctype(Exception):
    """A document type is never sound here: it can pull in other files."""


class StrictXml:
    """XML 1.0 without a DTD, by expat."""

    signs = "<>/=\"'&;!-? "

    def data(self, text: str) -> object | None:
        if self._fails(text) is not None:
            return None
        items: list[list[Any]] = [[]]
        parser = self._parser()

        def start(name: str, attributes: list[str]) -> None:
            items.append([name, tuple(attributes)])

        def end(_: str) -> None:
            done = items.pop()
            items[-1].append(tuple(done))

        def characters(text: str) -> None:
            inside = items[-1]
            if inside and isinstance(inside[-1], _Text):
                inside[-1] = _Text(inside[-1] + text)
            else:
                inside.append(_Text(text))

        parser.StartElementHandler = start
        parser.EndElementHandler = end
        parser.CharacterDataHandler = characters
        parser.Parse(text.encode(), True)
        return _without_blanks(items[0][0])

    def fault_at(self, text: str) -> int:
        error = self._fails(text)
        if error is None:
            return len(text)
        if error < 0:
            return len(text)
        offset = len(text.encode()[:error].decode(errors="ignore"))
        end = text.find(">", offset)
        return (end if end >= 0 else len(text)) + 1

    def has_torn_markup(self, data: object) -> bool:
        if isinstance(data, _Text):
            return bool(_TORN.search(data))
        return isinstance(data, tuple) and any(self.has_torn_markup(each) for each in data[2:])

    def _parser(self) -> expat.XMLParserType:
        parser = expat.ParserCreate("utf-8")
        parser.ordered_attributes = True
        parser.StartDoctypeDeclHandler = _refuse_doctype
        return parser

    def _fails(self, text: str) -> int | None:
        """The byte offset of the first fault; None when there is none, -1 when it has no place."""
        parser = self._parser()
        try:
            parser.Parse(text.encode(), True)
        except expat.ExpatError:
            return parser.ErrorByteIndex
        except (_Doctype, UnicodeError):
            return -1
        return None


_BLANKS: Final = re.compile(r"[ \t\r\n]+")


class _Text(str):
    """Characters between tags, to tell them from names."""

    __slots__ = ()


def _refuse_doctype(*_: object) -> None:
    raise _Doctype


def _without_blanks(element: tuple[Any, ...]) -> tuple[Any, ...]:
    """White space between tags is layout; around the only text of an element, too."""
    name, attributes, *inside = element
    pairs = tuple(zip(attributes[::2], attributes[1::2], strict=True))
    kept: list[Any] = []
    for item in inside:
        if not isinstance(item, _Text):
            kept.append(_without_blanks(item))
        elif text := " ".join(_BLANKS.split(item.strip(" \t\r\n"))):
            kept.append(_Text(text))
    return name, pairs, *kept


# --- YAML -------------------------------------------------------------------------------------------------------------


@cache
def _resolver() -> yaml.SafeLoader:
    import yaml

    return yaml.SafeLoader("")


class StrictYaml:
    """YAML, by libyaml where the installed PyYAML has it. Aliases stay names: nothing is expanded."""

    signs = "\"'[]{},:#-?&*!|>%@` "

    def data(self, text: str) -> object | None:
        import yaml

        result: list[object] = []
        try:
            for event in yaml.parse(text, Loader=getattr(yaml, "CSafeLoader", yaml.SafeLoader)):
                result.append(self._shown(event))
        except (yaml.YAMLError, UnicodeError, ValueError, RecursionError):
            return None
        return tuple(result)

    def fault_at(self, text: str) -> int:
        return len(text)

    def has_torn_markup(self, data: object) -> bool:
        return False

    @staticmethod
    def _shown(event: yaml.Event) -> object:
        import yaml

        kind = type(event).__name__
        if isinstance(event, yaml.ScalarEvent):
            tag = event.tag
            if tag is None:
                implicit = (event.style is None, event.style is not None)
                tag = _resolver().resolve(yaml.ScalarNode, event.value, implicit)  # type: ignore[no-untyped-call]  # as shipped
            return kind, event.anchor, tag, event.value
        if isinstance(event, yaml.AliasEvent | yaml.CollectionStartEvent):
            return kind, event.anchor, getattr(event, "tag", None)
        return kind


# --- INI --------------------------------------------------------------------------------------------------------------

_HEADER: Final = re.compile(r"\[([^\[\]\r\n]*\S[^\[\]\r\n]*)\]\s*(?:[;#].*|//.*)?")
_ROW: Final = re.compile(r"([^=\"'<>{}\[\]();#]*[^=\"'<>{}\[\]();#\s])\s*=\s*(.*)", re.DOTALL)
_OPENS_STRUCT: Final = re.compile(r"\(+\s*[A-Za-z_][\w.\-]*\s*=")
_STRUCT_TOKEN: Final = re.compile(r'\s*("(?:[^"\\]|\\.)*"|[(),=]|[^(),="]+)')
_REMARKS: Final = (";", "#", "//")


@dataclass(frozen=True, slots=True)
class _Cursor:
    tokens: tuple[str, ...]
    at: int = 0

    @property
    def sign(self) -> str:
        return self.tokens[self.at] if self.at < len(self.tokens) else ""

    def next(self, by: int = 1) -> _Cursor:
        return _Cursor(self.tokens, self.at + by)


class StrictIni:
    """Sections, `name = value`, comments, and values in parentheses. A line is sound or not on its own."""

    signs = '[](),="'

    def data(self, text: str) -> object | None:
        lines = re.split(r"\r\n|\r|\n", text)
        read = [self._line(line.strip(" \t\ufeff")) for line in lines]
        return tuple(read) if None not in read else None

    def fault_at(self, text: str) -> int:
        return len(text)

    def has_torn_markup(self, data: object) -> bool:
        return False

    def _line(self, line: str) -> object | None:
        if not line or line.startswith(_REMARKS):
            return ("remark", line)
        header = _HEADER.fullmatch(line)
        if header:
            return ("section", header.group(1).strip())
        row = _ROW.fullmatch(line)
        if row is None:
            return None
        name, value = row.group(1), row.group(2).strip()
        if not _OPENS_STRUCT.match(value):
            return ("setting", name, value)
        found = _struct_data(value)
        return ("setting", name, found) if found is not None else None

    def is_certain(self, text: str, touched: Collection[int]) -> bool:
        """Every line but the `touched` ones (0-based) is INI beyond doubt, and some of them are headers."""
        lines = re.split(r"\r\n|\r|\n", text)
        read = [self._line(line.strip(" \t\ufeff")) for number, line in enumerate(lines) if number not in touched]
        kinds = [cast("tuple[str, ...]", each)[0] for each in read if each is not None]
        return None not in read and ("section" in kinds or kinds.count("setting") >= 3)


def _struct_data(value: str) -> object | None:
    """The value in parentheses as nested tuples; None when it is not closed, or something follows it."""
    tokens: list[str] = []
    at = 0
    while at < len(value):
        match = _STRUCT_TOKEN.match(value, at)
        if match is None:
            return None
        tokens.append(match.group(1).strip())
        at = match.end()
    found = _struct_value(_Cursor(tuple(token for token in tokens if token)), 0)
    return found[0] if found is not None and found[1].sign == "" else None


def _struct_value(cursor: _Cursor, depth: int) -> tuple[object, _Cursor] | None:
    if depth > MAX_DEPTH:
        return None
    if cursor.sign != "(":
        return (cursor.sign, cursor.next()) if cursor.sign not in ("", ")", ",", "=") else ("", cursor)
    cursor = cursor.next()
    parts: list[object] = []
    while cursor.sign != ")":
        name = ""
        if cursor.at + 1 < len(cursor.tokens) and cursor.tokens[cursor.at + 1] == "=" and cursor.sign not in "(),=":
            name, cursor = cursor.sign, cursor.next(2)
        found = _struct_value(cursor, depth + 1)
        if found is None:
            return None
        value, cursor = found
        parts.append((name, value))
        if cursor.sign == ",":
            cursor = cursor.next()
        elif cursor.sign != ")":
            return None
    return ("struct", tuple(parts)), cursor.next()
