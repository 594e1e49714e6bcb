"""
Read XML text that is not well-formed (or nests deeply), and go on after every mistake.

The reader takes a whole well-formed start tag with one regular expression and only looks closer, attribute by
attribute, where that fails. Rules are those of XML 1.0 (Fifth Edition) for documents without a DTD; a DTD is
refused, since it can name other files or expand without bound.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.comments import tidy_block
from zerrit.core.documents.findings import Report, report_characters
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Source, Splice
from zerrit.core.documents.xml.elements import END_TAG
from zerrit.core.documents.xml.tags import NAME_ONLY, LooseTags
from zerrit.core.documents.xml.text import (
    FORBIDDEN,
    NAME,
    SPACE,
    unescape,
)

_START_TAG: Final = re.compile(
    rf"<({NAME})((?:[ \t\r\n]+{NAME}[ \t\r\n]*=[ \t\r\n]*(?:\"[^\"<]*\"|'[^'<]*'))*)[ \t\r\n]*(/?)>"
)
_ATTRIBUTE: Final = re.compile(rf"({NAME})[ \t\r\n]*=[ \t\r\n]*(?:\"([^\"<]*)\"|'([^'<]*)')")
_DECLARATION: Final = re.compile(
    r"""<\?xml[ \t\r\n]+version[ \t\r\n]*=[ \t\r\n]*(?:"1\.\d+"|'1\.\d+')"""
    r"""(?:[ \t\r\n]+encoding[ \t\r\n]*=[ \t\r\n]*(?:"[A-Za-z][A-Za-z0-9._-]*"|'[A-Za-z][A-Za-z0-9._-]*'))?"""
    r"""(?:[ \t\r\n]+standalone[ \t\r\n]*=[ \t\r\n]*(?:"(?:yes|no)"|'(?:yes|no)'))?[ \t\r\n]*\?>"""
)


def read_faulty(source: Source, report: Report) -> Node:
    """Read the text; the root node is the outermost element, or an empty group where there is none."""
    return _XmlReader(source, report).read()


class _XmlReader(LooseTags):
    """Goes through the text from one `<` to the next."""

    def read(self) -> Node:
        text = self.text
        report_characters(self.report, "xml.character", FORBIDDEN, "XML")
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
                "The file holds no element; an XML file needs one outermost element such as <list> … </list>.",
            )
            return Node(NodeKind.GROUP, "", 0, len(text))
        return self.root

    # --- what may be at a `<` -------------------------------------------------------------------------------

    def _markup(self, at: int) -> int:
        text = self.text
        match = _START_TAG.match(text, at)
        if match:
            return self._start_tag(match)
        end_match = END_TAG.match(text, at)
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
        name = NAME_ONLY.match(text, at + 1)
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
                    "`]]>` is here as text; XML keeps it for the end of a CDATA section.",
                    hint="Write ]]&gt; for it.",
                    fix=Splice(start + stray + 2, start + stray + 3, "&gt;"),
                )
        elif raw.strip(SPACE + "\ufeff"):
            first = start + len(raw) - len(raw.lstrip(SPACE))
            shown = raw.strip(SPACE).split("\n")[0][:40]
            where = "after the end of" if self.root is not None else "before"
            self.report.add(
                "xml.text-outside-root",
                first,
                f"`{shown}` is {where} the outermost element. Remove it, or make it a comment: <!-- … -->.",
            )

    def _next(self, sign: str, at: int) -> int:
        """Where a sign is next, or -1. That there is none is looked for once, not again at each thing left open."""
        if at >= self._last_of.get(sign, len(self.text)):
            return -1
        found = self.text.find(sign, at)
        if found < 0:
            self._last_of[sign] = at
        return found

    def _comment(self, at: int) -> int:
        end = self._next("-->", at + 4)
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
                message = "Two hyphens are inside a comment; XML allows them only at its end."
            self.report.add("xml.comment-double-hyphen", place, message)
        self.comments.saw(at, end + 3, tidy_block(body))
        return end + 3

    def _cdata(self, at: int) -> int:
        end = self._next("]]>", at)
        if end < 0:
            top = self.stack[-1].node.name if self.stack else ""
            stop = self._next(f"</{top}", at) if top else -1
            stop = stop if stop >= 0 else self.source.line_end(at)
            self.report.add(
                "xml.cdata-not-closed",
                stop,
                f"The CDATA section that begins on line {self.source.line_at(at)} is never closed.",
                hint="Add ]]> here.",
                fix=Splice(stop, stop, "]]>") if top else None,
            )
            return stop
        if self.stack:
            self.stack[-1].text_parts.append(self.text[at + 9 : end])
        else:
            self.report.add("xml.text-outside-root", at, "A CDATA section is outside the outermost element.")
        return end + 3

    def _instruction(self, at: int) -> int:
        end = self._next("?>", at)
        if end < 0:
            self.report.add(
                "xml.instruction-not-closed",
                at,
                "This processing instruction is never closed.",
                hint="Add ?> at its end.",
            )
            return self.source.after_line(at)
        name = NAME_ONLY.match(self.text, at + 2)
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
                f"<?{name} … ?> has a name that XML reserves for itself; the declaration is written <?xml … ?>.",
                fix=Splice(at + 2, at + 5, "xml") if at == 0 else None,
            )
            return
        blank = not self.text[:at].strip(SPACE + "\ufeff")
        self.report.add(
            "xml.declaration-place",
            at,
            "The line <?xml … ?> must be the very first thing in the file; something is before it.",
            hint="Remove what is before it, blank lines too.",
            fix=Splice(0, at, "") if blank else None,
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
            "A document type definition is here. Zerrit refuses it: it can pull in other files. Remove it.",
        )
        bracket = self.text.find("[", at)
        end = self.text.find(">", at)
        if 0 <= bracket < end:
            end = self.text.find("]>", bracket)
            end = end + 1 if end >= 0 else len(self.text) - 1
        return end + 1 if end >= 0 else len(self.text)
