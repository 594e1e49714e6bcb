"""
Open and close the elements of XML that may be wrong: which tag was meant to close what.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Final

from zerrit.core.documents.comments import CommentKeeper
from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Source, Splice
from zerrit.core.documents.xml.text import (
    MAX_DEPTH,
    NAME,
    SPACE,
    settle,
)
from zerrit.core.nearest import nearest

#: Elements of web pages that come along when someone copies a block out of one.
PAGE_TAGS: Final = frozenset(("pre", "code", "p", "br", "div", "span", "blockquote", "li", "b", "i", "em", "strong"))
END_TAG: Final = re.compile(rf"</({NAME})[ \t\r\n]*>")


@dataclass(slots=True)
class _Open:
    """An element whose closing tag has not come yet."""

    node: Node
    has_elements: bool = False
    text_parts: list[str] = field(default_factory=list)


class Elements:
    """The elements that are open, and what a closing tag does to them."""

    def __init__(self, source: Source, report: Report) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.comments = CommentKeeper(source)
        self.stack: list[_Open] = []
        self.root: Node | None = None
        self.too_deep = False
        self._last_of: dict[str, int] = {}  #: from where on a sign is known not to come any more

    def _open(self, node: Node, *, self_closing: bool, tag_end: int) -> None:
        self.comments.document(node)
        if not self.stack:
            if self.root is not None:
                self.report.add(
                    "xml.two-roots",
                    node.start,
                    f"<{node.name}> is after the end of <{self.root.name}>, the outermost element. "
                    f"Was </{self.root.name}> meant to be further down?",
                )
                self.root.adopt(node)
            else:
                self.root = node
        else:
            self.stack[-1].has_elements = True
            self.stack[-1].node.adopt(node)
        if self_closing:
            node.end = tag_end
            if not node.children and self.stack:
                node.kind = NodeKind.VALUE
                node.value = ""
            self.comments.ended(node, node.end)
        elif len(self.stack) >= MAX_DEPTH:
            if not self.too_deep:
                self.report.add("text.too-deep", node.start, f"Elements nest deeper than {MAX_DEPTH} levels here.")
            self.too_deep = True
        else:
            node.value_start = node.end = tag_end
            self.comments.ended(node, node.end)
            self.stack.append(_Open(node))

    def _end_tag(self, name: str, at: int, end: int) -> None:
        if self.stack and self.stack[-1].node.name == name:
            self._close_top(at, end)
            return
        if self.too_deep:
            return
        depth = next((i for i in range(len(self.stack) - 1, -1, -1) if self.stack[i].node.name == name), None)
        if depth is None:
            self._end_without_start(name, at, end)
            return
        if self._is_meant_for_top(name, at, end):
            self._wrong_name(name, at, end)
            return
        if len(self.stack) - 1 > depth and self._is_slash_missing():
            self._slash_missing()
        while len(self.stack) - 1 > depth:
            self._never_closed(at)
        self._close_top(at, end)

    def _is_meant_for_top(self, name: str, at: int, end: int) -> bool:
        """The tag closes a field of one line, and the same tag follows at once for the entry around it."""
        top = self.stack[-1].node
        following = END_TAG.match(self.text, self._after_space(end))
        return (
            self.source.line_at(top.start) == self.source.line_at(at)
            and following is not None
            and following.group(1) == name
        )

    def _after_space(self, at: int) -> int:
        while at < len(self.text) and self.text[at] in SPACE:
            at += 1
        return at

    def _wrong_name(self, name: str, at: int, end: int) -> None:
        top = self.stack[-1].node
        line = self.source.line_at(top.start)
        self.report.add(
            "xml.closing-name",
            at,
            f"</{name}> should close <{top.name}>, opened on line {line}, but has another name.",
            hint=f"Write </{top.name}>.",
            fix=Splice(at, end, f"</{top.name}>"),
        )
        self._close_top(at, end)

    def _is_slash_missing(self) -> bool:
        """`<note>text<note>`: the second was meant to close the first."""
        if len(self.stack) < 2:
            return False
        inner, outer = self.stack[-1], self.stack[-2]
        return (
            inner.node.name == outer.node.name
            and not inner.node.children
            and not "".join(inner.text_parts).strip(SPACE)
            and len(outer.node.children) == 1
        )

    def _slash_missing(self) -> None:
        inner = self.stack.pop().node
        outer = self.stack[-1]
        outer.node.disown(0)
        outer.has_elements = False
        line = self.source.line_at(outer.node.start)
        self.report.add(
            "xml.closing-slash",
            inner.start,
            f"<{inner.name}> is where </{inner.name}> should close the element opened on line {line}.",
            hint=f"Write </{inner.name}>.",
            fix=Splice(inner.start + 1, inner.start + 1, "/"),
        )
        self._close_top(inner.start, inner.end)

    def _end_without_start(self, name: str, at: int, end: int) -> None:
        if self.stack:
            top = self.stack[-1].node
            siblings = [child for child in top.children if not child.name.startswith("@")]
            last = next((i for i in range(len(siblings) - 1, -1, -1) if siblings[i].name == name), -1)
            if last < 0 and nearest(name, [top.name]):
                self._wrong_name(name, at, end)
                return
            orphans = siblings[last + 1 :]
            if last >= 0 and orphans:
                self.report.add(
                    "xml.opening-missing",
                    orphans[0].start,
                    f"</{name}> on line {self.source.line_at(at)} closes nothing: the opening tag <{name} …> seems to be "
                    "missing above this line.",
                    hint=f"Add <{name} …> here.",
                )
                return
            if last >= 0 and self._after_space(siblings[last].end) == at:
                self.report.add(
                    "xml.closing-without-opening",
                    at,
                    f"</{name}> occurs twice; the first one has closed <{name}> already.",
                    hint="Remove one.",
                    fix=Splice(siblings[last].end, end, ""),
                )
                return
        elif self.root is not None and self.root.name == name and self._after_space(self.root.end) == at:
            self.report.add(
                "xml.closing-without-opening",
                at,
                f"</{name}> occurs twice; the first one has closed <{name}> already.",
                hint="Remove one.",
                fix=Splice(self.root.end, end, ""),
            )
            return
        self.report.add(
            "xml.closing-without-opening",
            at,
            f"</{name}> closes nothing: no <{name}> is open here. Remove it, or add the opening tag above.",
        )

    def _never_closed(self, at: int) -> None:
        """The element on top lacks its closing tag; find out where a person would put it."""
        open_ = self.stack.pop()
        node = open_.node
        opened = self.source.line_at(node.start)
        torn = re.compile(rf"[^<]*?(/{re.escape(node.name)}[ \t\r\n]*>)").match(self.text, max(node.value_start, 0))
        if torn is not None:
            self._torn_closing_tag(open_, torn.start(1), torn.end())
            return
        twin = next((child for child in node.children if child.name == node.name), None)
        if twin is not None:
            # <find> inside <find>: the first was never closed, and what follows are its siblings.
            index = node.children.index(twin)
            moved = node.disown(index)
            last = max([node.value_start, *(child.end for child in node.children[-1:])])
            message = (
                f"<{node.name}> opened on line {opened} is never closed; "
                f"the next <{node.name}> starts on line {self.source.line_at(twin.start)}."
            )
            parent = node.parent
            if parent is not None:
                for child in moved:
                    parent.adopt(child)
        elif node.name.lower() in PAGE_TAGS and len(re.findall(rf"<{re.escape(node.name)}\b", self.text)) == 1:
            end = self.source.text.find(">", node.start) + 1
            end = max(end, node.value_start)  # a `>` may stand in an attribute
            self.report.add(
                "xml.not-closed",
                node.start,
                f"<{node.name}> is a tag of a web page, left over from copying, and nothing closes it.",
                hint="Remove it.",
                fix=Splice(node.start, end, ""),
            )
            for child in node.disown(sum(child.name.startswith("@") for child in node.children)):
                if node.parent is not None:
                    node.parent.adopt(child)
            node.value_end = node.end = end
            settle(node, "", False)
            self.comments.forget()
            return
        else:
            last = max([node.value_start, *(child.end for child in node.children[-1:])])
            message = f"<{node.name}> opened on line {opened} is never closed."
            if at < len(self.text):
                message += f" The closing tag of what surrounds it is on line {self.source.line_at(at)}."
        self.report.add(
            "xml.not-closed", last, message, hint=f"Add </{node.name}> here.", fix=self._closing_splice(node, last)
        )
        node.value_end = last
        node.end = last
        settle(node, "".join(open_.text_parts), open_.has_elements)
        self.comments.forget()

    def _torn_closing_tag(self, open_: _Open, at: int, end: int) -> None:
        """`10/want>`: the closing tag is there, without its `<`. What follows it belongs to the parent."""
        node = open_.node
        self.report.add(
            "xml.not-closed",
            at,
            f"<{node.name}> opened on line {self.source.line_at(node.start)} is never closed: "
            f"`{self.text[at:end]}` looks like its closing tag without the `<`.",
            hint="Add `<` here.",
            fix=Splice(at, at, "<"),
        )
        inside = sum(child.name.startswith("@") for child in node.children)
        for child in node.disown(inside):
            if node.parent is not None:
                node.parent.adopt(child)
        node.value_end = at
        node.end = end
        settle(node, self.text[node.value_start : at], False)
        self.comments.forget()

    def _closing_splice(self, node: Node, at: int) -> Splice:
        """The closing tag on a line of its own where the children of the element have theirs."""
        children = [child for child in node.children if not child.name.startswith("@")]
        closing = f"</{node.name}>"
        if children and self.source.line_at(children[-1].end) > self.source.line_at(node.start):
            newline = self.source.newline_near(at)
            return Splice(at, at, newline + self.source.indent_at(node.start) + closing)
        text_end = at + len(self.text[at : self.source.line_end(at)].split("<")[0].rstrip())
        return Splice(text_end, text_end, closing)

    def _close_top(self, at: int, end: int) -> None:
        open_ = self.stack.pop()
        open_.node.value_end = at
        open_.node.end = end
        settle(open_.node, "".join(open_.text_parts), open_.has_elements)
        self.comments.forget()
        self.comments.ended(open_.node, end)

    def _close_rest(self, at: int) -> None:
        if self.too_deep:
            while self.stack:
                self._close_top(at, at)
        while self.stack:
            self._never_closed(at)
