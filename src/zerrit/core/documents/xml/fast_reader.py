"""
Read XML that is known to be well-formed, one level at a time.

Reading is on two facts. First, expat tells in C, at a small part of the cost of making nodes, whether a text
is well-formed at all; only when it is not, a reader that can recover has to look (`faulty.py`). Second, in
well-formed text the end of an element is found by searching for its closing tag, without looking at what is
between, unless a namesake, a comment or a CDATA section does. So the children of the root are found by a few
searches each, and their inside is read when someone asks.

Both readers make the same tree of the same text; a property test holds them to it.
"""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import takewhile
from typing import Final
from xml.parsers import expat  # only tells whether a text without a DTD is well-formed; it expands nothing

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Source, Splice
from zerrit.core.documents.xml.text import SPACE, attribute, settle, unescape

#: Deeper texts are left to the reader that makes all nodes at once; one level at a time they would take too long.
SOUND_DEPTH: Final = 40

_START_TAG: Final = re.compile(r"""<([^ \t\r\n/>]+)([^>"']*+(?:"[^"]*+"[^>"']*+|'[^']*+'[^>"']*+)*+)>""")
_ATTRIBUTE: Final = re.compile(r"""([^ \t\r\n=]+)[ \t\r\n]*=[ \t\r\n]*(?:"([^"]*)"|'([^']*)')""")
_BESIDE: Final = re.compile(r"[ \t,]*<!--(.*?)-->", re.DOTALL)
_SKIPPED: Final = r"<!--.*?-->|<!\[CDATA\[.*?\]\]>|<\?.*?\?>"
_ANY_TAG: Final = re.compile(
    rf"""{_SKIPPED}|<(/?)[^>"']*+(?:"[^"]*+"[^>"']*+|'[^']*+'[^>"']*+)*+(?<!/)()>|<[^>"']*+(?:"[^"]*+"[^>"']*+|'[^']*+'[^>"']*+)*+>""",
    re.DOTALL,
)


def is_well_formed(text: str) -> bool:
    """True for XML without a DTD in which no rule of well-formedness is broken."""
    if "<!DOCTYPE" in text or "\0" in text:  # expat would take NUL characters for UTF-16
        return False
    parser = expat.ParserCreate("utf-8")
    try:
        parser.Parse(text.encode(), True)
    except (expat.ExpatError, UnicodeEncodeError):
        return False
    return True


def read_sound(source: Source) -> Node | None:
    """The root element of a well-formed text, its children found and their inside unread; None for a deep text."""
    levels = _Levels(source)
    root = levels.root()
    for child in root.children:
        if child.inside is not None and levels.is_deep(child):
            return None
    return root


def read_sound_again(old: Node, source: Source, pieces: Sequence[Splice]) -> Node | None:
    """The root of a text that a few splices made out of a sound one, whose root is `old`.

    It is enough to look whether what changed is well-formed on its own, a child of the root or a stretch of them; all
    other children only move. None where that is not so; then the whole text has to be read.
    """
    attributes = list(takewhile(lambda child: child.name.startswith("@"), old.children))
    children = old.children[len(attributes) :]
    stretches = _stretches(old, children, pieces)
    if stretches is None:
        return None
    levels = _Levels(source)
    shift = sum(len(piece.text) - (piece.end - piece.start) for piece in pieces)
    root = levels.moved(old, None, 0)
    root.end += shift
    root.value_end += shift
    runs: list[_Run] = [_Run(attributes, 0)]
    at = by = 0
    for stretch in stretches:
        runs.append(_Run(children[at : stretch.first], by))
        end = by + stretch.growth
        found = (
            levels.changed(children[stretch.first], root, by, end)
            if stretch.is_inside
            else levels.stretch(old, children, stretch, root, by, end)
        )
        if found is None or any(levels.is_deep(child) for child in found):
            return None
        runs.append(_Run(found, None))
        at, by = stretch.last + 1, end
    runs.append(_Run(children[at:], by))
    root.inside = _Again(levels, runs)
    return root


@dataclass(frozen=True, slots=True)
class _Run:
    """Nodes that moved `by` so many characters; or, where it is None, nodes of the new text."""

    nodes: Sequence[Node]
    by: int | None


@dataclass(frozen=True, slots=True)
class _Again:
    """The children of a root that was read again, put together when someone asks: who only writes the text does not."""

    levels: _Levels
    runs: Sequence[_Run]

    def children_of(self, node: Node) -> list[Node]:
        made: list[Node] = []
        for run in self.runs:
            made += run.nodes if run.by is None else self.levels.all_moved(run.nodes, node, run.by)
        return made

    def field_of(self, node: Node, name: str) -> str | None:
        child = node.child(name)
        return child.value if child is not None and child.is_value else None

    def fields_of(self, nodes: Sequence[Node], name: str) -> list[str | None]:
        return [self.field_of(node, name) for node in nodes]


@dataclass(slots=True)
class _Stretch:
    """Children that changed, by their first and last number; `is_inside`: a single one, and only between its ends."""

    first: int
    last: int
    growth: int  #: by how many characters it became longer
    is_inside: bool


def _stretches(old: Node, children: Sequence[Node], pieces: Sequence[Splice]) -> list[_Stretch] | None:
    """Which children the splices touch; None where they reach beyond the content of the root."""
    if not children or old.value is not None or old.value_start < 0:
        return None
    starts = [child.start for child in children]
    ends = [child.end for child in children]
    found: list[_Stretch] = []
    for piece in pieces:
        if piece.start <= starts[0] or piece.end > old.value_end:
            return None  # before the first child a comment may belong to the root
        growth = len(piece.text) - (piece.end - piece.start)
        index = bisect_right(starts, piece.start) - 1
        if index >= 0 and starts[index] < piece.start and piece.end < ends[index]:
            stretch = _Stretch(index, index, growth, is_inside=True)
        else:
            # One child more on either side: the comments between may belong to them.
            first = max(bisect_left(ends, piece.start) - 1, 0)
            last = min(bisect_right(starts, piece.end), len(children) - 1)
            stretch = _Stretch(first, max(first, last), growth, is_inside=False)
        if any(child.is_quoted for child in children[stretch.first : stretch.last + 1]):
            return None
        while found and stretch.first <= found[-1].last:
            last_one = found.pop()
            is_inside = stretch.is_inside and last_one.is_inside
            stretch = _Stretch(
                min(last_one.first, stretch.first),
                max(last_one.last, stretch.last),
                last_one.growth + stretch.growth,
                is_inside,
            )
        found.append(stretch)
    return found


@lru_cache(maxsize=256)
def _namesakes(name: str) -> re.Pattern[str]:
    return re.compile(
        rf"""{_SKIPPED}|<(/?){re.escape(name)}(?=[ \t\r\n/>])[^>"']*+(?:"[^"]*+"[^>"']*+|'[^']*+'[^>"']*+)*+>""",
        re.DOTALL,
    )


_NEVER: Final = re.compile(r"(?!)")


@lru_cache(maxsize=256)
def _siblings_like(name: str) -> tuple[re.Pattern[str], re.Pattern[str]]:
    """The start of an element of that name whose content begins with an element; and what its end must not be behind."""
    tag = rf"""<{re.escape(name)}(?=[ \t\r\n>])[^>"'/]*+(?:"[^"]*+"[^>"'/]*+|'[^']*+'[^>"'/]*+)*+>"""
    return re.compile(rf"{tag}(?=[ \t\r\n]*<[^/!?])"), re.compile(rf"<!|<\?|<{re.escape(name)}[ \t\r\n/>]")


FLAT_LEVELS: Final = 6
_NO_TAG: Final = re.compile(r"<!--.*?-->|<!\[CDATA\[.*?\]\]>|<\?.*?\?>", re.DOTALL)
#: An element with nothing but text in it. What it is in is well-formed, so the end tag is its own.
_INNERMOST: Final = re.compile(
    r"""<[^/!?<>"'][^<>"']*+(?:"[^"]*+"[^<>"']*+|'[^']*+'[^<>"']*+)*+(?:(?<=/)>|>[^<]*+</[^<>]*+>)"""
)


@lru_cache(maxsize=256)
def _first_attribute(element: str, field: str) -> re.Pattern[str]:
    """An element whose first attribute is `field`, with a value that needs no unescaping."""
    if not field.startswith("@"):
        return _NEVER
    return re.compile(rf"""<{re.escape(element)}[ \t\r\n]+{re.escape(field[1:])}="([^"&\t\r\n]*)\"""")


class _Levels:
    """Reads the levels of one well-formed text; the `Inside` of its nodes."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.text = source.text

    def root(self) -> Node:
        keeper = CommentKeeper(self.source)
        at = self.text.find("<")
        while self.text[at + 1] in "!?":
            at = self.text.find("<", self._skip(at, keeper))
        return self._element(at, None, keeper)[0]

    def is_deep(self, node: Node) -> bool:
        """It may hold levels beyond `SOUND_DEPTH`."""
        if self.text.count("</", node.start, node.end) <= SOUND_DEPTH or self._is_flat(node):
            return False
        depth = 0
        for tag in _ANY_TAG.finditer(self.text, node.start, node.end):
            if tag.group(1) is not None:
                depth += -1 if tag.group(1) else 1
                if depth > SOUND_DEPTH:
                    return True
        return False

    def _is_flat(self, node: Node) -> bool:
        """It has few levels: taking out the elements without elements in them a few times leaves nothing of it.

        That is quick where most are of that kind; what is deep is walked through tag by tag.
        """
        left = self.text[node.start : node.end]
        if "<!" in left or "<?" in left:
            left = _NO_TAG.sub("", left)
        for _ in range(FLAT_LEVELS):
            left, number = _INNERMOST.subn("", left)
            if not number or not left:
                break
        return not left

    def moved(self, node: Node, parent: Node | None, by: int) -> Node:
        """The same node `by` characters further on in this text, its inside unread."""
        twin = Node(
            node.kind,
            node.name,
            node.start + by,
            node.end + by,
            node.value,
            node.value_start + by if node.value_start >= 0 else -1,
            node.value_end + by if node.value_start >= 0 else -1,
            node.is_quoted,
            parent,
            self if node.has_children else None,
        )
        twin.comment = node.comment
        twin.lead_start = node.lead_start + by
        return twin

    def all_moved(self, nodes: Sequence[Node], parent: Node, by: int) -> list[Node]:
        """`moved` of many, in one go: a long file has thousands that only move."""
        made: list[Node] = []
        for node in nodes:
            start, value_start, value_end = node.start + by, node.value_start, node.value_end
            if value_start >= 0:
                value_start, value_end = value_start + by, value_end + by
            inside = self if node.has_children else None
            twin = Node(
                node.kind,
                node.name,
                start,
                node.end + by,
                node.value,
                value_start,
                value_end,
                node.is_quoted,
                parent,
                inside,
            )
            if node.comment or node.lead_start != node.start:
                twin.comment = node.comment
                twin.lead_start = node.lead_start + by
            made.append(twin)
        return made

    def changed(self, old: Node, parent: Node, by: int, end_by: int) -> list[Node] | None:
        """The element that is where `old` stood, changed only between its ends; None if it is not a single one."""
        start, stop = old.start + by, old.end + end_by
        inner = self.text[start:stop]
        if inner[1] in "!?" or not is_well_formed(inner):
            return None
        node, end = self._element(start, parent, CommentKeeper(self.source))
        if end != stop:
            return None
        node.lead_start = old.lead_start + by
        if old.lead_start < old.start:
            node.comment = old.comment
        else:
            self._look_beside(node)
        return [node]

    def _look_beside(self, node: Node) -> None:
        beside = None if node.comment else _BESIDE.match(self.text, node.end)
        if beside:
            node.comment = tidy_block(beside.group(1))

    def stretch(
        self, old: Node, children: Sequence[Node], stretch: _Stretch, parent: Node, by: int, end_by: int
    ) -> list[Node] | None:
        """The elements that are where a stretch of children stood; None if that is more than elements and comments."""
        start = (children[stretch.first - 1].end if stretch.first else old.value_start) + by
        is_last = stretch.last + 1 == len(children)
        stop = (old.value_end if is_last else children[stretch.last].end) + end_by
        text = self.text
        if not is_well_formed(f"<a>{text[start:stop]}</a>"):
            return None
        keeper = CommentKeeper(self.source)
        if stretch.first:
            keeper.ended(self.moved(children[stretch.first - 1], parent, by), start)
        found: list[Node] = []
        end = start
        at = text.find("<", start, stop)
        while at >= 0:
            if text[end:at].strip(SPACE) or text.startswith("<![", at):
                return None
            if text[at + 1] in "!?":
                end = self._skip(at, keeper)
            else:
                child, end = self._element(at, parent, keeper)
                found.append(child)
            at = text.find("<", end, stop)
        if text[end:stop].strip(SPACE):
            return None
        if found and not is_last:
            self._look_beside(found[-1])
        return found

    # --- Inside ---------------------------------------------------------------------------------------------------

    def children_of(self, node: Node) -> list[Node]:
        text = self.text
        tag_end = node.value_start if node.value_start >= 0 else node.end
        children = [
            attribute(node, name, match.start(), match.end(), text, *match.span(2 if double is not None else 3))
            for match in self._attributes(node)
            for name, double in (match.group(1, 2),)
        ]
        if node.value_start < 0:
            return children
        keeper = CommentKeeper(self.source)
        keeper.ended(node, tag_end)
        stop = node.value_end
        name, like, inner, closing = "", _NEVER, _NEVER, ""
        at = text.find("<", tag_end, stop)
        while at >= 0:
            # Most siblings are called alike and hold elements; these are read here, without a call for each.
            match = like.match(text, at)
            end = text.find(closing, match.end()) if match is not None else -1
            if match is not None and end >= 0 and inner.search(text, match.end(), end) is None:
                child = Node(NodeKind.GROUP, name, at, end + len(closing), None, match.end(), end, False, node, self)
                keeper.document(child)
                end = child.end
                keeper.ended(child, end)
                children.append(child)
            elif text[at + 1] in "!?":
                end = self._skip(at, keeper)
            else:
                child, end = self._element(at, node, keeper)
                children.append(child)
                if child.name != name:
                    name, closing = child.name, f"</{child.name}>"
                    like, inner = _siblings_like(name)
            at = text.find("<", end, stop)
        return children

    def field_of(self, node: Node, name: str) -> str | None:
        # Mostly asked for the key of an entry, which mostly is first.
        first = _first_attribute(node.name, name).match(self.text, node.start)
        if first is not None:
            return first.group(1)
        if not name.startswith("@"):
            child = node.child(name)
            return child.value if child is not None and child.is_value else None
        for match in self._attributes(node):
            if match.group(1) == name[1:]:
                return unescape(match.group(2) if match.group(2) is not None else match.group(3))
        return None

    def fields_of(self, nodes: Sequence[Node], name: str) -> list[str | None]:
        text, match = self.text, _first_attribute(nodes[0].name, name).match
        return [
            first[1] if (first := match(text, node.start)) is not None else self.field_of(node, name) for node in nodes
        ]

    def _attributes(self, node: Node) -> list[re.Match[str]]:
        tag_end = node.value_start if node.value_start >= 0 else node.end
        return list(_ATTRIBUTE.finditer(self.text, node.start + len(node.name) + 1, tag_end))

    # --- one level --------------------------------------------------------------------------------------------------

    def _skip(self, at: int, keeper: CommentKeeper) -> int:
        """The end of the comment, CDATA section or instruction at `at`."""
        text = self.text
        if text.startswith("<!--", at):
            end = text.index("-->", at + 4) + 3
            keeper.saw(at, end, tidy_block(text[at + 4 : end - 3]))
            return end
        if text[at + 1] == "!":
            return text.index("]]>", at) + 3
        return text.index("?>", at) + 2

    def _element(self, at: int, parent: Node | None, keeper: CommentKeeper) -> tuple[Node, int]:
        text = self.text
        match = _START_TAG.match(text, at)
        if match is None:
            raise AssertionError(f"no start tag at {at} in well-formed XML")
        name, inner = match.groups()
        tag_end = match.end()
        node = Node(NodeKind.GROUP, name, at, tag_end, parent=parent)
        keeper.document(node)
        has_attributes = "=" in inner
        if has_attributes:
            node.inside = self
        if inner.endswith("/"):
            if not has_attributes and parent is not None:
                node.kind = NodeKind.VALUE
                node.value = ""
            keeper.ended(node, tag_end)
            return node, tag_end
        node.value_start = tag_end
        angle = text.find("<", tag_end)
        sign = text[angle + 1]
        if sign == "/":
            node.value_end = angle
            settle(node, unescape(text[tag_end:angle]), has_elements=False)
        elif sign in "!?":
            node.value_end = self._end_of(name, tag_end)
            self._settle_mixed(node, angle, keeper)
        else:
            node.inside = self
            node.value_end = self._end_of(name, tag_end)
        end = node.end = text.index(">", node.value_end) + 1
        keeper.ended(node, end)
        return node, end

    def _settle_mixed(self, node: Node, at: int, keeper: CommentKeeper) -> None:
        """The content begins with a comment, CDATA section or instruction: is there an element behind it?"""
        text = self.text
        beside = text[node.value_start : at]
        if text.startswith("<!--", at) and not beside.strip(" \t,") and not node.comment:
            node.comment = tidy_block(text[at + 4 : text.index("-->", at + 4)])
        parts: list[str] = []
        here = node.value_start
        spare = CommentKeeper(self.source)
        while at < node.value_end:
            parts.append(unescape(text[here:at]))
            if text[at + 1] not in "!?":
                node.inside = self
                return
            here = self._skip(at, spare)
            if text.startswith("<![CDATA[", at):
                parts.append(text[at + 9 : here - 3])
            at = text.find("<", here)
        parts.append(unescape(text[here : node.value_end]))
        settle(node, "".join(parts), has_elements=False)

    def _end_of(self, name: str, at: int) -> int:
        """Where the closing tag begins of the element `name` whose content begins at `at`."""
        text = self.text
        closing = f"</{name}"
        end = text.find(closing, at)
        if (
            text[end + len(closing)] in ">" + SPACE
            and text.find(f"<{name}", at, end) < 0
            and text.find("<!", at, end) < 0
            and text.find("<?", at, end) < 0
        ):
            return end
        depth = 1
        for match in _namesakes(name).finditer(text, at):
            if match.group(1) == "/":
                depth -= 1
                if depth == 0:
                    return match.start()
            elif match.group(1) is not None and not match.group().endswith("/>"):
                depth += 1
        raise AssertionError(f"<{name}> at {at} has no end in well-formed XML")
