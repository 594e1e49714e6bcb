"""
Read INI text into nodes.

We do not use configparser: it drops comments and blank lines, folds the case of keys, refuses repeated ones,
and gives no columns. There is no INI standard; the dialect read here has sections, keys with `=` or `:`,
repeated sections and keys, `+Key` and `-Key`, comments with `;`, `#` and `//`, quoted values, and values made
of nested parentheses such as `(Name="Gate",Pumps=((Model=T2,Rating=4)))`, which open into nodes of their own.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Source

MAX_DEPTH: Final = 100

_SECTION: Final = re.compile(r"\[([^\]\r\n]*)\]?")
_SETTING: Final = re.compile(r"([+\-!.]?[^=:\s;#\[(][^=:\r\n]*?|[+\-!.]?[^=:\s;#\[(])[ \t]*([=:])[ \t]*")
_BESIDE: Final = re.compile(r"[ \t]+(?:;|//)[^\r\n]*\Z")
_STRUCT_KEY: Final = re.compile(r"\s*([A-Za-z_][\w.\-]*)\s*=\s*")
_STRUCT_BARE: Final = re.compile(r"[^,()]*")


def read(source: Source, report: Report) -> Node:
    """Read the text; the root is a group of sections, and of the settings that stand before any section."""
    return _IniReader(source, report).read()


class _IniReader:
    def __init__(self, source: Source, report: Report) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.comments = CommentKeeper(source)
        self.root = Node(NodeKind.GROUP, "", 0, len(self.text), value_start=0, value_end=len(self.text))
        self.section = self.root

    def read(self) -> Node:
        starts = self.source.line_starts
        for index, start in enumerate(starts):
            end = starts[index + 1] if index + 1 < len(starts) else len(self.text)
            self._line(start, end)
        self._end_section(len(self.text))
        return self.root

    def _line(self, start: int, end: int) -> None:
        line = self.text[start:end].rstrip("\r\n")
        stripped = line.strip(" \t\ufeff")
        at = start + len(line) - len(line.lstrip(" \t\ufeff"))
        stop = at + len(stripped)
        if not stripped:
            return
        if stripped.startswith((";", "#", "//")):
            self.comments.saw(at, stop, tidy_block(stripped.lstrip(";#/")))
        elif stripped.startswith("["):
            self._section(at, stop)
        else:
            self._setting(at, stop)

    def _section(self, at: int, stop: int) -> None:
        match = _SECTION.match(self.text, at, stop)
        name = match.group(1).strip() if match else ""
        if match is None or not match.group().endswith("]"):
            self.report.add(
                "ini.section-not-closed",
                stop,
                f"The section header [{name} has no closing bracket.",
                hint="Add `]` here.",
            )
        self._end_section(at)
        self.section = self.root.adopt(Node(NodeKind.GROUP, name, at, stop, value_start=stop))
        self.comments.document(self.section)

    def _end_section(self, at: int) -> None:
        """A section ends with its last setting, so that blank lines and the next heading are not part of it."""
        section = self.section
        if section is not self.root:
            section.end = section.children[-1].end if section.children else section.end
            section.value_end = section.end

    def _setting(self, at: int, stop: int) -> None:
        match = _SETTING.match(self.text, at, stop)
        if not match:
            shown = self.text[at : min(stop, at + 40)]
            self.report.add(
                "ini.not-a-setting",
                at,
                f"`{shown}` is no setting (Name=value), no [section] and no comment; the game skips it or stops here.",
            )
            self.comments.forget()
            return
        value_start = match.end()
        raw = self.text[value_start:stop]
        beside = "" if raw.startswith("(") else self._beside(raw)
        value_end = stop - len(beside)
        node = self._value(match.group(1), at, value_start, value_end)
        self.comments.document(node)
        self.section.adopt(node)
        if beside:
            node.comment = node.comment or tidy_block(beside.strip().lstrip(";/"))

    @staticmethod
    def _beside(raw: str) -> str:
        """The comment at the end of the line, with the white space before it; a `;` inside quotes is none."""
        if raw.startswith('"'):
            closing = raw.find('"', 1)
            match = _BESIDE.search(raw, closing + 1) if closing > 0 else None
        else:
            match = re.search(r"[ \t]+(?:;|//)[^\r\n]*", raw)
        return raw[match.start() :] if match else ""

    def _value(self, name: str, start: int, value_start: int, value_end: int) -> Node:
        raw = self.text[value_start:value_end].rstrip(" \t")
        value_end = value_start + len(raw)
        if raw.startswith("("):
            return self._struct_setting(name, start, value_start, value_end)
        if raw.startswith('"'):
            if len(raw) >= 2 and raw.endswith('"'):
                return Node(
                    NodeKind.VALUE,
                    name,
                    start,
                    value_end,
                    value=raw[1:-1],
                    value_start=value_start + 1,
                    value_end=value_end - 1,
                    is_quoted=True,
                )
            if raw.count('"') % 2:
                self.report.add(
                    "ini.quote-not-closed",
                    value_end,
                    f"The value of {name} has no closing quotation mark.",
                    hint='Add `"` here.',
                )
        return Node(NodeKind.VALUE, name, start, value_end, value=raw, value_start=value_start, value_end=value_end)

    # --- parentheses --------------------------------------------------------------------------------------------------

    def _struct_setting(self, name: str, start: int, value_start: int, value_end: int) -> Node:
        node, at = self._struct(name, start, value_start, value_end, 0)
        rest = self.text[at:value_end].strip()
        if rest:
            self.report.add(
                "ini.struct-extra",
                at,
                f"`{rest[:30]}` stands after the closing parenthesis of {name}. Is there one `)` too many?",
            )
            node.end = value_end
        return node

    def _struct(self, name: str, start: int, at: int, stop: int, depth: int) -> tuple[Node, int]:
        """Read `( … )` at `at`; returns the node and the offset after it."""
        node = Node(NodeKind.LIST, name, start, start, value_start=at)
        opened = at
        at += 1
        if depth >= MAX_DEPTH:
            self.report.add("text.too-deep", at, f"Parentheses nest deeper than {MAX_DEPTH} levels here.")
            node.end = node.value_end = stop
            return node, stop
        while at < stop:
            while at < stop and self.text[at] in ", \t":
                at += 1
            if at >= stop:
                break
            if self.text[at] == ")":
                at += 1
                node.end = node.value_end = at
                return node, at
            child, at = self._struct_item(at, stop, depth)
            if child.name:
                node.kind = NodeKind.GROUP
            node.adopt(child)
        line, column = self.source.locate(opened)
        self.report.add(
            "ini.struct-not-closed",
            stop,
            f"The parenthesis opened in line {line}, column {column} is not closed on its line.",
            hint="Add `)` here.",
        )
        node.end = node.value_end = stop
        return node, stop

    def _struct_item(self, at: int, stop: int, depth: int) -> tuple[Node, int]:
        start = at
        match = _STRUCT_KEY.match(self.text, at, stop)
        name = ""
        if match:
            name = match.group(1)
            start = match.start(1)
            at = match.end()
        if at < stop and self.text[at] == "(":
            return self._struct(name, start, at, stop, depth + 1)
        if at < stop and self.text[at] == '"':
            closing = self.text.find('"', at + 1, stop)
            if closing >= 0:
                value = self.text[at + 1 : closing]
                node = Node(
                    NodeKind.VALUE,
                    name,
                    start,
                    closing + 1,
                    value=value,
                    value_start=at + 1,
                    value_end=closing,
                    is_quoted=True,
                )
                return node, closing + 1
            self.report.add(
                "ini.quote-not-closed", stop, "A quotation mark in this line is not closed.", hint='Add `"`.'
            )
        bare = _STRUCT_BARE.match(self.text, at, stop)
        end = bare.end() if bare else at
        end = max(end, at + 1) if not name else end
        value = self.text[at:end].rstrip()
        node = Node(
            NodeKind.VALUE, name, start, at + len(value), value=value, value_start=at, value_end=at + len(value)
        )
        return node, end
