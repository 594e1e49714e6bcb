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
from zerrit.core.documents.source import Source, Splice

MAX_DEPTH: Final = 100

_SECTION: Final = re.compile(r"\[([^\]\r\n]*)(\]?)")
#: A whole line; the first two groups are the name and value of the plainest setting, which most lines are.
_ROW: Final = re.compile(
    r"[ \t\ufeff]*+(?:([\w+\-.!][\w.\-]*+)[ \t]*+[=:][ \t]*+(?:([^\s\"(;/=\u201c\u201d][^;/\r\n\"]*+)(?=[\r\n]|\Z))|([^\r\n]*+))"
    r"(?:\r\n|\r|\n|\Z)"
)
_SETTING: Final = re.compile(r"([+\-!.]?[^=:\s;#\[(][^=:\r\n]*?|[+\-!.]?[^=:\s;#\[(])[ \t]*([=:])[ \t]*")
_BESIDE: Final = re.compile(r"[ \t]+(?:;|//)[^\r\n]*\Z")
_STRUCT_KEY: Final = re.compile(r"\s*([A-Za-z_][\w.\-]*)\s*=\s*")
_STRUCT_BARE: Final = re.compile(r"[^,()]*")
_STRUCT_BODY: Final = re.compile(r"[A-Za-z_][\w.\-]*[ \t]*=")
_COMMAS: Final = re.compile(r"[, \t]*")
_MISSING_COMMA: Final = re.compile(r"(?:[ \t]*;[ \t]*|[ \t]+)(?=[A-Za-z_][\w.\-]*[ \t]*=)")
_UNNAMED: Final = re.compile(r"([A-Za-z_]\w*)(?:[ \t]*:[ \t]*|[ \t]+)(\S+)\Z")
_NEXT_PART: Final = re.compile(r"[,(]\s*[A-Za-z_][\w.\-]*\s*=|\)")
_QUOTE_END: Final = re.compile(r"[^,()\"]*")
_SMART: Final = "\u201c\u201d\u201e"


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
        self.is_struct_broken = False
        self.seen: dict[str, int] = {}  #: where each plain key of the section stood first

    def read(self) -> Node:
        for row in _ROW.finditer(self.text):
            name, value, other = row.groups()
            if name is None:
                if other:
                    self._line(row.start(3), row.end(3))
                continue
            value_start = row.start(2)
            value = value.rstrip(" \t")
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
                f"{name} stands on line {self.source.line_at(first)} of this section already; "
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
                mend=Splice(stop, stop, "]"),
            )
        if closing and (not name or name.startswith("[")):
            self.report.add(
                "ini.section-name",
                at,
                f"[{name}] is no section header; a header is one name in one pair of brackets.",
                hint="Remove the second bracket." if name else "Write the name of the section.",
                mend=Splice(at + 1, at + 2, "") if name.startswith("[") and not name.startswith("[[") else None,
            )
            name = name.lstrip("[")
        rest = self.text[header_end:stop].strip(" \t")
        if rest.startswith("]") and not rest.strip("]"):
            self.report.add(
                "ini.after-section",
                header_end,
                f"The section header [{name}] has a bracket too many.",
                hint="Remove it.",
                mend=Splice(header_end, stop, ""),
            )
        elif rest and not rest.startswith((";", "#", "//")):
            self.report.add(
                "ini.after-section",
                header_end,
                f"`{rest[:30]}` stands behind the section header [{name}]; the game skips it or the whole line.",
                hint="Put it on a line of its own.",
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
                f"A second `=` stands behind {match.group(1)}=; the game takes it for a part of the value.",
                hint="Remove it.",
                mend=Splice(value_start, value_start + 1, ""),
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
                mend=Splice(at, at, "["),
            )
            return
        self.report.add(
            "ini.not-a-setting",
            at,
            f"`{shown}` is no setting (Name=value), no [section] and no comment; the game skips it or stops here.",
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
        raw = self.text[value_start:value_end].rstrip(" \t")
        value_end = value_start + len(raw)
        if raw[:1] and raw[0] in _SMART:
            inner = raw.strip(_SMART + '"')
            self.report.add(
                "ini.smart-quotes",
                value_start,
                f"The value of {name} stands in typographic quotation marks; the game takes them for a part of it.",
                hint='Write " on both sides.',
                mend=Splice(value_start, value_end, f'"{inner}"'),
            )
        if raw.startswith("("):
            return self._struct_setting(name, start, value_start, value_end)
        if raw.endswith(")") and _STRUCT_BODY.match(raw) and raw.count(")") == raw.count("(") + 1:
            self.report.add(
                "ini.struct-not-opened",
                value_start,
                f"The value of {name} closes a parenthesis that it does not open.",
                hint="Add `(` here.",
                mend=Splice(value_start, value_start, "("),
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
                    mend=Splice(value_end, value_end, '"'),
                )
        elif raw.endswith('"') and raw.count('"') % 2:
            self.report.add(
                "ini.quote-not-closed",
                value_start,
                f"The value of {name} has no opening quotation mark.",
                hint='Add `"` here.',
                mend=Splice(value_start, value_start, '"'),
            )
        return Node(NodeKind.VALUE, name, start, value_end, value=raw, value_start=value_start, value_end=value_end)

    # --- parentheses --------------------------------------------------------------------------------------------------

    def _struct_setting(self, name: str, start: int, value_start: int, value_end: int) -> Node:
        self.is_struct_broken = False
        node, at = self._struct(name, start, value_start, value_end, 0)
        rest = self.text[at:value_end].strip()
        if rest:
            self._struct_fault(
                "ini.struct-extra",
                at,
                f"`{rest[:30]}` stands after the closing parenthesis of {name}. Is there one `)` too many?",
                mend=Splice(at, value_end, "") if not rest.strip(")") else None,
            )
            node.end = value_end
        return node

    def _struct_fault(self, code: str, at: int, message: str, hint: str = "", mend: Splice | None = None) -> None:
        """Report the first fault of a value; what seems wrong behind it mostly follows from it."""
        if not self.is_struct_broken:
            self.report.add(code, at, message, hint, mend)
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
            mend=Splice(stop, stop, missing) if self.text[stop - 1] != "," else None,
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
                mend=Splice(node.children[-1].end, end, ","),
            )
        elif found > (1 if node.children and not is_end else 0):
            wanted = "," if node.children and not is_end else ""
            self._struct_fault(
                "ini.struct-comma-extra",
                at + self.text[at:end].rindex(","),
                "A comma too many stands here; some games read an empty part behind it.",
                hint="Remove it.",
                mend=Splice(at, end, wanted),
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
                value = Node(NodeKind.VALUE, name, start, closing + 1, inside, at + 1, closing, True)  # noqa: FBT003
                return value, closing + 1
            end = _QUOTE_END.match(self.text, at + 1, stop)
            place = end.end() if end else stop
            self._struct_fault(
                "ini.quote-not-closed",
                place,
                "A quotation mark in this line is not closed.",
                hint='Add `"` here.',
                mend=Splice(place, place, '"'),
            )
            value = Node(NodeKind.VALUE, name, start, place, self.text[at + 1 : place], at + 1, place, True)  # noqa: FBT003
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
                mend=Splice(at + missing.start(), at + missing.end(), ","),
            )
        elif value[:1] and value[0] in _SMART:
            self._struct_fault(
                "ini.smart-quotes",
                at,
                "A value stands in typographic quotation marks; the game takes them for a part of it.",
                hint='Write " on both sides.',
                mend=Splice(at, end, f'"{value.strip(_SMART)}"'),
            )
        elif value.endswith('"'):
            self._struct_fault(
                "ini.quote-not-closed",
                at,
                "A value has a closing quotation mark, but no opening one.",
                hint='Add `"` here.',
                mend=Splice(at, at, '"'),
            )
        elif any(sign in "[]{}" for sign in value):
            self._struct_fault(
                "ini.struct-bracket",
                at + next(i for i, sign in enumerate(value) if sign in "[]{}"),
                "A bracket of another kind stands inside a value; its parts stand in ( and ).",
                hint="Write ( and ).",
            )
        elif unnamed:
            self._struct_fault(
                "ini.struct-equals",
                at + len(unnamed.group(1)),
                f"An equals sign is missing after {unnamed.group(1)}.",
                hint="Write `=` here.",
                mend=Splice(at + unnamed.end(1), at + unnamed.start(2), "="),
            )
