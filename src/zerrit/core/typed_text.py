"""
The steps that say what was typed into a file.

What a person types is text; what Zerrit keeps are steps, which can be reviewed, replayed on other files and taken out
one by one. So the text before and after is compared by meaning, each difference becomes the step that says it, and what
no step says (white space, quotes, a half-typed line) becomes a replacement of text. Replayed on the text before, the
steps give exactly what was typed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from itertools import chain, pairwise
from typing import Final

from zerrit.core.addresses import Segment, keyed_segment, parse_node_address, print_segments
from zerrit.core.compare import Difference, DifferenceKind, compare_documents
from zerrit.core.compare.line_alignment import line_matches
from zerrit.core.documents import Document
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Source
from zerrit.core.documents.structural_edits import Where
from zerrit.core.documents.text_replacement import Replacement
from zerrit.core.errors import ZerritError
from zerrit.core.steps import OutcomeKind, Step, StepKind, replay

MOST_BY_MEANING: Final = 100  # differences that become steps of their own; more is a replacement all over a file
MOST_REPLACEMENTS: Final = 400  # stretches of one text step; beyond it the file is put as it was typed


_MAY_MISLEAD: Final = (DifferenceKind.ADDED, DifferenceKind.REMOVED, DifferenceKind.MOVED)


def steps_of_typing(before: Document, typed: Document) -> tuple[Step, ...]:
    """The steps that turn `before` into exactly the text of `typed`; none where the texts are equal."""
    if before.text == typed.text:
        return ()
    by_meaning, current = _steps_by_meaning(before, typed) if typed.ok else ((), before)
    rest = _text_step(current, typed)
    steps = (*by_meaning, *rest)
    if _result(before, steps) == typed.text:
        return steps
    plain = _text_step(before, typed)
    if _result(before, plain) == typed.text:
        return plain
    return (Step(StepKind.PUT_FILE, before.path, content=typed.text),)


def _result(before: Document, steps: Sequence[Step]) -> str | None:
    """The text that the steps lead to; None where one of them cannot be made or does nothing."""
    made = replay({before.path: before}, steps, lambda data, path: before.other_version(data))
    if any(outcome.kind is not OutcomeKind.DONE for outcome in made.outcomes):
        return None
    return made.documents[before.path].text


def _steps_by_meaning(before: Document, typed: Document) -> tuple[tuple[Step, ...], Document]:
    """A step for each difference that one can say, and the document after them."""
    differences = compare_documents(before, typed)
    if len(differences) > MOST_BY_MEANING:
        return (), before
    steps: list[Step] = []
    current = before
    for difference in differences:
        for candidate in _candidates(current, typed, difference):
            after = _made(current, candidate)
            if after is None or not _is_as_typed(after, typed, difference):
                continue
            if difference.kind not in _MAY_MISLEAD or _is_nearer(after, current, typed):
                steps += candidate
                current = after
                break
    return tuple(steps), current


def _made(document: Document, steps: Sequence[Step]) -> Document | None:
    made = replay({document.path: document}, steps, lambda data, path: document.other_version(data))
    is_done = all(outcome.kind is OutcomeKind.DONE for outcome in made.outcomes)
    return made.documents[document.path] if is_done else None


def _candidates(current: Document, typed: Document, difference: Difference) -> Iterator[list[Step]]:
    """Ways to say a difference as steps, the plainest first."""
    path, _, place = difference.address.partition("#")
    if path != current.path or not place:
        return
    address = difference.address
    match difference.kind:
        case DifferenceKind.CHANGED:
            yield [Step(StepKind.SET, address, operation=f"={difference.new or ''}")]
        case DifferenceKind.REMOVED:
            yield [Step(StepKind.REMOVE, address)]
        case DifferenceKind.RENAMED:
            yield [Step(StepKind.RENAME, _under_old_name(path, place, difference), name=difference.new or "")]
        case DifferenceKind.COMMENT:
            node = _node(typed, place)
            if node is not None:
                yield [Step(StepKind.COMMENT, address, content=_comment_above(typed, node))]
        case DifferenceKind.MOVED:
            node = _node(typed, place)
            if node is not None:
                yield from ([step] for step in _moves(current, typed, node, address))
        case DifferenceKind.ADDED:
            node = _node(typed, place)
            if node is not None:
                yield from _additions(current, typed, node, difference)
        case DifferenceKind.LAYOUT:
            return


def _is_as_typed(after: Document, typed: Document, difference: Difference) -> bool:
    """What the difference is about is now what was typed."""
    place = difference.address.partition("#")[2]
    if difference.kind is DifferenceKind.REMOVED:
        return True
    mine, wanted = _node(after, place), _node(typed, place)
    if mine is None or wanted is None:
        return False
    if difference.kind is DifferenceKind.COMMENT:
        return mine.comment == wanted.comment
    if difference.kind in (DifferenceKind.CHANGED, DifferenceKind.ADDED):
        return mine.value == wanted.value and len(mine.children) == len(wanted.children)
    return True


def _is_nearer(after: Document, before: Document, typed: Document) -> bool:
    """The step leaves less to be typed. Where a line that opens a group goes, what was in it did not go: it only moved up."""
    return after.text == typed.text or _distance(after.text, typed.text) < _distance(before.text, typed.text)


def _distance(text: str, typed: str) -> int:
    """How many characters are in lines that differ."""
    start, end = same_ends(text, typed)
    old, new = _lines(text[start : len(text) - end]), _lines(typed[start : len(typed) - end])
    stretches = _differing(line_matches(old, new), len(old), len(new))
    return sum(
        sum(map(len, old[first:stop])) + sum(map(len, new[new_first:new_stop]))
        for first, stop, new_first, new_stop in stretches
    )


def same_ends(one: str, other: str) -> tuple[int, int]:
    """How many characters, in complete lines, two texts share at their starts and at their ends."""
    most = min(len(one), len(other))
    start = _longest(most, lambda size: one[:size] == other[:size])
    start = one.rfind("\n", 0, start) + 1
    end = _longest(most - start, lambda size: one[len(one) - size :] == other[len(other) - size :])
    line = one.find("\n", len(one) - end)
    return start, len(one) - line - 1 if line >= 0 else 0


def _longest(most: int, is_same: Callable[[int], bool]) -> int:
    low, high = 0, most
    while low < high:
        middle = (low + high + 1) // 2
        low, high = (middle, high) if is_same(middle) else (low, middle - 1)
    return low


def _node(document: Document, place: str) -> Node | None:
    """The one node at an address; None where there is none, or several."""
    try:
        found = document.select(place)
    except ZerritError:
        return None
    return found[0] if len(found) == 1 else None


def _under_old_name(path: str, place: str, difference: Difference) -> str:
    *above, last = parse_node_address(place)
    old = difference.old or ""
    former: Segment = keyed_segment(last.name, old) if last.keys else replace(last, name=old)
    return f"{path}#{print_segments([*above, former])}"


def _comment_above(document: Document, node: Node) -> str:
    """The lines of the comment above a node, without the indent of the node."""
    start = document.source.line_start(node.start)
    indent = document.source.indent_at(node.start)
    lines = document.text[min(node.lead_start, start) : start].splitlines()
    return "\n".join(line.removeprefix(indent) if n else line.strip() for n, line in enumerate(lines))


def _moves(current: Document, typed: Document, node: Node, address: str) -> Iterator[Step]:
    """The node behind its neighbour of now, or before the next one."""
    if node.parent is None:
        return
    siblings = node.parent.children
    index = next(number for number, sibling in enumerate(siblings) if sibling is node)
    if index > 0:
        yield from _beside(current, typed, siblings[index - 1], Where.AFTER, address)
    if index + 1 < len(siblings):
        yield from _beside(current, typed, siblings[index + 1], Where.BEFORE, address)


def _beside(current: Document, typed: Document, neighbour: Node, where: Where, address: str) -> Iterator[Step]:
    target = typed.keys.address_of(neighbour)
    if not neighbour.name.startswith("@") and _node(current, target) is not None:
        yield Step(StepKind.MOVE, address, where=where.value, target=target)


def _additions(current: Document, typed: Document, node: Node, difference: Difference) -> Iterator[list[Step]]:
    """The new field or entry, where the step puts it or moved to where it was typed."""
    ways = [[step] for step in _plain_additions(typed, node, difference)]
    moves = list(_moves(current, typed, node, difference.address))
    for way in ways:
        after = _made(current, way)
        if after is not None and after.text == typed.text:
            yield way
    for way, move in ((way, move) for way in ways for move in moves):
        yield [*way, move]
    yield from ways


def _plain_additions(typed: Document, node: Node, difference: Difference) -> Iterator[Step]:
    parent = node.parent
    if parent is None:
        return
    above = typed.keys.address_of(parent)
    address = f"{typed.path}#{above}" if above else typed.path
    if node.is_value and not node.children:
        yield Step(StepKind.ADD, address, name=node.name, value=node.value or "")
        return
    fields = {child.name: child.value or "" for child in node.children}
    is_flat = all(child.is_value and not child.children and child.name for child in node.children)
    if is_flat and len(fields) == len(node.children) and not node.comment and not (node.value or "").strip():
        yield Step(StepKind.ADD, address, name=node.name, fields=fields)
    yield Step(StepKind.MERGE, typed.path, snippet=difference.new or "", into=above)


def _text_step(current: Document, typed: Document) -> tuple[Step, ...]:
    """A step that replaces what differs in the text; none where nothing does."""
    if current.text == typed.text:
        return ()
    old, new = _lines(current.text), _lines(typed.text)
    start, end = same_ends(current.text, typed.text)
    head, tail = len(_lines(current.text[:start])), len(_lines(current.text[len(current.text) - end :]))
    inner = (old[head : len(old) - tail], new[head : len(new) - tail])
    stretches = [
        (first + head, stop + head, new_first + head, new_stop + head)
        for first, stop, new_first, new_stop in _differing(line_matches(*inner), len(inner[0]), len(inner[1]))
    ]
    if len(stretches) > MOST_REPLACEMENTS:
        return (Step(StepKind.PUT_FILE, current.path, content=typed.text),)
    return (Step(StepKind.TEXT, current.path, replacements=_replacements(current.text, old, new, stretches)),)


def _lines(text: str) -> list[str]:
    """The lines with their endings; CR, LF and CRLF each end one."""
    return [text[start:end] for start, end in pairwise([*Source(text).line_starts, len(text)]) if start < end]


def _differing(
    matches: Sequence[tuple[int, int, int]], old_count: int, new_count: int
) -> Iterator[tuple[int, int, int, int]]:
    """The stretches between the matches: first and stop in old, first and stop in new."""
    i = j = 0
    for old_first, new_first, size in chain(matches, [(old_count, new_count, 0)]):
        if i < old_first or j < new_first:
            yield i, old_first, j, new_first
        i, j = old_first + size, new_first + size


def _replacements(
    text: str, old: list[str], new: Sequence[str], stretches: Sequence[tuple[int, int, int, int]]
) -> tuple[Replacement, ...]:
    """Each stretch with as many lines around it as make it the only one of its kind."""
    lines = list(old)
    found: list[Replacement] = []
    grown = 0  # lines that the replacements before have added
    for first, stop, new_first, new_stop in stretches:
        start, end = first + grown, stop + grown
        above, below = _lines_around(text, lines, start, end)
        head, tail = "".join(lines[start - above : start]), "".join(lines[end : end + below])
        before = head + "".join(lines[start:end]) + tail
        after = head + "".join(new[new_first:new_stop]) + tail
        found.append((before, after))
        text = text.replace(before, after, 1) if before else after
        lines[start:end] = new[new_first:new_stop]
        grown += (new_stop - new_first) - (stop - first)
    return tuple(found)


def _lines_around(text: str, lines: Sequence[str], start: int, end: int) -> tuple[int, int]:
    """How many lines before and after a stretch make it unique in the text."""
    size = 1
    while True:
        above, below = min(size, start), min(size, len(lines) - end)
        stretch = "".join(lines[start - above : end + below])
        if (above == start and below == len(lines) - end) or text.count(stretch) == 1:
            return above, below
        size *= 2
