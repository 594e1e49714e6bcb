"""
Addresses: the names of places in files, read and printed.

`[SERVER:]path#segment/segment…` where a segment is `name`, `name[key]`, `name[#3]`, `@attribute`, `*` (any
name) or `**` (any depth). An item of a list has no name and is written `[key]` or `[#3]`. A name and a key may hold
`*` and `?`, a key may be a list `[red,blue]`; what is in double quotes is taken to the letter, a quote in it doubled.
More brackets choose by what a thing is: `[kind=cloth]`, `[want>10]`, `[!old]`; see `documents/conditions.py`.

Here is only their form; which field is the key of an entry is in `documents/keys.py`, how an address leads to
nodes in `documents/selecting.py` and `documents/lookup.py`.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache, partial
from typing import Final, TypeVar

from zerrit.core.errors import AddressInvalid
from zerrit.core.wildcards import found_in, key_matches

_SERVER: Final = re.compile(r"([a-z0-9][a-z0-9-]{0,62}):(?![\\/])")
_NEEDS_QUOTES_IN_KEY: Final = re.compile(r'[\[\],*?"=<>~]|^[#!]|^\s|\s$|^$')
_NEEDS_QUOTES_IN_NAME: Final = re.compile(r'[\[\]/*?"#\s]|\([^()]*,[^()]*\)|^$')
_CHOICE: Final = re.compile(r"([^()]*)\(([^()]*,[^()]*)\)([^()]*)\Z")
_OPERATOR: Final = re.compile(r"!=|>=|<=|!~|=|>|<|~")
_BRACKET: Final = re.compile(r'\[(?:[^\[\]"]|"[^"]*"|\[[^\[\]]*\])*\]')
_NUMBER: Final = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)\Z")


@dataclass(frozen=True, slots=True)
class KeyPattern:
    """One alternative between the brackets; `literal` ones come from quotes and hold no wildcards."""

    text: str
    is_literal: bool = False

    @property
    def is_plain(self) -> bool:
        """It fits one key only."""
        return self.is_literal or not ("*" in self.text or "?" in self.text)

    def matches(self, key: str) -> bool:
        if self.is_plain:
            return key == self.text
        return key_matches(self.text, key)


@dataclass(frozen=True, slots=True)
class Condition:
    """What an entry has to be: the value at `place` below it, held against `values` by the `operator`.

    `text` is the condition as it is written. `=` and `!=` have one or more values with wildcards, `~` and `!~` a regular
    expression (RE2) that is found somewhere in the value, the others a number.
    """

    text: str
    place: tuple[Segment, ...]
    operator: str
    values: tuple[KeyPattern, ...]


@dataclass(frozen=True, slots=True)
class Segment:
    """One step down. `is_deep` stands for `**`; `ordinal` is 1-based, from the end where it is negative, 0 where none was given.

    The `name` of one with `is_name_pattern` holds wildcards; that of one with `is_any_name` is empty; `choices` are the names that
    `@(min,max)` stands for. `excluded` are keys, and names of fields, that must not be there; `conditions` all have to be
    met.
    """

    name: str
    is_any_name: bool = False
    is_name_pattern: bool = False
    is_deep: bool = False
    keys: tuple[KeyPattern, ...] = ()
    ordinal: int = 0
    choices: tuple[str, ...] = ()
    excluded: tuple[KeyPattern, ...] = ()
    conditions: tuple[Condition, ...] = ()

    def __str__(self) -> str:
        if self.is_deep:
            return "**"
        is_plain = not (self.is_name_pattern or self.choices)
        parts = ["*" if self.is_any_name else quote_name(self.name) if is_plain else self.name]
        parts += [f"[{','.join(map(_as_written, self.keys))}]"] if self.keys else []
        parts += [f"[!{_as_written(one)}]" for one in self.excluded]
        parts += [f"[{one.text}]" for one in self.conditions]
        parts += [f"[#{self.ordinal}]"] if self.ordinal else []
        return "".join(parts)

    @property
    def is_pattern_of_names(self) -> bool:
        """Nodes of several names may be meant."""
        return self.is_any_name or self.is_name_pattern or bool(self.choices)

    @property
    def chooses(self) -> bool:
        """It chooses among entries by what they are, not by their keys alone."""
        return bool(self.conditions or self.excluded)

    @property
    def is_pattern(self) -> bool:
        """May lead to several nodes."""
        return (
            self.is_any_name
            or self.is_name_pattern
            or self.is_deep
            or self.chooses
            or bool(self.choices)
            or len(self.keys) > 1
            or any(not key.is_plain for key in self.keys)
        )

    def fits_name(self, name: str) -> bool:
        """Whether a node with this name is meant, whatever its key."""
        return (
            self.is_any_name
            or self.name == name
            or (self.is_name_pattern and key_matches(self.name, name))
            or name in self.choices
        )


@dataclass(frozen=True, slots=True)
class Address:
    """A parsed address. `path` may hold `*`; `segments` is empty for a complete file."""

    path: str
    segments: tuple[Segment, ...] = ()
    server: str = ""

    def __str__(self) -> str:
        prefix = f"{self.server}:" if self.server else ""
        path = f'"{self.path}"' if "#" in self.path else self.path
        return f"{prefix}{path}#{print_segments(self.segments)}" if self.segments else f"{prefix}{path}"

    @property
    def is_pattern(self) -> bool:
        return "*" in self.path or any(segment.is_pattern for segment in self.segments)


def print_segments(segments: Iterable[Segment]) -> str:
    """Segments as text that can be parsed again."""
    return "/".join(str(segment) for segment in segments)


# --- reading addresses ------------------------------------------------------------------------------------------------


def parse_address(text: str) -> Address:
    """Read `[SERVER:]path[#node]`.

    Raises AddressInvalid: something is where it cannot.
    """
    rest = text.strip()
    server = ""
    match = _SERVER.match(rest)
    if match:
        server = match.group(1)
        rest = rest[match.end() :]
    if rest.startswith('"'):
        end = rest.find('"', 1)
        if end < 0:
            raise AddressInvalid(f"{text}: the quotation mark before the file name is never closed.", text, 0)
        path, rest = rest[1:end], rest[end + 1 :]
        node = rest[1:] if rest.startswith("#") else ""
    else:
        path, _, node = rest.partition("#")
    if not path:
        raise AddressInvalid(f"{text}: an address begins with a file, such as configs/items.xml#item[Lamp].", text, 0)
    return Address(path, parse_node_address(node) if node else (), server)


@lru_cache(maxsize=2048)
def parse_node_address(text: str) -> tuple[Segment, ...]:
    """Read the part after `#`.

    Raises AddressInvalid: a bracket or quote is not closed, or a segment is empty.
    """
    return tuple(_AddressScanner(text).segments())


def parse_condition(text: str) -> Condition:
    """Read what a value is held against, such as `>10`, `=cloth,silk` or `~"^a"`.

    Raises AddressInvalid.
    """
    segments = parse_node_address(f"*[value{text}]")
    if len(segments) != 1 or len(segments[0].conditions) != 1 or segments[0] != _only(segments[0].conditions[0]):
        raise AddressInvalid(f"`{text}` is not one condition", text, 0, "it must be one, and no more")
    return segments[0].conditions[0]


def _only(condition: Condition) -> Segment:
    return Segment("", is_any_name=True, conditions=(condition,))


def conditions_before(text: str) -> tuple[str, str]:
    """The brackets that a text begins with, and what is behind them. One that is not closed is part of what is behind."""
    rest = text.lstrip()
    brackets = ""
    while match := _BRACKET.match(rest):
        brackets += match.group()
        rest = rest[match.end() :].lstrip()
    return brackets, rest


class _AddressScanner:
    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0

    def segments(self) -> Iterator[Segment]:
        while True:
            yield self._segment()
            if self.at >= len(self.text):
                return
            if self.text[self.at] != "/":
                raise self._fault(f"`{self.text[self.at]}` is where `/` or the end is expected")
            self.at += 1

    def _segment(self) -> Segment:
        if self.text.startswith("**", self.at):
            self.at += 2
            return Segment("", is_deep=True)
        is_quoted = self.text.startswith('"', self.at)
        if is_quoted:
            name = self._quoted()
        else:
            match = re.compile(r"[^/\[\]]*").match(self.text, self.at)
            name = match.group() if match else ""
            self.at += len(name)
        is_any = name == "*" and not is_quoted
        is_pattern = not is_any and not is_quoted and ("*" in name or "?" in name)
        choice = _CHOICE.match(name) if not is_quoted else None
        choices = tuple(f"{choice[1]}{one.strip()}{choice[3]}" for one in choice[2].split(",")) if choice else ()
        named = partial(
            Segment, "" if is_any else name, is_any_name=is_any, is_name_pattern=is_pattern, choices=choices
        )
        if not self.text.startswith("[", self.at):
            if not name:
                raise self._fault("a name is missing between two `/` or at the end")
            return named()
        keys: tuple[KeyPattern, ...] = ()
        excluded: list[KeyPattern] = []
        conditions: list[Condition] = []
        ordinal = 0
        while self.text.startswith("[", self.at):
            if ordinal:
                raise self._fault("a number such as [#3] is the last bracket of a name")
            self.at += 1
            if self.text.startswith("#", self.at):
                ordinal = self._ordinal()
            elif self.text.startswith("!", self.at):
                self.at += 1
                excluded += self._keys()
            elif (condition := self._condition()) is not None:
                conditions.append(condition)
            elif keys:
                raise self._fault("a name has one bracket with keys; list them in it, such as [red,blue]")
            else:
                keys = tuple(self._keys())
        return named(keys=keys, excluded=tuple(excluded), conditions=tuple(conditions), ordinal=ordinal)

    def _ordinal(self) -> int:
        match = re.compile(r"#(-?[1-9]\d{0,8})\]").match(self.text, self.at)
        if not match:
            raise self._fault("`[#` is followed by a number from 1 and `]`, such as [#3], or [#-1] for the last")
        self.at = match.end()
        return int(match.group(1))

    def _condition(self) -> Condition | None:
        """The condition in these brackets; None where they hold keys."""
        start = self.at
        operator: re.Match[str] | None = None
        at = start
        depth = 0
        while at < len(self.text) and (depth or self.text[at] != "]"):
            sign = self.text[at]
            if sign == '"':
                closed = re.compile(r'"(?:[^"]|"")*"').match(self.text, at)
                at = closed.end() if closed else len(self.text)
                continue
            if operator is None and depth == 0:
                operator = _OPERATOR.match(self.text, at)
                if operator is not None:
                    at = operator.end()
                    continue
            depth += (sign == "[" and operator is None) - (sign == "]")
            at += 1
        if operator is None or at >= len(self.text):
            return None
        place = self.text[start : operator.start()].strip()
        self.at = operator.end()
        if not place:
            raise self._fault(f"a field is missing before `{operator.group()}`, such as [kind=cloth]")
        found = operator.group()
        values: tuple[KeyPattern, ...]
        if found in ("~", "!~"):
            is_quoted = self.text.startswith('"', self.at)
            values = (KeyPattern(self._quoted() if is_quoted else self.text[self.at : at].strip(), is_literal=True),)
            self._require_pattern(values[0].text)
            self.at = at if not is_quoted else self.at
            if not self.text.startswith("]", self.at):
                raise self._fault("a bracket `[` is never closed")
            self.at += 1
        else:
            values = tuple(self._keys())
            if found not in ("=", "!=") and (len(values) > 1 or not _NUMBER.match(values[0].text)):
                raise self._fault(f"`{found}` needs one number behind it, not `{','.join(one.text for one in values)}`")
        return Condition(self.text[start : self.at - 1], parse_node_address(place), found, values)

    def _require_pattern(self, text: str) -> None:
        try:
            found_in(text, "")
        except AddressInvalid as error:
            raise self._fault(str(error)) from error

    def _keys(self) -> Iterator[KeyPattern]:
        while True:
            if self.text.startswith('"', self.at):
                yield KeyPattern(self._quoted(), is_literal=True)
            else:
                match = re.compile(r"[^\],]*").match(self.text, self.at)
                key = match.group() if match else ""
                self.at += len(key)
                yield KeyPattern(key.strip())
            if self.text.startswith(",", self.at):
                self.at += 1
                continue
            if self.text.startswith("]", self.at):
                self.at += 1
                return
            raise self._fault("a bracket `[` is never closed")

    def _quoted(self) -> str:
        match = re.compile(r'"((?:[^"]|"")*)"').match(self.text, self.at)
        if not match:
            raise self._fault("a quotation mark is never closed")
        self.at = match.end()
        return match.group(1).replace('""', '"')

    def _fault(self, what: str) -> AddressInvalid:
        message = f"{self.text} is not an address: {what}, at character {self.at + 1}."
        return AddressInvalid(message, self.text, self.at, what)


# --- printing and matching ---------------------------------------------------------------------------------------------


def keyed_segment(name: str, key: str) -> Segment:
    """The segment that names one entry, its key taken to the letter."""
    return Segment(name, keys=(KeyPattern(key, is_literal=bool(_NEEDS_QUOTES_IN_KEY.search(key))),))


def may_meet(pattern: Sequence[Segment], place: Sequence[Segment]) -> bool:
    """What the pattern names is at the place, above it, or may be below it.

    Both are taken as they are written: a pattern with ordinals meets an address that has the same ordinal.
    """
    reached = {0}  # how many segments of the place are used up, in every way in which the pattern so far fits
    for segment in pattern:
        if len(place) in reached:
            return True
        if segment.is_deep:
            reached = set(range(min(reached), len(place) + 1))
        else:
            reached = {at + 1 for at in reached if _fits(segment, place[at])}
        if not reached:
            return False
    return True


def _as_written(key: KeyPattern) -> str:
    return quote_key(key.text) if key.is_literal else key.text


def _fits(pattern: Segment, segment: Segment) -> bool:
    if not pattern.fits_name(segment.name):
        return False
    if pattern.ordinal:
        return pattern.ordinal == segment.ordinal
    keys = segment.keys or (KeyPattern(""),)
    return not pattern.keys or any(one.matches(key.text) for one in pattern.keys for key in keys)


def quote_name(name: str) -> str:
    """A name as it is written in an address, in quotes where it has to be."""
    if not name:
        return ""
    return '"' + name.replace('"', '""') + '"' if _NEEDS_QUOTES_IN_NAME.search(name) else name


def quote_key(key: str) -> str:
    """A key as it is written in brackets, in quotes where it has to be."""
    return '"' + key.replace('"', '""') + '"' if _NEEDS_QUOTES_IN_KEY.search(key) else key


class NamePattern(str):
    """A name with wildcards among the names of a kind."""

    __slots__ = ()

    def fits(self, name: str) -> bool:
        return key_matches(self, name)


#: The kind of the one entry that a file itself is: the values directly in it are its fields.
FILE_ITSELF: Final = "."


def place_in_kind(names: str, place: str) -> str:
    """A place below the entries of a kind, from the root of their file down, as it is written in a gamebook."""
    if names != FILE_ITSELF:
        return f"{names}/{place}"
    return f'"{place}"' if place == FILE_ITSELF else place  # a value that is called so


def kind_of(names: str) -> tuple[str, ...]:
    """The names of a kind of node as the tree has them: an item of a list has none, and `*` stands for any name.

    The file itself has none at all.
    """
    if names == FILE_ITSELF:
        return ()
    segments = parse_node_address(names)
    return tuple(NamePattern(one.name) if one.is_name_pattern else one.name for one in segments)


def print_kind(kind: Iterable[str]) -> str:
    """The names of a kind as they are written in a gamebook."""
    text = "/".join("*" if not name else name if isinstance(name, NamePattern) else quote_name(name) for name in kind)
    return f'"{text}"' if text == FILE_ITSELF else text


def is_open_kind(kind: Sequence[str]) -> bool:
    """Nodes with different names may be of this kind."""
    return any(not name or isinstance(name, NamePattern) for name in kind)


def fits_kind(names: Sequence[str], kind: Sequence[str]) -> bool:
    """Whether a node with these names, from the root down, is of a kind."""
    return len(names) == len(kind) and all(map(_fits_name, names, kind))


def _fits_name(name: str, wanted: str) -> bool:
    return wanted in ("", name) or (isinstance(wanted, NamePattern) and wanted.fits(name))


_Branch = TypeVar("_Branch")


def branch_of(tree: Mapping[str, _Branch], name: str) -> _Branch | None:
    """What a tree of the names of kinds has for a name: by the name itself, by a pattern that fits, or for any name."""
    found = tree.get(name)
    if found is not None:
        return found
    for one in tree:
        if isinstance(one, NamePattern) and one.fits(name):
            return tree[one]
    return tree.get("")
