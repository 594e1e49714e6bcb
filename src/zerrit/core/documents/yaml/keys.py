"""
Find the keys of YAML mappings: what on a line has a colon behind it.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.node import Node
from zerrit.core.documents.yaml.scalars import double_quoted, single_quoted
from zerrit.core.documents.yaml.scan import BLANK, SPACES
from zerrit.core.documents.yaml.values import ALIAS, COLON, PLAIN, PROPERTY, Values

LONGEST_KEY: Final = 1024  # characters; YAML 1.2.2, section 7.4.3
CANNOT_START: Final = "-?:,[]{}#&*!|>'\"%@`"
_ONE_LINE_QUOTED: Final = re.compile(r""""(?:[^"\\\r\n]|\\[^\r\n])*"|'(?:[^'\r\n]|'')*'""")


class Keys(Values):
    """Looks ahead on the line for a key."""

    def _key_end(self) -> int:
        """Where a key on this line ends that has a colon behind it; -1 where none begins here."""
        text = self.text
        at = self.at
        sign = text[at]
        if sign in "\"'":
            match = _ONE_LINE_QUOTED.match(text, at)
        elif sign == "*":
            match = ALIAS.match(text, at)
        elif sign in "[{":
            return self._flow_key_end()
        elif sign in "&!":
            return self._key_end_after_properties()
        elif sign in "-?:":
            following = text[at + 1 : at + 2]
            match = PLAIN.match(text, at) if following and following not in BLANK else None
        elif sign in CANNOT_START:
            return -1
        else:
            match = PLAIN.match(text, at)
        if match is None or match.end() - at > LONGEST_KEY:
            return -1
        return match.end() if COLON.match(text, match.end()) else -1

    def _key_end_after_properties(self) -> int:
        kept = self.at
        while self.at < len(self.text) and self.text[self.at] in "&!":
            match = PROPERTY.match(self.text, self.at)
            blank = SPACES.match(self.text, match.end()) if match else None
            if blank is None or blank.end() == (match.end() if match else 0):
                break
            self.at = blank.end()
        end = self._key_end() if self.at < len(self.text) and self.text[self.at] not in "&!\r\n" else -1
        if end < 0 and self.at > kept and COLON.match(self.text, self.at):
            end = self.at
        self.at = kept
        return end

    def _flow_key_end(self) -> int:
        """A list or mapping in brackets can be a key; find its bracket without keeping anything."""
        text = self.text
        end = self.source.line_end(self.at)
        depth = 0
        at = self.at
        while at < end:
            sign = text[at]
            if sign in "\"'":
                match = _ONE_LINE_QUOTED.match(text, at)
                at = match.end() if match and text[at - 1] in " \t,[{:" else at + 1
                continue
            depth += (sign in "[{") - (sign in "]}")
            at += 1
            if depth == 0:
                return at if at - self.at <= LONGEST_KEY and COLON.match(text, at) else -1
        return -1

    def _key_text(self, start: int, end: int) -> str:
        raw = self.text[start:end]
        if raw[:1] == '"':
            self._check_escapes(start + 1, end - 1)
            return double_quoted(raw[1:-1])
        if raw[:1] == "'":
            return single_quoted(raw[1:-1])
        if raw[:1] == "*" and raw[1:] not in self.anchors:
            self._unknown_anchor(start, raw[1:])
        return raw

    def _named(self, node: Node, child: Node, seen: dict[str, int]) -> None:
        """Take a child that has its name; say so when the name is there already."""
        self.comments.document(child)
        node.adopt(child)
        first = seen.setdefault(child.name, child.start)
        if first != child.start and child.name:
            self._fault(
                "yaml.duplicate-key",
                child.start,
                f"`{child.name}` occurs twice at this level (first on line {self.source.line_at(first)}); only one of "
                "them holds. Remove one.",
            )
