"""
Read XML text that is not well-formed (or nests deeply), and go on after every mistake.

The reader takes a whole well-formed start tag with one regular expression and only looks closer, attribute by
attribute, where that fails. Rules are those of XML 1.0 (Fifth Edition) for documents without a DTD; a DTD is
refused, since it can name other files or expand without bound.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from itertools import islice
from typing import Final

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Source, Splice
from zerrit.core.documents.xml_text import (
    FORBIDDEN,
    MAX_DEPTH,
    NAME,
    SPACE,
    attribute,
    reference_at,
    settle,
    unescape,
)
from zerrit.core.nearest import nearest

_START_TAG: Final = re.compile(rf"<({NAME})((?:\s+{NAME}\s*=\s*(?:\"[^\"<]*\"|'[^'<]*'))*)\s*(/?)>")
_ATTRIBUTE: Final = re.compile(rf"({NAME})\s*=\s*(?:\"([^\"<]*)\"|'([^'<]*)')")
_END_TAG: Final = re.compile(rf"</({NAME})\s*>")
_NAME_ONLY: Final = re.compile(NAME)
_LOOSE_END_TAG: Final = re.compile(rf"</\s*({NAME})?[^<>\n]*>?")
_DECLARATION: Final = re.compile(
    r"""<\?xml\s+version\s*=\s*(?:"1\.\d+"|'1\.\d+')"""
    r"""(?:\s+encoding\s*=\s*(?:"[A-Za-z][A-Za-z0-9._-]*"|'[A-Za-z][A-Za-z0-9._-]*'))?"""
    r"""(?:\s+standalone\s*=\s*(?:"(?:yes|no)"|'(?:yes|no)'))?\s*\?>"""
)
SMART_QUOTES: Final = "\u201c\u201d\u201e\u201f\u2018\u2019\u201a\u2033\u2032\u00ab\u00bb"
MOST_CHARACTERS: Final = 20  # forbidden characters listed of one file; a binary file has thousands
_VALUE_END: Final = re.compile(r"\s*/?>|\s*[\r\n]|<|\Z")
_NEXT_ATTRIBUTE: Final = re.compile(rf"\s+{NAME}\s*=\s*[\"']")


def read_faulty(source: Source, report: Report) -> Node:
    """Read the text; the root node is the outermost element, or an empty group where there is none."""
    return _XmlReader(source, report).read()


@dataclass(slots=True)
class _Open:
    """An element whose closing tag has not come yet."""

    node: Node
    has_elements: bool = False
    text_parts: list[str] = field(default_factory=list)


class _XmlReader:
    def __init__(self, source: Source, report: Report) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.comments = CommentKeeper(source)
        self.stack: list[_Open] = []
        self.root: Node | None = None
        self.too_deep = False

    def read(self) -> Node:
        text = self.text
        for match in islice(FORBIDDEN.finditer(text), MOST_CHARACTERS):
            self.report.add(
                "xml.character",
                match.start(),
                f"A control character (code {ord(match.group())}) stands here; XML allows none but tab and line end.",
                hint="Remove it.",
                mend=Splice(match.start(), match.end(), ""),
            )
        at = 0
        while at < len(text):
            angle = text.find("<", at)
            if angle < 0:
                angle = len(text)
            if angle > at:
                self._characters(at, angle)
            if angle == len(text):
                break
            at = self._markup(angle)
        self._close_rest(len(text))
        if self.root is None:
            self.report.add(
                "xml.no-root",
                0,
                "The file holds no element; an XML file needs one outermost element such as <finds> … </finds>.",
            )
            return Node(NodeKind.GROUP, "", 0, len(text))
        return self.root

    # --- what may stand at a `<` -------------------------------------------------------------------------------

    def _markup(self, at: int) -> int:
        text = self.text
        match = _START_TAG.match(text, at)
        if match:
            return self._start_tag(match)
        end_match = _END_TAG.match(text, at)
        if end_match:
            self._end_tag(end_match.group(1), at, end_match.end())
            return end_match.end()
        if text.startswith("<!--", at):
            return self._comment(at)
        if text.startswith("<![CDATA[", at):
            return self._cdata(at)
        if text.startswith("<?", at):
            return self._instruction(at)
        if text.startswith("<!", at):
            return self._declaration(at)
        if text.startswith("</", at):
            return self._loose_end_tag(at)
        name = _NAME_ONLY.match(text, at + 1)
        if name:
            return self._loose_start_tag(at, name)
        self.report.add(
            "xml.bad-tag",
            at,
            "This `<` begins no tag: no name follows it. A `<` that is meant as text is written `&lt;`.",
        )
        return at + 1

    def _start_tag(self, match: re.Match[str]) -> int:
        name, attributes, slash = match.groups()
        node = Node(NodeKind.GROUP, name, match.start(), match.end())
        if attributes:
            base = match.start(2)
            seen: set[str] = set()
            for found in _ATTRIBUTE.finditer(self.text, base, match.end(2)):
                self._attribute(node, found, seen)
        self._open(node, self_closing=bool(slash), tag_end=match.end())
        return match.end()

    def _attribute(self, node: Node, found: re.Match[str], seen: set[str]) -> None:
        name = found.group(1)
        which = 2 if found.group(2) is not None else 3
        self._add_attribute(node, name, found.start(), found.end(), found.start(which), found.end(which), seen)

    def _add_attribute(
        self, node: Node, name: str, start: int, end: int, value_start: int, value_end: int, seen: set[str]
    ) -> None:
        if name in seen:
            self.report.add(
                "xml.attribute-twice",
                start,
                f"`{name}` stands twice in this <{node.name}>; the game cannot know which one holds. Remove one.",
            )
        seen.add(name)
        self._check_ampersands(value_start, value_end)
        node.adopt(attribute(node, name, start, end, self.text, value_start, value_end))

    def _open(self, node: Node, *, self_closing: bool, tag_end: int) -> None:
        self.comments.document(node)
        if not self.stack:
            if self.root is not None:
                self.report.add(
                    "xml.two-roots",
                    node.start,
                    f"<{node.name}> stands after the end of <{self.root.name}>, the outermost element. "
                    f"Was </{self.root.name}> meant to stand further down?",
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

    # --- closing -----------------------------------------------------------------------------------------------

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
        following = _END_TAG.match(self.text, self._after_space(end))
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
            f"</{name}> should close <{top.name}>, opened on line {line}, but bears another name.",
            hint=f"Write </{top.name}>.",
            mend=Splice(at, end, f"</{top.name}>"),
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
            and not "".join(inner.text_parts).strip()
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
            f"<{inner.name}> stands where </{inner.name}> should close the element opened on line {line}.",
            hint=f"Write </{inner.name}>.",
            mend=Splice(inner.start + 1, inner.start + 1, "/"),
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
                    f"</{name}> stands twice; the first one has closed <{name}> already.",
                    hint="Remove one.",
                    mend=Splice(siblings[last].end, end, ""),
                )
                return
        elif self.root is not None and self.root.name == name and self._after_space(self.root.end) == at:
            self.report.add(
                "xml.closing-without-opening",
                at,
                f"</{name}> stands twice; the first one has closed <{name}> already.",
                hint="Remove one.",
                mend=Splice(self.root.end, end, ""),
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
        twin = next((child for child in node.children if child.name == node.name), None)
        if twin is not None:
            # <find> inside <find>: the first was never closed, and what follows are its siblings.
            index = node.children.index(twin)
            moved = node.disown(index)
            mend = max([node.value_start, *(child.end for child in node.children[-1:])])
            message = (
                f"<{node.name}> opened on line {opened} is never closed; "
                f"the next <{node.name}> starts on line {self.source.line_at(twin.start)}."
            )
            parent = node.parent
            if parent is not None:
                for child in moved:
                    parent.adopt(child)
        else:
            mend = max([node.value_start, *(child.end for child in node.children[-1:])])
            message = f"<{node.name}> opened on line {opened} is never closed."
            if at < len(self.text):
                message += f" The closing tag of what surrounds it stands on line {self.source.line_at(at)}."
        self.report.add(
            "xml.not-closed", mend, message, hint=f"Add </{node.name}> here.", mend=self._closing_splice(node, mend)
        )
        node.value_end = mend
        node.end = mend
        settle(node, "".join(open_.text_parts), open_.has_elements)
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

    # --- text, comments and the rest -----------------------------------------------------------------------------

    def _characters(self, start: int, end: int) -> None:
        raw = self.text[start:end]
        if self.stack:
            self.stack[-1].text_parts.append(unescape(raw))
            self._check_ampersands(start, end)
            stray = raw.find("]]>")
            if stray >= 0:
                self.report.add(
                    "xml.cdata-end",
                    start + stray,
                    "`]]>` stands here as text; XML keeps it for the end of a CDATA section.",
                    hint="Write ]]&gt; for it.",
                    mend=Splice(start + stray + 2, start + stray + 3, "&gt;"),
                )
        elif raw.strip(SPACE + "\ufeff"):
            first = start + len(raw) - len(raw.lstrip())
            shown = raw.strip().split("\n")[0][:40]
            where = "after the end of" if self.root is not None else "before"
            self.report.add(
                "xml.text-outside-root",
                first,
                f"`{shown}` stands {where} the outermost element. Remove it, or make it a comment: <!-- … -->.",
            )

    def _check_ampersands(self, start: int, end: int) -> None:
        at = self.text.find("&", start, end)
        while at >= 0:
            if not reference_at(self.text, at):
                self.report.add(
                    "xml.stray-ampersand",
                    at,
                    "A bare `&` stands here; XML takes it for the start of a special character.",
                    hint="Write &amp; for it.",
                    mend=Splice(at, at + 1, "&amp;"),
                )
            at = self.text.find("&", at + 1, end)

    def _comment(self, at: int) -> int:
        end = self.text.find("-->", at + 4)
        if end < 0:
            self.report.add(
                "xml.comment-not-closed",
                at,
                "The comment that begins here is never closed, so the game reads nothing of what follows.",
                hint="Add --> where the comment ends.",
            )
            # Most comments are one line long; going on behind it, nothing else is reported that is not wrong.
            return self.source.line_end(at)
        body = self.text[at + 4 : end]
        double = body.find("--")
        if double >= 0 or body.endswith("-"):
            place = at + 4 + (double if double >= 0 else len(body) - 1)
            inner = body.find("<!--")
            if inner >= 0:
                line = self.source.line_at(at)
                message = (
                    f"A second comment begins inside the one opened on line {line}; that one was not closed before."
                )
                place = at + 4 + inner
            else:
                message = "Two hyphens stand inside a comment; XML allows them only at its end."
            self.report.add("xml.comment-double-hyphen", place, message)
        self.comments.saw(at, end + 3, tidy_block(body))
        return end + 3

    def _cdata(self, at: int) -> int:
        end = self.text.find("]]>", at)
        if end < 0:
            top = self.stack[-1].node.name if self.stack else ""
            stop = self.text.find(f"</{top}", at) if top else -1
            stop = stop if stop >= 0 else self.source.line_end(at)
            self.report.add(
                "xml.cdata-not-closed",
                stop,
                f"The CDATA section that begins on line {self.source.line_at(at)} is never closed.",
                hint="Add ]]> here.",
                mend=Splice(stop, stop, "]]>") if top else None,
            )
            return stop
        if self.stack:
            self.stack[-1].text_parts.append(self.text[at + 9 : end])
        else:
            self.report.add("xml.text-outside-root", at, "A CDATA section stands outside the outermost element.")
        return end + 3

    def _instruction(self, at: int) -> int:
        end = self.text.find("?>", at)
        if end < 0:
            self.report.add(
                "xml.instruction-not-closed",
                at,
                "This processing instruction is never closed.",
                hint="Add ?> at its end.",
            )
            return self.source.after_line(at)
        name = _NAME_ONLY.match(self.text, at + 2)
        if not name:
            self.report.add(
                "xml.instruction-name", at, "`<?` is followed by no name; an instruction is written <?name … ?>."
            )
        elif name.group().lower() != "xml":
            if name.end() < end and self.text[name.end()] not in SPACE:
                self.report.add(
                    "xml.instruction-name", name.end(), f"A space is missing after <?{name.group()}.", hint="Add it."
                )
        elif at > 0 or name.group() != "xml":
            self._misplaced_declaration(at, name.group())
        else:
            self._check_declaration(end + 2)
        return end + 2

    def _misplaced_declaration(self, at: int, name: str) -> None:
        if name != "xml":
            self.report.add(
                "xml.instruction-name",
                at,
                f"<?{name} … ?> bears a name that XML keeps for itself; the declaration is written <?xml … ?>.",
                mend=Splice(at + 2, at + 5, "xml") if at == 0 else None,
            )
            return
        blank = not self.text[:at].strip(SPACE + "\ufeff")
        self.report.add(
            "xml.declaration-place",
            at,
            "The line <?xml … ?> must be the very first thing in the file; something stands before it.",
            hint="Remove what stands before it, blank lines too.",
            mend=Splice(0, at, "") if blank else None,
        )

    def _check_declaration(self, end: int) -> None:
        if not _DECLARATION.fullmatch(self.text, 0, end):
            self.report.add(
                "xml.declaration",
                0,
                'The first line is not written as XML has it: <?xml version="1.0" encoding="UTF-8"?>, with the version '
                "first and plain quotation marks.",
                hint='Write <?xml version="1.0" encoding="UTF-8"?>.',
            )

    def _declaration(self, at: int) -> int:
        if not self.text.startswith("<!DOCTYPE", at):
            self.report.add(
                "xml.bad-tag", at, "`<!` begins neither a comment (<!-- … -->) nor anything else known here."
            )
            return at + 2
        self.report.add(
            "xml.doctype",
            at,
            "A document type definition stands here. Zerrit refuses it: it can pull in other files. Remove it.",
        )
        bracket = self.text.find("[", at)
        end = self.text.find(">", at)
        if 0 <= bracket < end:
            end = self.text.find("]>", bracket)
            end = end + 1 if end >= 0 else len(self.text) - 1
        return end + 1 if end >= 0 else len(self.text)

    # --- tags with a fault in them -------------------------------------------------------------------------------

    def _loose_end_tag(self, at: int) -> int:
        match = _LOOSE_END_TAG.match(self.text, at)
        if match is None or not match.group(1):
            self.report.add("xml.bad-tag", at, "`</` is followed by no name.")
            return at + 2
        if not match.group().endswith(">"):
            self.report.add(
                "xml.tag-not-ended", match.end(), f"</{match.group(1)} has no `>` at its end.", hint="Add `>` here."
            )
            end = match.start(1) + len(match.group(1))
        else:
            self.report.add("xml.bad-tag", at, f"{match.group()} holds more than a name. Write </{match.group(1)}>.")
            end = match.end()
        self._end_tag(match.group(1), at, end)
        return end

    def _loose_start_tag(self, at: int, name: re.Match[str]) -> int:
        text = self.text
        node = Node(NodeKind.GROUP, name.group(), at, at)
        seen: set[str] = set()
        here = name.end()
        while True:
            gap = here
            while here < len(text) and text[here] in SPACE:
                here += 1
            if here >= len(text) or text[here] == "<":
                return self._unended_start_tag(node, gap)
            if text[here] == ">":
                self._open(node, self_closing=False, tag_end=here + 1)
                return here + 1
            if text.startswith("/>", here):
                self._open(node, self_closing=True, tag_end=here + 2)
                return here + 2
            found = _NAME_ONLY.match(text, here)
            if not found and text[here] == "/" and not text[here + 1 : self.source.line_end(here)].strip():
                return self._end_bracket_missing(node, here + 1)
            if not found and text[here] in "\"'" and node.children and gap == here:
                here = self._doubled_quote(node, here)
                continue
            if not found:
                self.report.add("xml.bad-tag", here, f"`{text[here]}` has no place inside the tag <{node.name}>.")
                here += 1
                continue
            if gap == here:
                self.report.add(
                    "xml.attribute-spacing",
                    here,
                    f"A space is missing before `{found.group()}`.",
                    hint="Put a space here.",
                    mend=Splice(here, here, " "),
                )
            here = self._loose_attribute(node, found, seen)

    def _end_bracket_missing(self, node: Node, at: int) -> int:
        self.report.add(
            "xml.tag-not-ended",
            at,
            f"The tag <{node.name} on line {self.source.line_at(node.start)} has no `>` behind its `/`.",
            hint="Add `>` here.",
            mend=Splice(at, at, ">"),
        )
        self._open(node, self_closing=True, tag_end=at)
        return at

    def _doubled_quote(self, node: Node, at: int) -> int:
        self.report.add(
            "xml.quote-extra",
            at,
            f"A second quotation mark stands behind the value of `{node.children[-1].name[1:]}`.",
            hint="Remove it.",
            mend=Splice(at, at + 1, ""),
        )
        return at + 1

    def _unended_start_tag(self, node: Node, at: int) -> int:
        line = self.source.line_at(node.start)
        closes_itself = f"</{node.name}" not in self.text[at : at + 4000]
        mark = "/>" if closes_itself else ">"
        self.report.add(
            "xml.tag-not-ended",
            at,
            f"The tag <{node.name} on line {line} has no `{mark}` at its end.",
            hint=f"Add `{mark}` here.",
            mend=Splice(at, at, mark),
        )
        self._open(node, self_closing=closes_itself, tag_end=at)
        return at

    def _loose_attribute(self, node: Node, found: re.Match[str], seen: set[str]) -> int:
        text = self.text
        name = found.group()
        here = found.end()
        while here < len(text) and text[here] in SPACE:
            here += 1
        if here < len(text) and text[here] in "\"'":
            self.report.add(
                "xml.equals-missing",
                found.end(),
                f"An equals sign is missing between `{name}` and its value.",
                hint="Add `=` here.",
                mend=Splice(found.end(), here, "="),
            )
            return self._loose_quoted(node, name, found.start(), here, seen)
        if here >= len(text) or text[here] != "=":
            if self._is_split_name(node, name):
                return found.end()
            self.report.add(
                "xml.value-missing",
                found.start(),
                f'`{name}` in <{node.name}> has no value; an attribute is written {name}="…".',
            )
            return found.end()
        here = self._after_space(here + 1)
        if text.startswith("=", here):
            self.report.add(
                "xml.equals-extra",
                here,
                f"Two equals signs stand behind `{name}`.",
                hint="Remove one.",
                mend=Splice(here, here + 1, ""),
            )
            here = self._after_space(here + 1)
        if here < len(text) and text[here] in SMART_QUOTES:
            return self._smart_quoted(node, name, found.start(), here, seen)
        if here < len(text) and text[here] in "\"'":
            return self._loose_quoted(node, name, found.start(), here, seen)
        end = here
        while end < len(text) and text[end] not in SPACE + "<>" and not text.startswith("/>", end):
            end += 1
        value = text[here:end].rstrip("\"'")
        if value != text[here:end]:
            self.report.add(
                "xml.quote-missing",
                here,
                f"The value of `{name}` has no opening quotation mark.",
                hint=f"Add `{text[end - 1]}` here.",
                mend=Splice(here, here, text[end - 1]),
            )
        else:
            self.report.add(
                "xml.value-unquoted",
                here,
                f"The value of `{name}` stands without quotation marks.",
                hint=f'Write {name}="{value}".',
                mend=Splice(here, end, f'"{value}"') if value and '"' not in value else None,
            )
        self._add_attribute(node, name, found.start(), end, here, here + len(value), seen)
        return end

    def _is_split_name(self, node: Node, rest: str) -> bool:
        """`<no te>`: a space has come into the name, as the closing tag tells."""
        joined = f"{node.name}{rest}"
        if node.children or f"</{joined}>" not in self.text[node.start : node.start + 2000]:
            return False
        at = node.start + 1 + len(node.name)
        self.report.add(
            "xml.bad-tag",
            at,
            f"A space stands inside the name of the tag <{joined}>.",
            hint="Remove the space.",
            mend=Splice(at, self.text.index(rest, at), ""),
        )
        node.name = joined
        return True

    def _smart_quoted(self, node: Node, name: str, start: int, at: int, seen: set[str]) -> int:
        """A value in typographic quotation marks, as word processors and web pages make them."""
        line_end = self.source.line_end(at)
        closing = next((i for i in range(at + 1, line_end) if self.text[i] in SMART_QUOTES + '"'), -1)
        stop = closing if closing >= 0 else _VALUE_END.search(self.text, at, line_end + 1).start()  # type: ignore[union-attr]
        value = self.text[at + 1 : stop]
        self.report.add(
            "xml.smart-quotes",
            at,
            f"The value of `{name}` stands in typographic quotation marks; XML knows only plain ones.",
            hint=f'Write {name}="{value}".',
            mend=Splice(at, stop + (closing >= 0), f'"{value}"'),
        )
        end = stop + (closing >= 0)
        self._add_attribute(node, name, start, end, at + 1, stop, seen)
        return end

    def _loose_quoted(self, node: Node, name: str, start: int, quote_at: int, seen: set[str]) -> int:
        """A quoted value in a faulty tag: is it the one whose closing quote is missing?"""
        text = self.text
        quote = text[quote_at]
        value_start = quote_at + 1
        end = text.find(quote, value_start)
        angle = text.find("<", value_start)
        if end >= 0 and (angle < 0 or end < angle):
            before = text[value_start:end]
            # `shallow at=` before the quote: that quote opens the next value, ours was never closed.
            swallowed = _NEXT_ATTRIBUTE.search(text, value_start, end + 1)
            if not swallowed and "\n" not in before:
                self._add_attribute(node, name, start, end + 1, value_start, end, seen)
                return end + 1
            value_end = swallowed.start() if swallowed else value_start + len(before.split("\n")[0].rstrip("/> \t\r"))
        else:
            closing = end >= 0 and "\n" not in text[value_start:end] and ">" not in text[angle:end]
            if closing:
                self.report.add(
                    "xml.stray-angle",
                    angle,
                    f"A bare `<` stands in the value of `{name}`.",
                    hint="Write &lt; for it.",
                    mend=Splice(angle, angle + 1, "&lt;"),
                )
                self._add_attribute(node, name, start, end + 1, value_start, end, seen)
                return end + 1
            stop = _VALUE_END.search(text, value_start)
            value_end = stop.start() if stop else len(text)
        self.report.add(
            "xml.quote-missing",
            value_end,
            f"The value of `{name}` has no closing quotation mark.",
            hint=f"Add `{quote}` here.",
            mend=Splice(value_end, value_end, quote),
        )
        self._add_attribute(node, name, start, value_end, value_start, value_end, seen)
        return value_end
