"""
Read JSON that is known to be sound, one level at a time.

The C scanner of the `json` module tells in little time that a text is sound, and where a value ends that begins
at a given place; it makes no places of its own, so it cannot do more. That is enough to find the members of one
object or list by a few steps each, and to leave their inside until someone asks.

Both readers of JSON make the same tree of the same text; a property test holds them to it.
"""

from __future__ import annotations

import json
import re
from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final, NoReturn

from zerrit.core.documents.comments import CommentKeeper
from zerrit.core.documents.json.text import unescape
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Source

MAX_DEPTH: Final = 120  # the reader that recovers has three frames of Python's stack for each; real files: below 20

_SPACE: Final = re.compile(r"[ \t\r\n]*")
_STRING: Final = r'"([^"\\]*+(?:\\.[^"\\]*+)*+)"'
_VALUE: Final = rf"(?:{_STRING}|([^\s,{{}}\[\]\"]++)|(?=[{{\[]))"
_MEMBER: Final = re.compile(rf"[ \t\r\n]*{_STRING}[ \t\r\n]*:[ \t\r\n]*{_VALUE}")
_ITEM: Final = re.compile(rf"[ \t\r\n]*(){_VALUE}")
_NEXT: Final = re.compile(r"[ \t\r\n]*,?")


class _Unsound(ValueError):
    """Something that strict JSON does not have, or that has to be reported."""


@dataclass(frozen=True, slots=True)
class Remark:
    """A comment that a reader has blanked out, and what it says without its signs."""

    start: int
    end: int
    text: str


def read_sound(source: Source) -> Node | None:
    """The one value of a text in which nothing is to be reported, its inside unread; None for any other text."""
    return read_sound_text(source.text, (), source)


def read_sound_text(text: str, remarks: Sequence[Remark], source: Source) -> Node | None:
    """The same of a text of which `remarks`, which are in `source` at the same places, have been blanked out."""
    try:
        # Numbers stay text: Python refuses to turn very long ones into numbers.
        found = json.loads(text, object_pairs_hook=_depth_of, parse_int=str, parse_float=str, parse_constant=_refuse)
        is_deep = _depth(found) > MAX_DEPTH
    except (ValueError, RecursionError):
        return None
    if is_deep:
        return None
    start = _end(_SPACE, text, 0)
    levels = _Levels(text, remarks, source)
    root = levels.value("", start, start, None)[0]
    levels.document(None, [root])
    return root


def _refuse(word: str) -> NoReturn:
    raise _Unsound(word)


def _depth_of(pairs: list[tuple[str, Any]]) -> int:
    """How deep an object is; of its members, objects are such numbers already, and nothing else is a number."""
    if len(pairs) > 1 and len(dict(pairs)) < len(pairs):
        raise _Unsound("a key twice")
    return 1 + max([_depth(value) for _, value in pairs if type(value) in (int, list)], default=0)


def _depth(value: Any, room: int = MAX_DEPTH) -> int:
    if type(value) is list:
        if room == 0:
            raise _Unsound("too deep")
        return 1 + max([_depth(item, room - 1) for item in value if type(item) in (int, list)], default=0)
    return value if type(value) is int else 0


def _end(pattern: re.Pattern[str], text: str, at: int) -> int:
    match = pattern.match(text, at)
    return match.end() if match else at


class _Levels:
    """Reads the levels of one sound text; the `Inside` of its nodes."""

    def __init__(self, text: str, remarks: Sequence[Remark], source: Source) -> None:
        self.text = text
        self.remarks = remarks
        self.source = source
        self.scan = json.JSONDecoder(object_pairs_hook=len, parse_int=len, parse_float=len).raw_decode

    def value(self, name: str, start: int, at: int, parent: Node | None) -> tuple[Node, int]:
        """The container that begins at `at`, or the single value that the whole text is."""
        sign = self.text[at]
        if sign not in "{[":
            match = _ITEM.match(self.text, at)
            if match is None:
                raise AssertionError(f"no value at {at} in sound JSON")
            return self._scalar(name, start, match, parent), match.end()
        end = self.scan(self.text, at)[1]
        kind = NodeKind.GROUP if sign == "{" else NodeKind.LIST
        is_empty = end == at + 2
        return Node(kind, name, start, end, None, at, end, parent=parent, inside=None if is_empty else self), end

    @staticmethod
    def _scalar(name: str, start: int, match: re.Match[str], parent: Node | None) -> Node:
        end = match.end()
        if match.group(2) is None:
            return Node(NodeKind.VALUE, name, start, end, match.group(3), match.start(3), end, parent=parent)
        value = unescape(match.group(2))
        return Node(NodeKind.VALUE, name, start, end, value, match.start(2), end - 1, True, parent)

    # --- Inside ---------------------------------------------------------------------------------------------------

    def children_of(self, node: Node) -> list[Node]:
        text = self.text
        is_list = node.kind is NodeKind.LIST
        pattern = _ITEM if is_list else _MEMBER
        children: list[Node] = []
        at = node.value_start + 1
        while match := pattern.match(text, at):
            if is_list:
                name = ""
                start = _end(_SPACE, text, match.start())
            else:
                name = unescape(match.group(1))
                start = match.start(1) - 1
            if match.lastindex == 1:
                child, end = self.value(name, start, match.end(), node)
            else:
                child, end = self._scalar(name, start, match, node), match.end()
            children.append(child)
            at = _end(_NEXT, text, end)
        if self.remarks:
            self.document(node, children)
        return children

    def document(self, parent: Node | None, children: Sequence[Node]) -> None:
        """Give the children the comments that are between them."""
        start, end = (parent.value_start, parent.value_end) if parent is not None else (0, len(self.text))
        index = bisect_left(self.remarks, start, key=lambda remark: remark.start)
        keeper = CommentKeeper(self.source)
        for child in children:
            index = self._tell(keeper, index, max(child.start, child.value_start))
            keeper.document(child)
            index = bisect_left(self.remarks, child.end, lo=index, key=lambda remark: remark.start)
            keeper.ended(child, child.end)
        self._tell(keeper, index, end)

    def _tell(self, keeper: CommentKeeper, index: int, end: int) -> int:
        """Tell the keeper of the comments from `index` on that begin before `end`; where the next one is."""
        while index < len(self.remarks) and self.remarks[index].start < end:
            remark = self.remarks[index]
            keeper.saw(remark.start, remark.end, remark.text)
            index += 1
        return index

    def fields_of(self, nodes: Sequence[Node], name: str) -> list[str | None]:
        return [self.field_of(node, name) for node in nodes]

    def field_of(self, node: Node, name: str) -> str | None:
        child = node.child(name)
        return child.value if child is not None and child.is_value else None
