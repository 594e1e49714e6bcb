"""
Read any other text file: a list of lines, and what can be said of it without a grammar.

Plain lists and prose have no common grammar; what they share is lines, so a line is what can be
addressed (`line[#3]`), compared and changed. A line out of which a gamebook cuts slots is no `line` any more: its
slots are in its place under their own names (`mods/[night-watch]`), and what is around them stays closed.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Final

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.slots import Cut, Slot, cuts
from zerrit.core.documents.source import Source

_COMMENT: Final = re.compile(r"[ \t]*(?:#(?!!)|//|--|;|::|[rR][eE][mM][ \t])([^\r\n]*)")
_SWITCHED_OFF: Final = re.compile(r"[ \t]*(?:#|//|::|[rR][eE][mM][ \t])")  #: what no program reads has no slots


def read(source: Source, report: Report, reading: Reading) -> Node:
    """Read the text; the root's children are its lines, named `line`, blank ones included, and its slots."""
    return read_lines(source, reading, ())


def read_lines(source: Source, reading: Reading, opened: Sequence[Node]) -> Node:
    """The lines of a text, and in the place of those that something is opened in what that is.

    `opened` is in the order of the text: nodes that are in a line or go over several. Where a gamebook has slots in such a
    line, they are in its place.
    """
    text, slots = source.text, {} if reading.is_uncut else reading.slots
    root = Node(NodeKind.GROUP, "", 0, len(text), value_start=0, value_end=len(text))
    keeper = CommentKeeper(source)
    starts = source.line_starts
    rest = iter(opened)
    following = next(rest, None)
    index = 0
    while index < len(starts):
        start, stop = starts[index], source.line_end(starts[index])
        if stop == len(text) and start == stop:
            break  # what follows the last line ending is not a line
        mine: list[Node] = []
        while following is not None and following.start <= stop:
            if following.start >= start:
                mine.append(following)
            following = next(rest, None)
        last = source.line_at(max(node.end for node in mine)) if mine else index + 1
        found = list(_cut_lines(slots, source, index, last)) if slots else []
        if found:  # what the gamebook says of a line goes before what it looks like
            last = index + 1
            found = [node for node in found if node.start <= stop]
            mine = [one for one in mine if one.end <= stop and not any(_overlap(one, other) for other in found)]
            mine = [one for one in mine if not _has_line_to_itself(source, one)]
        nodes = sorted((*mine, *found), key=lambda node: node.start)
        body = text[start:stop]
        line = nodes[0] if nodes else Node(NodeKind.VALUE, "line", start, stop, body, start, stop)
        for node in nodes or (line,):
            root.adopt(node)
        comment = _COMMENT.match(body)
        if comment and not nodes:
            keeper.saw(start, stop, tidy_block(comment.group(1)))
        elif body.strip():
            _document(keeper, line)
        else:
            keeper.forget()
        index = last
    return root


def _cut_lines(slots: Mapping[str, Slot], source: Source, first: int, stop: int) -> Iterator[Node]:
    """The slots in some lines, by their numbers from 0."""
    for start in source.line_starts[first:stop]:
        end = source.line_end(start)
        if not _SWITCHED_OFF.match(source.text, start, end):
            yield from _cut(slots, source.text, start, end)


def _overlap(one: Node, other: Node) -> bool:
    return one.start < other.end and other.start < one.end


def _has_line_to_itself(source: Source, node: Node) -> bool:
    text = source.text
    start, end = source.line_start(node.start), source.line_end(node.end)
    return not text[start : node.start].strip() and not text[node.end : end].strip()


def _entry(text: str, name: str, slot: Slot, cut: Cut, start: int, end: int) -> Node:
    """A line with a key and a value."""
    first = start + len(text[start:end]) - len(text[start:end].lstrip())
    node = Node(NodeKind.GROUP, name, first, first + len(text[first:end].rstrip()), None, first, end)
    node.adopt(Node(NodeKind.VALUE, "key", *cut.key, text[slice(*cut.key)], *cut.key))
    if slot.separator:
        holder = node.adopt(Node(NodeKind.LIST, "value", cut.start, cut.end, None, cut.start, cut.end))
        for begin, stop in cut.items:
            holder.adopt(Node(NodeKind.VALUE, "", begin, stop, text[begin:stop], begin, stop))
    else:
        node.adopt(Node(NodeKind.VALUE, "value", cut.start, cut.end, text[cut.start : cut.end], cut.start, cut.end))
    return node


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
            if slot.has_key:
                yield _entry(text, name, slot, cut, start, end)
                continue
            if not slot.separator:
                yield Node(NodeKind.VALUE, name, cut.start, cut.end, text[cut.start : cut.end], cut.start, cut.end)
                continue
            holder = Node(NodeKind.LIST, name, cut.start, cut.end, None, cut.start, cut.end)
            for first, last in cut.items:
                holder.adopt(Node(NodeKind.VALUE, "", first, last, text[first:last], first, last))
            yield holder
