"""
Read the values of INI files that are made of nested parentheses.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Source, Splice

MAX_DEPTH: Final = 100
_STRUCT_KEY: Final = re.compile(r"\s*([A-Za-z_][\w.\-]*)\s*=\s*")
_STRUCT_BARE: Final = re.compile(r"[^,()]*")
_COMMAS: Final = re.compile(r"[, \t]*")
_MISSING_COMMA: Final = re.compile(r"(?:[ \t]*;[ \t]*|[ \t]+)(?=[A-Za-z_][\w.\-]*[ \t]*=)")
_UNNAMED: Final = re.compile(r"([A-Za-z_]\w*)(?:[ \t]*:[ \t]*|[ \t]+)(\S+)\Z")
_NEXT_PART: Final = re.compile(r"[,(]\s*[A-Za-z_][\w.\-]*\s*=|\)")
_QUOTE_END: Final = re.compile(r"[^,()\"]*")
SMART: Final = "\u201c\u201d\u201e"


class Structs:
    """Opens a value in parentheses into nodes of its own."""

    def __init__(self, source: Source, report: Report) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.is_struct_broken = False

    def _struct_setting(self, name: str, start: int, value_start: int, value_end: int) -> Node:
        self.is_struct_broken = False
        node, at = self._struct(name, start, value_start, value_end, 0)
        rest = self.text[at:value_end].strip()
        if rest:
            self._struct_fault(
                "ini.struct-extra",
                at,
                f"`{rest[:30]}` is after the closing parenthesis of {name}. Is there one `)` too many?",
                fix=Splice(at, value_end, "") if not rest.strip(")") else None,
            )
            node.end = value_end
        return node

    def _struct_fault(self, code: str, at: int, message: str, hint: str = "", fix: Splice | None = None) -> None:
        """Report the first fault of a value; what seems wrong behind it mostly follows from it."""
        if not self.is_struct_broken:
            self.report.add(code, at, message, hint, fix)
        self.is_struct_broken = True

    def _struct(self, name: str, start: int, at: int, stop: int, depth: int) -> tuple[Node, int]:
        """Read `( … )` at `at`; returns the node and the offset after it."""
        node = Node(NodeKind.LIST, name, start, start, value_start=at)
        opened = at
        at += 1
        if depth >= MAX_DEPTH:
            self.report.add("text.too-deep", at, f"Parentheses nest deeper than {MAX_DEPTH} levels here.")
            self.is_struct_broken = True
            node.end = node.value_end = stop
            return node, stop
        while at < stop:
            at = self._between(node, at, stop)
            if at >= stop:
                break
            if self.text[at] == ")":
                node.end = node.value_end = at + 1
                return node, at + 1
            child, at = self._struct_item(node, at, stop, depth)
            if child.name:
                node.kind = NodeKind.GROUP
            node.adopt(child)
        line, column = self.source.locate(opened)
        missing = ")" * (depth + 1)
        self._struct_fault(
            "ini.struct-not-closed",
            stop,
            f"The parenthesis opened in line {line}, column {column} is not closed on its line.",
            hint=f"Add `{missing}` here.",
            fix=Splice(stop, stop, missing) if self.text[stop - 1] != "," else None,
        )
        node.end = node.value_end = stop
        return node, stop

    def _between(self, node: Node, at: int, stop: int) -> int:
        """Go over the comma in front of the next part; report a missing one, and one too many."""
        commas = _COMMAS.match(self.text, at, stop)
        end = commas.end() if commas else at
        found = self.text[at:end].count(",")
        is_end = end < stop and self.text[end] == ")"
        if end < stop and node.children and not found and not is_end:
            self._struct_fault(
                "ini.struct-comma",
                node.children[-1].end,
                "A comma is missing between two parts of the value.",
                hint="Add `,` here.",
                fix=Splice(node.children[-1].end, end, ","),
            )
        elif found > (1 if node.children and not is_end else 0):
            wanted = "," if node.children and not is_end else ""
            self._struct_fault(
                "ini.struct-comma-extra",
                at + self.text[at:end].rindex(","),
                "A comma too many is here; some games read an empty part behind it.",
                hint="Remove it.",
                fix=Splice(at, end, wanted),
            )
        return end

    def _struct_item(self, parent: Node, at: int, stop: int, depth: int) -> tuple[Node, int]:
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
            inside = self.text[at + 1 : closing] if closing >= 0 else ""
            if closing >= 0 and not _NEXT_PART.search(inside):
                value = Node(NodeKind.VALUE, name, start, closing + 1, inside, at + 1, closing, True)
                return value, closing + 1
            end = _QUOTE_END.match(self.text, at + 1, stop)
            place = end.end() if end else stop
            self._struct_fault(
                "ini.quote-not-closed",
                place,
                "A quotation mark in this line is not closed.",
                hint='Add `"` here.',
                fix=Splice(place, place, '"'),
            )
            value = Node(NodeKind.VALUE, name, start, place, self.text[at + 1 : place], at + 1, place, True)
            return value, place
        bare = _STRUCT_BARE.match(self.text, at, stop)
        end_at = bare.end() if bare else at
        end_at = max(end_at, at + 1) if not name else end_at
        text = self.text[at:end_at].rstrip()
        self._check_struct_value(parent, name, text, at)
        return Node(NodeKind.VALUE, name, start, at + len(text), text, at, at + len(text)), end_at

    def _check_struct_value(self, parent: Node, name: str, value: str, at: int) -> None:
        """A bare value between commas: what in it cannot be meant."""
        end = at + len(value)
        missing = _MISSING_COMMA.search(value)
        unnamed = _UNNAMED.match(value) if not name and parent.kind is NodeKind.GROUP else None
        if missing:
            self._struct_fault(
                "ini.struct-comma",
                at + missing.start(),
                f"A comma is missing after {f'{name}=' if name else ''}{value[: missing.start()]}.",
                hint="Write `,` here.",
                fix=Splice(at + missing.start(), at + missing.end(), ","),
            )
        elif value[:1] and value[0] in SMART:
            self._struct_fault(
                "ini.smart-quotes",
                at,
                "A value is in typographic quotation marks; the game takes them for a part of it.",
                hint='Write " on both sides.',
                fix=Splice(at, end, f'"{value.strip(SMART)}"'),
            )
        elif value.endswith('"'):
            self._struct_fault(
                "ini.quote-not-closed",
                at,
                "A value has a closing quotation mark, but no opening one.",
                hint='Add `"` here.',
                fix=Splice(at, at, '"'),
            )
        elif any(sign in "[]{}" for sign in value):
            self._struct_fault(
                "ini.struct-bracket",
                at + next(i for i, sign in enumerate(value) if sign in "[]{}"),
                "A bracket of another kind is inside a value; its parts are in ( and ).",
                hint="Write ( and ).",
            )
        elif unnamed:
            self._struct_fault(
                "ini.struct-equals",
                at + len(unnamed.group(1)),
                f"An equals sign is missing after {unnamed.group(1)}.",
                hint="Write `=` here.",
                fix=Splice(at + unnamed.end(1), at + unnamed.start(2), "="),
            )
