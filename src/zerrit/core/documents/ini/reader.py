"""
Read INI text into nodes.

We do not use configparser: it drops comments and blank lines, folds the case of keys, refuses repeated ones,
and gives no columns. There is no INI standard; the dialect read here has sections, keys with `=` or `:`,
repeated sections and keys, `+Key` and `-Key`, comments with `;`, `#` and `//`, quoted values, and values made
of nested parentheses such as `(Name="Mill",Parts=((Model=T2,Power=4)))`, which open into nodes of their own.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.ini.structs import SMART, Structs
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.source import Source, Splice

_SECTION: Final = re.compile(r"\[([^\]\r\n]*)(\]?)")
#: A whole line; the first two groups are the name and value of the plainest setting, which most lines are.
_ROW: Final = re.compile(
    r"[ \t\ufeff]*+(?:([\w+\-.!][\w.\-]*+)[ \t]*+[=:][ \t]*+(?:([^\s\"(;/=\u201c\u201d][^;/\r\n\"]*+)(?=[\r\n]|\Z))|([^\r\n]*+))"
    r"(?:\r\n|\r|\n|\Z)"
)
#: A quotation mark in a name would mean that the line is not a setting, as in `endpoint "0.0.0.0:27000"`.
_SETTING: Final = re.compile(
    r"([+\-!.]?[^=:\s;#\[(\"][^=:\r\n\"]*?|[+\-!.]?[^=:\s;#\[(\"]|\"[^\"\r\n]*\")[ \t]*([=:])[ \t]*"
)
_BESIDE: Final = re.compile(r"[ \t]+(?:;|//)[^\r\n]*\Z")
_STRUCT_BODY: Final = re.compile(r"[A-Za-z_][\w.\-]*[ \t]*=")


def read(source: Source, report: Report, _reading: Reading) -> Node:
    """Read the text; the root is a group of sections, and of the settings that are before any section."""
    return _IniReader(source, report).read()


class _IniReader(Structs):
    """Reads line by line."""

    def __init__(self, source: Source, report: Report) -> None:
        super().__init__(source, report)
        self.comments = CommentKeeper(source)
        self.root = Node(NodeKind.GROUP, "", 0, len(self.text), value_start=0, value_end=len(self.text))
        self.section = self.root
        self.sections: dict[str, int] = {}  #: where each section began first
        self.seen: dict[str, int] = {}  #: where each plain key of the section stood first

    def read(self) -> Node:
        for row in _ROW.finditer(self.text):
            name, value, other = row.groups()
            if name is None:
                if other:
                    self._line(row.start(3), row.end(3))
                continue
            value = value.rstrip(" \t")
            if value[-1:] == ")":
                self._line(row.start(1), row.end(2))
                continue
            value_start = row.start(2)
            end = value_start + len(value)
            node = Node(NodeKind.VALUE, name, row.start(1), end, value, value_start, end)
            self._place(node)
        self._end_section()
        return self.root

    def _place(self, node: Node) -> None:
        self.comments.document(node)
        self.section.adopt(node)
        name = node.name
        if name[0] in "+-!." or node.kind is not NodeKind.VALUE:
            return  # these are lists by their form
        first = self.seen.setdefault(name, node.start)
        if first != node.start:
            self.report.add(
                "ini.repeated-key",
                node.start,
                f"{name} is on line {self.source.line_at(first)} of this section already; "
                "games that do not collect such keys keep only one of them.",
            )

    def _line(self, start: int, end: int) -> None:
        line = self.text[start:end]
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
        name, closing = (match.group(1).strip(), match.group(2)) if match else ("", "")
        header_end = match.end() if match else stop
        if not closing:
            self.report.add(
                "ini.section-not-closed",
                stop,
                f"The section header [{name} has no closing bracket.",
                hint="Add `]` here.",
                fix=Splice(stop, stop, "]"),
            )
        if closing and (not name or name.startswith("[")):
            self.report.add(
                "ini.section-name",
                at,
                f"[{name}] is not a section header; a header is one name in one pair of brackets.",
                hint="Remove the second bracket." if name else "Write the name of the section.",
                fix=Splice(at + 1, at + 2, "") if name.startswith("[") and not name.startswith("[[") else None,
            )
            name = name.lstrip("[")
        rest = self.text[header_end:stop].strip(" \t")
        if rest.startswith("]") and not rest.strip("]"):
            self.report.add(
                "ini.after-section",
                header_end,
                f"The section header [{name}] has a bracket too many.",
                hint="Remove it.",
                fix=Splice(header_end, stop, ""),
            )
        elif rest and not rest.startswith((";", "#", "//")):
            self.report.add(
                "ini.after-section",
                header_end,
                f"`{rest[:30]}` is behind the section header [{name}]; the game skips it or the whole line.",
                hint="Put it on a line of its own.",
            )
        first = self.sections.setdefault(name, at)
        if first != at:
            self.report.add(
                "ini.section-twice",
                at,
                f"[{name}] began on line {self.source.line_at(first)} already; many games read only one of the two.",
                hint="Put the settings under the first header, and take this one out.",
            )
        self._end_section()
        self.seen = {}
        self.section = self.root.adopt(Node(NodeKind.GROUP, name, at, header_end, value_start=header_end))
        self.comments.document(self.section)
        if rest:
            self.section.comment = self.section.comment or tidy_block(rest.lstrip(";#/"))

    def _end_section(self) -> None:
        """A section ends with its last setting, so that blank lines and the next heading are not part of it."""
        section = self.section
        if section is not self.root:
            section.end = section.children[-1].end if section.children else section.end
            section.value_end = max(section.end, section.value_start)

    def _setting(self, at: int, stop: int) -> None:
        match = _SETTING.match(self.text, at, stop)
        if not match:
            self._no_setting(at, stop)
            self.comments.forget()
            return
        value_start = match.end()
        if self.text.startswith("=", value_start) and match.group(2) == "=":
            self.report.add(
                "ini.equals-twice",
                value_start,
                f"A second `=` is behind {match.group(1)}=; the game takes it for a part of the value.",
                hint="Remove it.",
                fix=Splice(value_start, value_start + 1, ""),
            )
        raw = self.text[value_start:stop]
        beside = "" if raw.startswith("(") else self._beside(raw)
        value_end = stop - len(beside)
        node = self._value(match.group(1), at, value_start, value_end)
        self._place(node)
        if beside:
            node.comment = node.comment or tidy_block(beside.strip().lstrip(";/"))

    def _no_setting(self, at: int, stop: int) -> None:
        shown = self.text[at : min(stop, at + 40)]
        if self.text[stop - 1] == "]" and "[" not in shown and "=" not in self.text[at:stop]:
            self.report.add(
                "ini.section-not-closed",
                at,
                f"`{shown}` looks like a section header without its opening bracket.",
                hint="Add `[` here.",
                fix=Splice(at, at, "["),
            )
            return
        self.report.add(
            "ini.not-a-setting",
            at,
            f"`{shown}` is not a setting (Name=value), a [section] or a comment; the game skips it or stops here.",
        )

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
        raw = _without_end_mark(self.text[value_start:value_end].rstrip(" \t"))
        value_end = value_start + len(raw)
        if raw[:1] and raw[0] in SMART:
            inner = raw.strip(SMART + '"')
            self.report.add(
                "ini.smart-quotes",
                value_start,
                f"The value of {name} is in typographic quotation marks; the game takes them for a part of it.",
                hint='Write " on both sides.',
                fix=Splice(value_start, value_end, f'"{inner}"'),
            )
        if raw.startswith("("):
            return self._struct_setting(name, start, value_start, value_end)
        if raw.endswith(")") and _STRUCT_BODY.match(raw) and raw.count(")") == raw.count("(") + 1:
            self.report.add(
                "ini.struct-not-opened",
                value_start,
                f"The value of {name} closes a parenthesis that it does not open.",
                hint="Add `(` here.",
                fix=Splice(value_start, value_start, "("),
            )
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
                    fix=Splice(value_end, value_end, '"'),
                )
        elif raw.endswith('"') and raw.count('"') % 2:
            self.report.add(
                "ini.quote-not-closed",
                value_start,
                f"The value of {name} has no opening quotation mark.",
                hint='Add `"` here.',
                fix=Splice(value_start, value_start, '"'),
            )
        return Node(NodeKind.VALUE, name, start, value_end, value=raw, value_start=value_start, value_end=value_end)


def _without_end_mark(raw: str) -> str:
    """`60;` means 60 in files that end each setting with a semicolon; among several semicolons it is a part of the value."""
    body = raw[:-1].rstrip(" \t")
    return body if raw.endswith(";") and body and ";" not in body else raw
