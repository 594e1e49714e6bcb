"""
Read the tags of XML in which something is wrong, attribute by attribute.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Splice
from zerrit.core.documents.xml.elements import Elements
from zerrit.core.documents.xml.text import (
    NAME,
    SPACE,
    attribute,
    reference_at,
)

NAME_ONLY: Final = re.compile(NAME)
_LOOSE_END_TAG: Final = re.compile(rf"</[ \t\r\n]*({NAME})?[^<>\n]*>?")
SMART_QUOTES: Final = "\u201c\u201d\u201e\u201f\u2018\u2019\u201a\u2033\u2032\u00ab\u00bb"
_VALUE_END: Final = re.compile(r"[ \t\r\n]*/?>|[ \t\r\n]*[\r\n]|<|\Z")
_NEXT_ATTRIBUTE: Final = re.compile(rf"[ \t\r\n]+{NAME}[ \t\r\n]*=[ \t\r\n]*[\"']")


class LooseTags(Elements):
    """Reads a tag that no pattern fits whole."""

    def _add_attribute(
        self, node: Node, name: str, start: int, end: int, value_start: int, value_end: int, seen: set[str]
    ) -> None:
        if name in seen:
            self.report.add(
                "xml.attribute-twice",
                start,
                f"`{name}` occurs twice in this <{node.name}>; the game cannot know which one holds. Remove one.",
            )
        seen.add(name)
        self._check_ampersands(value_start, value_end)
        node.adopt(attribute(node, name, start, end, self.text, value_start, value_end))

    def _check_ampersands(self, start: int, end: int) -> None:
        at = self.text.find("&", start, end)
        while at >= 0:
            if not reference_at(self.text, at):
                self.report.add(
                    "xml.stray-ampersand",
                    at,
                    "A bare `&` is here; XML takes it for the start of a special character.",
                    hint="Write &amp; for it.",
                    fix=Splice(at, at + 1, "&amp;"),
                )
            at = self.text.find("&", at + 1, end)

    def _loose_end_tag(self, at: int) -> int:
        match = _LOOSE_END_TAG.match(self.text, at)
        if match is None or not match.group(1):
            self.report.add("xml.bad-tag", at, "`</` is followed by no name.")
            return at + 2
        if not match.group().endswith(">"):
            end = match.start(1) + len(match.group(1))
            self.report.add(
                "xml.tag-not-ended",
                match.end(),
                f"</{match.group(1)} has no `>` at its end.",
                hint="Add `>` here.",
                fix=Splice(end, end, ">"),
            )
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
            found = NAME_ONLY.match(text, here)
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
                    fix=Splice(here, here, " "),
                )
            here = self._loose_attribute(node, found, seen)

    def _end_bracket_missing(self, node: Node, at: int) -> int:
        self.report.add(
            "xml.tag-not-ended",
            at,
            f"The tag <{node.name} on line {self.source.line_at(node.start)} has no `>` behind its `/`.",
            hint="Add `>` here.",
            fix=Splice(at, at, ">"),
        )
        self._open(node, self_closing=True, tag_end=at)
        return at

    def _doubled_quote(self, node: Node, at: int) -> int:
        self.report.add(
            "xml.quote-extra",
            at,
            f"A second quotation mark is behind the value of `{node.children[-1].name[1:]}`.",
            hint="Remove it.",
            fix=Splice(at, at + 1, ""),
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
            fix=Splice(at, at, mark),
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
                fix=Splice(found.end(), here, "="),
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
                f"Two equals signs are behind `{name}`.",
                hint="Remove one.",
                fix=Splice(here, here + 1, ""),
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
                fix=Splice(here, here, text[end - 1]),
            )
        else:
            self.report.add(
                "xml.value-unquoted",
                here,
                f"The value of `{name}` is without quotation marks.",
                hint=f'Write {name}="{value}".',
                fix=Splice(here, end, f'"{value}"') if value and '"' not in value else None,
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
            f"A space is inside the name of the tag <{joined}>.",
            hint="Remove the space.",
            fix=Splice(at, self.text.index(rest, at), ""),
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
            f"The value of `{name}` is in typographic quotation marks; XML knows only plain ones.",
            hint=f'Write {name}="{value}".',
            fix=Splice(at, stop + (closing >= 0), f'"{value}"'),
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
                    f"A bare `<` is in the value of `{name}`.",
                    hint="Write &lt; for it.",
                    fix=Splice(angle, angle + 1, "&lt;"),
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
            fix=Splice(value_end, value_end, quote),
        )
        self._add_attribute(node, name, start, value_end, value_start, value_end, seen)
        return value_end
