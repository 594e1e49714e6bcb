"""
Read properties and env files into nodes.

Both have a name and a value on each line. In properties a `\\` at the end of a line goes on with the next one, and quotation
marks are a part of the value; in env files the marks are around it, and `export` may be before the name.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.properties.values import is_env, unescaped
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.source import Source, Splice

#: One line with the lines that go on with it, without its line end.
_ROW: Final = re.compile(r"[^\r\n\\]*+(?:\\(?:\r\n|[\s\S]|\Z)[^\r\n\\]*+)*+")
_LINE: Final = re.compile(r"[^\r\n]*+")
_NAME: Final = re.compile(r"(?:[^\s=:\\]|\\[\s\S])++")
_PARTING: Final = re.compile(r"[ \t\f]*(?:[=:][ \t\f]*)?")
_FENCE: Final = re.compile(r"```|~~~|</?\w+[ >]")
_ENV_SETTING: Final = re.compile(r"(?:export[ \t]+)?([A-Za-z_][\w.\-]*)[ \t]*=[ \t]*")
_ENV_BESIDE: Final = re.compile(r"[ \t]+#[^\r\n]*")
_QUOTED: Final = {'"': re.compile(r'"(?:[^"\\]|\\[\s\S])*+"'), "'": re.compile(r"'[^']*+'")}


def read(source: Source, report: Report, _reading: Reading) -> Node:
    """Read the text; the root is a group of values."""
    return _Reader(source, report).read()


class _Reader:
    def __init__(self, source: Source, report: Report) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.is_env = is_env(report.path)
        self.comments = CommentKeeper(source)
        self.root = Node(NodeKind.GROUP, "", 0, len(self.text), value_start=0, value_end=len(self.text))
        self.seen: dict[str, int] = {}

    def read(self) -> Node:
        at = 0
        while at < len(self.text):
            indent = len(self.text[at : self.source.line_end(at)]) - len(
                self.text[at : self.source.line_end(at)].lstrip(" \t\f\ufeff")
            )
            start = at + indent
            is_remark = self.text[start : start + 1] in ("#", "!") and not (
                self.is_env and self.text[start : start + 1] == "!"
            )
            if self.is_env or is_remark or start >= self.source.line_end(at):
                row = _LINE.match(self.text, start)
            else:
                row = _ROW.match(self.text, start)
            end = row.end() if row is not None else start
            if is_remark:
                self.comments.saw(start, end, tidy_block(self.text[start:end].lstrip("#!")))
            elif start < end:
                end = self._env_setting(start, end) if self.is_env else self._setting(start, end)
            at = self.source.after_line(end)
        return self.root

    def _setting(self, start: int, end: int) -> int:
        name = _NAME.match(self.text, start, end)
        if name is None:
            self.report.add(
                "properties.no-name",
                start,
                f"`{self.text[start : start + 30]}` has no name before its value; the game reads it as a setting without one.",
                hint="Write the name before it.",
            )
            self.comments.forget()
            return end
        parting = _PARTING.match(self.text, name.end(), end)
        value_start = parting.end() if parting is not None else end
        raw = self.text[value_start:end]
        called = unescaped(name.group())
        if _FENCE.match(self.text, start):
            self.report.add(
                "properties.odd-name",
                start,
                f"`{called[:30]}` does not look like a name; it was pasted along.",
                hint="Take the line out.",
            )
            return end
        if raw.startswith("=") and parting is not None and "=" in parting.group():
            self.report.add(
                "properties.equals-twice",
                value_start,
                f"A second `=` is behind {called}=; the game takes it for a part of the value.",
                hint="Remove it.",
                fix=Splice(value_start, value_start + 1, ""),
            )
        if parting is None or not parting.group().strip():
            self._say_how_it_is_parted(called, raw, start, name.end())
        self._place(Node(NodeKind.VALUE, called, start, end, unescaped(raw), value_start, end))
        return end

    def _say_how_it_is_parted(self, name: str, rest: str, start: int, at: int) -> None:
        if rest and "=" not in rest and self.source.line_start(start) < start:
            self.report.add(
                "properties.not-continued",
                start,
                f"This line is indented and has no `=`; the game takes `{name}` for a name.",
                hint="If it goes on with the line above, that one must end with `\\`.",
            )
        elif not rest:
            self.report.add(
                "properties.no-value",
                at,
                f"{name} has no `=` and no value; the game takes it for empty.",
                hint="Add `=` and its value.",
            )
        elif "=" in rest:
            whole = f"{name} {rest.partition('=')[0]}".strip()
            self.report.add(
                "properties.space-in-name",
                at,
                f"`{whole}` holds a space: the game takes `{name}` for the name, and the rest for its value.",
                hint="Write the name in one word.",
            )

    def _env_setting(self, start: int, end: int) -> int:
        match = _ENV_SETTING.match(self.text, start, end)
        if match is None:
            self.report.add(
                "properties.not-a-setting",
                start,
                f"`{self.text[start : min(end, start + 30)]}` is not a setting (NAME=value); it is skipped, or stops what reads it.",
            )
            self.comments.forget()
            return end
        at = match.end()
        pattern = _QUOTED.get(self.text[at : at + 1])
        if self.text[match.end(1) : at] != "=":
            self.report.add(
                "properties.space-around",
                match.end(1),
                f"Spaces are around the `=` of {match.group(1)}; a shell takes the name for a command then.",
                hint="Remove them.",
                fix=Splice(match.end(1), at, "="),
            )
        quoted = pattern.match(self.text, at) if pattern is not None else None
        if quoted is not None and self._ends_line(quoted.end()):
            value, value_end = quoted.group()[1:-1], quoted.end() - 1
            node = Node(NodeKind.VALUE, match.group(1), start, quoted.end(), value, at + 1, value_end, is_quoted=True)
            self._place(node)
            self._beside(node, quoted.end())
            return max(end, quoted.end())
        if pattern is not None and (quoted is None or quoted.end() > end):
            self.report.add(
                "properties.quote-not-closed",
                end,
                f"The value of {match.group(1)} has no closing quotation mark.",
                hint=f"Add `{self.text[at]}` here.",
                fix=Splice(end, end, self.text[at]),
            )
        beside = _ENV_BESIDE.search(self.text, at, end)
        stop = beside.start() if beside is not None else end
        raw = self.text[at:stop].rstrip(" \t")
        if pattern is None and " " in raw:
            self.report.add(
                "properties.unquoted",
                at,
                f"The value of {match.group(1)} has several words and no quotation marks; a shell takes the first one only.",
                hint="Put quotation marks around it.",
                fix=Splice(at, at + len(raw), f'"{raw}"') if not set(raw) & set('"\\$`') else None,
            )
        node = Node(NodeKind.VALUE, match.group(1), start, at + len(raw), raw, at, at + len(raw))
        self._place(node)
        self._beside(node, node.end)
        return end

    def _ends_line(self, at: int) -> bool:
        rest = self.text[at : self.source.line_end(at)].strip(" \t")
        return not rest or rest.startswith("#")

    def _beside(self, node: Node, at: int) -> None:
        rest = self.text[at : self.source.line_end(at)].strip(" \t")
        if rest.startswith("#"):
            node.comment = node.comment or tidy_block(rest.lstrip("#"))

    def _place(self, node: Node) -> None:
        self.comments.document(node)
        self.root.adopt(node)
        first = self.seen.setdefault(node.name, node.start)
        if first != node.start:
            self.report.add(
                "properties.repeated-key",
                node.start,
                f"{node.name} is on line {self.source.line_at(first)} already; the last one of them counts.",
                hint="Remove the one that is wrong.",
            )
