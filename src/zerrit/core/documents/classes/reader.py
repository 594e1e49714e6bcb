"""
Read class configs into nodes.

A class is a group of its name, with the class that it builds on as `@base`; `name = value;` is a value, `name[] = {…};` a list,
and what stands between its braces are items. Lines for the preprocessor (`#include "a.hpp"`) are values of their own name; any
other statement stays closed.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report, report_smart_quotes
from zerrit.core.documents.nesting import MAX_DEPTH, Nesting, end_of_text, read_by_braces
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.source import Source, Splice

_SPACE: Final = re.compile(r"[\s\ufeff]+")
_REMARK: Final = re.compile(r"//[^\r\n]*|/\*(?:[^*]|\*(?!/))*+(?:\*/)?")
_DIRECTIVE: Final = re.compile(r"#[ \t]*(\w+)[ \t]*((?:[^\r\n\\]|\\(?:\r\n|[\s\S]))*+)")
_CLASS: Final = re.compile(r"class\s+(\w+)(?:\s*:\s*(\w+))?")
_BRACE: Final = re.compile(r"\s*(?:(\{)|(;))")
_SETTING: Final = re.compile(r"(\w+)[ \t]*(\[[ \t]*\])?\s*(\+?=)\s*")
_DELETE: Final = re.compile(r"delete\s+(\w+)[ \t]*(;?)")
_STRING: Final = re.compile(r'"((?:[^"\r\n]|"")*+)"|\'((?:[^\'\r\n]|\'\')*+)\'')
_BARE: Final = re.compile(r'(?:"(?:[^"\r\n]|"")*"|[^;{}\r\n"/]|/(?!/))*+')
_END: Final = re.compile(r"[ \t]*;")
_NEXT_END: Final = re.compile(r"\s*;")
_ITEM_END: Final = re.compile(r"[^,{};\r\n\"]*+")
_EXTRA: Final = re.compile(r"[ \t]*(\}+)(?=[ \t]*;)")
_TWO_WORDS: Final = re.compile(r"(-?[\w.]+)[ \t]+-?[\w.]+\Z")
#: Looked for near by only: a file may be one line of millions of characters.
_SUM: Final = re.compile(r"[ \t]*[+\-*%&|?<>]")
_MARK_BEHIND: Final = re.compile(r'[ \t]*+(?!;|//|/\*)[^;\r\n"]{0,1000}"')
_CLOSED_NEAR: Final = re.compile(r"[^\r\n}]{1,1000}\}")
_OTHER: Final = re.compile(r'(?:"[^"\r\n]*"|[^;{}"\r\n])+;?')


def read(source: Source, report: Report, _reading: Reading) -> Node:
    """Read the text; the root is a group of classes and values."""
    return read_by_braces(report, lambda own, by_indentation: _Reader(source, own, by_indentation=by_indentation))


class _Reader:
    def __init__(self, source: Source, report: Report, *, by_indentation: bool) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.comments = CommentKeeper(source)
        self.root = Node(NodeKind.GROUP, "", 0, len(self.text), value_start=0, value_end=len(self.text))
        self.nesting = Nesting(source, report, self.root, "classes", by_indentation=by_indentation)
        self.is_odd: dict[int, bool] = {}  #: by the number of a line, whether its quotation marks do not come in pairs
        self.seen: dict[int, dict[str, int]] = {}  #: by the group, where each name in it stood first

    def read(self) -> Node:
        at = 0
        while (at := self._space(at)) < len(self.text):
            at = self._statement(at)
        self.nesting.ended()
        return self.root

    def _space(self, at: int) -> int:
        """Where the next statement begins."""
        while True:
            space = _SPACE.match(self.text, at)
            at = space.end() if space is not None else at
            remark = _REMARK.match(self.text, at)
            if remark is None:
                return at
            self.comments.saw(at, remark.end(), tidy_block(remark.group().strip("/*")))
            self.nesting.remark_ended(remark)
            at = remark.end()

    def _statement(self, at: int) -> int:
        sign = self.text[at]
        if sign == "}":
            return self._closes(at)
        if sign == ";":
            return at + 1
        self.nesting.begins(at)
        if sign == "#":
            return self._directive(at)
        found = _CLASS.match(self.text, at)
        if found is not None:
            return self._class(at, found)
        setting = _SETTING.match(self.text, at)
        if setting is not None:
            return self._setting(at, setting)
        deleted = _DELETE.match(self.text, at)
        if deleted is not None:
            node = Node(NodeKind.VALUE, "delete", at, deleted.end(), deleted.group(1), *deleted.span(1))
            self._place(node)
            return deleted.end()
        return self._other(at)

    def _directive(self, at: int) -> int:
        match = _DIRECTIVE.match(self.text, at)
        if match is None:
            return self._other(at)
        raw = match.group(2).rstrip()
        start = match.start(2)
        node = Node(NodeKind.VALUE, f"#{match.group(1)}", at, start + len(raw), raw, start, start + len(raw))
        self._place(node)
        return match.end()

    def _class(self, at: int, found: re.Match[str]) -> int:
        node = Node(NodeKind.GROUP, found.group(1), at, found.end(), value_start=found.end(), value_end=found.end())
        self._place(node)
        if found.group(2):
            base = Node(NodeKind.VALUE, "@base", *found.span(2), found.group(2), *found.span(2))
            node.adopt(base)
        brace = _BRACE.match(self.text, found.end())
        if brace is None:
            self.report.add(
                "classes.brace-missing",
                found.end(),
                f"The class {node.name} has neither `{{` nor `;` behind its name.",
                hint="Add `{` if its values follow, else `;`.",
            )
            if not self.nesting.is_full and self.nesting.is_deeper(at, self._space(found.end())):
                node.value_start = node.value_end = found.end()
                self.nesting.opened(node, found.end())
            return found.end()
        node.end = brace.end()
        if brace.group(2):
            return brace.end()
        node.value_start = node.value_end = brace.end()
        if self.nesting.is_full:
            self.report.add("text.too-deep", brace.start(1), f"Classes nest deeper than {MAX_DEPTH} levels here.")
            return len(self.text)
        self.nesting.opened(node, brace.start(1))
        return brace.end()

    def _closes(self, at: int) -> int:
        node = self.nesting.closed(at)
        self.comments.forget()
        end = at + 1
        if node is None:
            return end
        node.value_end = at
        semicolon = _NEXT_END.match(self.text, end)
        node.end = semicolon.end() if semicolon is not None else end
        if semicolon is None:
            self.report.add(
                "classes.semicolon-missing",
                end,
                f"The class {node.name} ends here without a semicolon.",
                hint="Add `;` behind the brace.",
                fix=Splice(end, end, ";"),
            )
        self.comments.ended(node, node.end)
        return node.end

    def _setting(self, at: int, setting: re.Match[str]) -> int:
        name = setting.group(1) if setting.group(3) == "=" else f"+{setting.group(1)}"
        start = setting.end()
        if self.text.startswith("{", start):
            node, stop = self._list(name, at, start, 1)
            stop = self._extra_braces(stop)
            if not setting.group(2):
                self.report.add(
                    "classes.brackets-missing",
                    setting.end(1),
                    f"{setting.group(1)} is a list without `[]` behind its name; many games do not take it for one.",
                    hint="Add `[]` here.",
                    fix=Splice(setting.end(1), setting.end(1), "[]"),
                )
        else:
            if setting.group(2):
                self.report.add(
                    "classes.not-a-list",
                    start,
                    f"{setting.group(1)}[] is a list, but no `{{` is here.",
                    hint="Write the values in braces, or take the `[]` away.",
                )
            node, stop = self._value(name, at, start)
            if setting.group(2):
                stop = max(stop, self._statement_end(start))
        self._place(node)
        end = _END.match(self.text, stop)
        if end is not None:
            node.end = end.end()
        else:
            self.report.add(
                "classes.semicolon-missing",
                stop,
                f"{setting.group(1)} ends here without a semicolon.",
                hint="Add `;` here.",
                fix=Splice(stop, stop, ";"),
            )
        self.comments.ended(node, node.end)
        return max(node.end, stop)

    def _statement_end(self, at: int) -> int:
        """Where the last semicolon of a line is, so that the rest of a faulty statement is passed over."""
        line = self.text[at : self.source.line_end(at)]
        return at + max(line.rfind(";"), 0)

    def _extra_braces(self, at: int) -> int:
        """Braces that close a list once more, on its own line."""
        extra = _EXTRA.match(self.text, at)
        if extra is None:
            return at
        self.report.add(
            "classes.brace-extra",
            extra.start(1),
            "This `}` closes nothing: the list is closed already.",
            hint="Remove it.",
            fix=Splice(at, extra.end(1), ""),
        )
        return extra.end(1)

    def _value(self, name: str, at: int, start: int) -> tuple[Node, int]:
        string = _STRING.match(self.text, start)
        is_sum = string is not None and self._goes_on(string.end())  # an expression that begins with a text
        if string is not None and not is_sum:
            if _MARK_BEHIND.match(self.text, string.end()):
                return self._text_with_marks(name, at, start, string.end())
            mark = self.text[start]
            value = self.text[start + 1 : string.end() - 1].replace(mark * 2, mark)
            node = Node(NodeKind.VALUE, name, at, string.end(), value, start + 1, string.end() - 1, is_quoted=True)
            return node, string.end()
        if string is None and self.text.startswith('"', start):
            line_end = self.source.line_end(start)
            stop = start + len(self.text[start:line_end].rstrip().rstrip(";").rstrip())
            self._quote_missing(stop, f"The value of {name} has no closing quotation mark.")
            return Node(NodeKind.VALUE, name, at, stop, self.text[start:stop], start, stop), stop
        bare = _BARE.match(self.text, start)
        raw = bare.group().rstrip() if bare is not None else ""
        stop = start + len(raw)
        if raw and self.text.startswith('"', stop):
            self._quote_missing(start, f"The value of {name} has no opening quotation mark.")
            stop += 1
        elif not raw:
            self.report.add(
                "classes.no-value", start, f"{name} has no value behind its `=`.", hint="Write the value here."
            )
        else:
            report_smart_quotes(self.report, start, raw)
        return Node(NodeKind.VALUE, name, at, stop, self.text[start:stop], start, stop), stop

    def _quote_missing(self, at: int, message: str) -> None:
        self.report.add("classes.quote-not-closed", at, message, hint='Add `"` here.', fix=Splice(at, at, '"'))

    def _text_with_marks(self, name: str, at: int, start: int, first_end: int) -> tuple[Node, int]:
        """A text that holds quotation marks that are not doubled, up to the end of its statement."""
        self.report.add(
            "classes.quote-in-text",
            first_end - 1,
            f"A quotation mark is inside the text of {name}, which ends there for the game.",
            hint='Write `""` for it, or add the missing semicolon.',
        )
        stop = max(first_end, self._statement_end(start))
        return Node(NodeKind.VALUE, name, at, stop, self.text[start:stop], start, stop), stop

    def _goes_on(self, at: int) -> bool:
        return _SUM.match(self.text, at) is not None

    def _list(self, name: str, at: int, start: int, depth: int) -> tuple[Node, int]:
        """A list in braces from its opening one on; the node and the offset behind it."""
        holder = Node(NodeKind.LIST, name, at, start + 1, value_start=start, value_end=start + 1)
        open_lists = [holder]
        at = start + 1
        wants_comma = False
        while open_lists:
            at = self._space_inside(at)
            sign = self.text[at : at + 1]
            top = open_lists[-1]
            if sign == "}":
                top.end = top.value_end = at + 1
                open_lists.pop()
                at += 1
                wants_comma = True
                continue
            if sign == ";" and _CLOSED_NEAR.match(self.text, at):
                self.report.add(
                    "classes.comma-missing",
                    at,
                    "A semicolon is between two values of this list.",
                    hint="Write `,` for it.",
                    fix=Splice(at, at + 1, ","),
                )
                wants_comma = False
                at += 1
                continue
            if not sign or sign == ";" or (_SETTING.match(self.text, at) or _CLASS.match(self.text, at)):
                return holder, self._list_left(open_lists, at)
            if sign == ",":
                if not wants_comma:
                    self.report.add("classes.comma-extra", at, "A comma too many is in this list.", hint="Remove it.")
                wants_comma = False
                at += 1
                continue
            if wants_comma:
                self._comma_missing(self._last_end(top), at)
            wants_comma = True
            if sign == "{":
                if len(open_lists) + depth > MAX_DEPTH:
                    self.report.add("text.too-deep", at, f"Lists nest deeper than {MAX_DEPTH} levels here.")
                    return holder, self._list_left(open_lists, len(self.text), is_told=True)
                inner = top.adopt(Node(NodeKind.LIST, "", at, at + 1, value_start=at, value_end=at + 1))
                open_lists.append(inner)
                wants_comma = False
                at += 1
                continue
            at = self._item(top, at)
        return holder, at

    def _comma_missing(self, end: int, at: int) -> None:
        """Two values follow each other; where the marks of the line do not come in pairs, one of those is missing instead."""
        line = self.source.line_at(at)
        if line not in self.is_odd:
            marks = self.text.count('"', self.source.line_start(at), self.source.line_end(at))
            self.is_odd[line] = marks % 2 == 1
        if self.is_odd[line]:
            self.report.add(
                "classes.quote-not-closed",
                end,
                "A quotation mark is missing in this list: the marks on this line do not come in pairs.",
                hint='Add `"` where a text begins or ends without.',
            )
            return
        self.report.add(
            "classes.comma-missing",
            end,
            "Two values of this list have no comma between them.",
            hint="Add `,` here.",
            fix=Splice(end, end, ","),
        )

    def _last_end(self, top: Node) -> int:
        return top.children[-1].end if top.children else top.value_start + 1

    def _space_inside(self, at: int) -> int:
        while True:
            space = _SPACE.match(self.text, at)
            at = space.end() if space is not None else at
            remark = _REMARK.match(self.text, at)
            if remark is None:
                return at
            at = remark.end()

    def _item(self, top: Node, at: int) -> int:
        string = _STRING.match(self.text, at)
        if string is not None:
            mark = self.text[at]
            value = self.text[at + 1 : string.end() - 1].replace(mark * 2, mark)
            top.adopt(Node(NodeKind.VALUE, "", at, string.end(), value, at + 1, string.end() - 1, is_quoted=True))
            return string.end()
        if self.text[at] in "\"'":
            line_end = self.source.line_end(at)
            end = next((n for n in range(at + 1, line_end) if self.text[n] in ",}"), line_end)
            self.report.add(
                "classes.quote-not-closed",
                end,
                "A value of this list has no closing quotation mark.",
                hint=f"Add `{self.text[at]}` here.",
            )
            top.adopt(Node(NodeKind.VALUE, "", at, end, self.text[at:end], at, end))
            return end
        bare = _ITEM_END.match(self.text, at)
        raw = bare.group().rstrip() if bare is not None else ""
        end = at + max(1, len(raw))
        words = _TWO_WORDS.match(raw)
        if words is not None:
            self._comma_missing(at + words.end(1), at)
        top.adopt(Node(NodeKind.VALUE, "", at, end, self.text[at:end], at, end))
        return end

    def _list_left(self, open_lists: list[Node], at: int, *, is_told: bool = False) -> int:
        """The list is not closed where something else begins."""
        end = end_of_text(self.text, at)
        for one in open_lists:
            one.end = one.value_end = end
        if not is_told:
            missing = "}" * len(open_lists)
            self.report.add(
                "classes.brace-not-closed",
                end,
                f"The `{{` of {open_lists[0].name or 'a list'} on line {self.source.line_at(open_lists[0].value_start)} is never closed.",
                hint=f"Add `{missing}` here.",
                fix=Splice(end, end, missing),
            )
        return end

    def _other(self, at: int) -> int:
        """A statement that stays closed."""
        self.comments.forget()
        match = _OTHER.match(self.text, at)
        end = match.end() if match is not None else at + 1
        shown = self.text[at : min(end, at + 30)].strip()
        if match is None or not re.match(r"\w+\s*\(", shown):
            self.report.add(
                "classes.not-a-statement",
                at,
                f"`{shown}` is neither a class, a value (name = …;) nor a list (name[] = {{…}};).",
                hint="Is a `=` or a name missing?",
            )
        brace = _BRACE.match(self.text, end)
        if brace is not None and brace.group(1) and not self.nesting.is_full:
            node = Node(NodeKind.GROUP, shown, at, brace.end(), value_start=brace.end(), value_end=brace.end())
            self._place(node)
            self.nesting.opened(node, brace.start(1))
            return brace.end()
        return end

    def _place(self, node: Node) -> None:
        self.comments.document(node)
        top = self.nesting.top
        top.adopt(node)
        if node.name.startswith(("#", "+")) or node.name == "delete":
            return
        first = self.seen.setdefault(id(top), {}).setdefault(node.name, node.start)
        if first != node.start:
            self.report.add(
                "classes.repeated-name",
                node.start,
                f"{node.name} is on line {self.source.line_at(first)} of this class already.",
                hint="Remove the one that is wrong.",
            )
