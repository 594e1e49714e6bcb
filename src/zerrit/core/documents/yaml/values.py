"""
Read the single values of YAML: plain, quoted, in several lines, aliases, anchors and tags.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import YAML_OLD_BOOLEANS
from zerrit.core.documents.source import Splice
from zerrit.core.documents.yaml.scalars import BAD_ESCAPE, block_text, double_quoted, plain_text, single_quoted
from zerrit.core.documents.yaml.scan import MARKER, SPACES, Scanner

PROPERTY: Final = re.compile(r"&[^\s,\[\]{}]+|!(?:<[^>\s]*>|[^\s,\[\]{}!]*!?[^\s,\[\]{}!]*)")
_HANDLE: Final = re.compile(r"![\w-]+!")
ALIAS: Final = re.compile(r"\*[^\s,\[\]{}]+")
PLAIN: Final = re.compile(r"(?:[^\s:#]+|:(?=\S)|(?<=\S)#|[ \t]+(?=[^\s#:]|:\S))+")
_PLAIN_IN_FLOW: Final = re.compile(
    r"(?:[^\s:#,\[\]{}]+|:(?=[^\s,\[\]{}])|(?<=\S)#|[ \t]+(?=[^\s#:,\[\]{}]|:[^\s,\[\]{}]))+"
)
_QUOTED: Final = {
    '"': re.compile(r'"(?:[^"\\]|\\.)*+"', re.DOTALL),
    "'": re.compile(r"'(?:[^']|'')*+'(?!')"),
}
COLON: Final = re.compile(r"[ \t]*:(?=[ \t\r\n]|\Z)")
_HEADER: Final = re.compile(r"[|>](?:([1-9])?([+-])?|([+-])([1-9]))(?=[ \t\r\n]|\Z)")
_LINE_END: Final = re.compile(r"\r\n|\r|\n")
LOOKS_LIKE_SETTING: Final = re.compile(r"(?:- +)*(?:[\w\"'][^\r\n\"']*[\"']?:(?:[ \t]|[\r\n]|\Z)|[A-Za-z_][\w\-]*:)|- ")


class Values(Scanner):
    """Reads one value into a node that is given."""

    def _value(self, node: Node, value: str, start: int, end: int, *, is_quoted: bool, inner: int = 0) -> None:
        node.kind = NodeKind.VALUE
        node.value = value
        node.value_start = start + inner
        node.value_end = max(end - inner, node.value_start)
        node.end = end
        node.is_quoted = is_quoted
        if not is_quoted and value in YAML_OLD_BOOLEANS:
            self._fault(
                "yaml.old-boolean",
                start,
                f"`{value}` is read as {'true' if value.lower() in ('yes', 'on', 'y') else 'false'} by some "
                "games and as a word by others; true and false are read alike by all.",
            )

    def _property(self) -> None:
        match = PROPERTY.match(self.text, self.at)
        end = match.end() if match else self.at + 1
        if match and match.group().startswith("&"):
            self.anchors.add(match.group()[1:])
        handle = _HANDLE.match(self.text, self.at)
        if handle and handle.group() not in self.handles:
            self._fault("yaml.property", self.at, f"The tag handle {handle.group()} is declared by no %TAG line above.")
        if not match or self.text[end : end + 1] not in ("", " ", "\t", "\r", "\n", ",", "]", "}"):
            self._fault(
                "yaml.property",
                self.at,
                f"`{self.text[self.at : self.at + 12].split()[0]}` cannot be here: a value that begins with & or ! "
                "is an anchor or a tag. A text is in quotation marks.",
            )
        self.at = end

    def _two_anchors(self) -> None:
        self._fault("yaml.property", self.at, "A value can have one anchor (&name) and one tag (!name).")

    def _alias_with_properties(self) -> None:
        self._fault("yaml.property", self.at, "An alias (*name) stands for a value; it cannot have an anchor or a tag.")

    def _alias(self, node: Node, *, in_flow: bool) -> None:
        match = ALIAS.match(self.text, self.at)
        start = self.at
        if match is None:
            self._cannot_start(node, in_flow=in_flow)
            return
        rest = self.text[match.end() : self.source.line_end(start)].strip(" \t")
        if rest and not in_flow and not rest.startswith("#"):
            self._cannot_start(node, in_flow=False)
            return
        if match.group()[1:] not in self.anchors:
            self._unknown_anchor(start, match.group()[1:])
        self._value(node, match.group(), start, match.end(), is_quoted=False)
        self.at = match.end()

    def _unknown_anchor(self, at: int, name: str) -> None:
        self._fault(
            "yaml.unknown-anchor",
            at,
            f"`*{name}` stands for the value that has the anchor &{name}, but nothing above has it. A text that "
            "begins with * is in quotation marks.",
        )

    def _cannot_start(self, node: Node, *, in_flow: bool) -> None:
        start = self.at
        end = self.source.line_end(start)
        raw = self.text[start:end].rstrip(" \t")
        if in_flow:
            match = _PLAIN_IN_FLOW.match(self.text, start)
            raw = match.group() if match else raw[:1]
        stop = start + len(raw)
        is_sure = " #" not in raw and '"' not in raw and "\\" not in raw and not in_flow
        self._fault(
            "yaml.cannot-start",
            start,
            f"`{raw[:1]}` cannot begin a value; a text that begins so is in quotation marks.",
            hint=f'Write "{raw[:60]}".',
            fix=Splice(start, stop, f'"{raw}"') if is_sure else None,
        )
        self._value(node, raw, start, stop, is_quoted=False)
        self.at = max(stop, start + 1)

    def _plain(self, node: Node, indent: int, *, in_flow: bool) -> None:
        text = self.text
        pattern = _PLAIN_IN_FLOW if in_flow else PLAIN
        start = self.at
        match = pattern.match(text, start)
        end = match.end() if match else start + 1
        while True:
            self.at = end
            line_kept = self.line
            following = self._continuation(end, indent, pattern, in_flow=in_flow)
            if following is None:
                self.at = end
                self.line = line_kept
                break
            end = following
        self._value(node, plain_text(text[start:end]), start, end, is_quoted=False)
        if not in_flow:
            self._rest_of_line("yaml.after-value", "the value")

    def _continuation(self, at: int, indent: int, pattern: re.Pattern[str], *, in_flow: bool) -> int | None:
        """The end of the plain text that goes on in a following line, or None."""
        text = self.text
        crossed = False
        while at < len(text):
            sign = text[at]
            if sign in " \t":
                at += 1
            elif sign in "\r\n":
                at += 2 if text.startswith("\r\n", at) else 1
                self.line = at
                crossed = True
            else:
                break
        self.at = at
        if not crossed or at >= len(text) or self._marker() or text[at] == "#":
            return None
        if self._column() <= indent or "\t" in text[self.line : self.line + indent + 1]:
            return None
        match = pattern.match(text, at)
        if match is None:
            return None
        if not in_flow and COLON.match(text, match.end()):
            return None
        return match.end()

    def _quoted(self, node: Node, indent: int) -> None:
        text = self.text
        start = self.at
        quote = text[start]
        match = _QUOTED[quote].match(text, start)
        end = match.end() if match else len(text)
        broken = self._quote_break(start, end, indent)
        if match is None or broken >= 0:
            self._not_closed(node, start, quote, broken)
            return
        raw = text[start + 1 : end - 1]
        if quote == '"':
            self._check_escapes(start + 1, end - 1)
        value = double_quoted(raw) if quote == '"' else single_quoted(raw)
        self._value(node, value, start, end, is_quoted=True, inner=1)
        self.at = end
        if "\n" in raw or "\r" in raw:
            self.line = self.source.line_start(end)

    def _quote_break(self, start: int, end: int, indent: int) -> int:
        """Where a line begins that a quoted text cannot reach, since it is not indented enough; -1 where none."""
        text = self.text
        for match in _LINE_END.finditer(text, start, end):
            line = match.end()
            first = line
            while first < end and text[first] == " ":
                first += 1
            if text[first : first + 1] in ("\r", "\n", ""):
                continue
            blank = SPACES.match(text, first)
            if blank and text[blank.end() : blank.end() + 1] in ("\r", "\n"):
                continue
            if first - line <= indent or MARKER.match(text, line):
                return line
        return -1

    def _not_closed(self, node: Node, start: int, quote: str, broken: int) -> None:
        end = self.source.line_end(start)
        stop = start + len(self.text[start:end].rstrip(" \t"))
        self._fault(
            "yaml.quote-not-closed",
            stop,
            f"The text opened with {quote} on line {self.source.line_at(start)} is not closed.",
            hint=f"Add {quote} here.",
            fix=Splice(stop, stop, quote) if broken < 0 or LOOKS_LIKE_SETTING.match(self._line_body(broken)) else None,
        )
        self._value(node, self.text[start + 1 : stop], start, stop, is_quoted=True)
        node.value_start = min(start + 1, stop)
        self.at = stop

    def _check_escapes(self, start: int, end: int) -> None:
        at = self.text.find("\\", start, end)
        if at < 0:
            return
        for match in re.finditer(r"\\(?:.|\r\n|\r|\n)", self.text[at:end], re.DOTALL):
            bad = BAD_ESCAPE.match(self.text, at + match.start(), end)
            if bad:
                self._fault(
                    "yaml.bad-escape",
                    bad.start(),
                    f"`{bad.group()}` means nothing between double quotation marks; a backslash itself is written `\\\\`.",
                    hint="Write two backslashes, or use single quotation marks.",
                    fix=Splice(bad.start(), bad.start(), "\\"),
                )

    def _after_quotes(self, node: Node) -> None:
        """Behind a closing quotation mark nothing but a comment follows."""
        start = self.at
        match = SPACES.match(self.text, start)
        at = match.end() if match else start
        rest = self.text[at : at + 1]
        if rest in ("", "\r", "\n") or (rest == "#" and at > start):
            return
        end = self.source.line_end(at)
        shown = self.text[at : min(end, at + 30)].rstrip()
        quote = self.text[node.value_start - 1 : node.value_start]
        how = r"\"" if quote == '"' else "''"
        self._fault(
            "yaml.after-quote",
            max(start - 1, 0),
            f"The quotation mark closes the text here, but `{shown}` follows. A {quote} inside the text is written {how}.",
            hint=f"Write {how} for a quotation mark that belongs to the text.",
        )
        self.at = end

    def _block_scalar(self, node: Node, indent: int) -> None:
        text = self.text
        start = self.at
        header = _HEADER.match(text, start)
        if header is None:
            if re.match(r"[|>][+-]?\d?[+-]?[ \t]*\S", text[start : start + 12]):
                self._cannot_start(node, in_flow=False)
                return
            self._fault("yaml.block-header", start, "After | or > only +, - or a digit and then the line end can be.")
            self._to_line_end()
        else:
            self.at = header.end()
            self._rest_of_line("yaml.block-header", f"{header.group()}; the text itself begins on the next line")
        digit = (header.group(1) or header.group(4)) if header else None
        chomp = (header.group(2) or header.group(3) or "") if header else ""
        column = max(indent, 0) + int(digit) if digit else -1
        first_line = self.source.after_line(self.at)
        lines, stop = self._block_lines(first_line, indent, column)
        value = block_text(lines, text[start] == ">", chomp)
        end = self._back(stop)
        self._value(node, value, start, max(end, header.end() if header else start + 1), is_quoted=True)
        self.at = stop
        self.line = self.source.line_start(stop)

    def _block_lines(self, at: int, indent: int, column: int) -> tuple[list[str], int]:
        """The lines of a block scalar without their indentation, and where the first line behind it begins."""
        text = self.text
        lines: list[str] = []
        blank_most = blank_at = 0
        while at < len(text):
            match = _LINE_END.search(text, at)
            end, following = match.span() if match else (len(text), len(text))
            line = text[at:end]
            body = line.lstrip(" ")
            spaces = len(line) - len(body)
            if not body and (column < 0 or spaces <= column):
                lines.append("")
                if spaces > blank_most:
                    blank_most, blank_at = spaces, at
                at = following
                continue
            if column < 0:
                if spaces <= indent:
                    if body.startswith("\t"):
                        self._check_tab_at(at + spaces)
                    break
                column = spaces
                if blank_most > column:
                    self._fault(
                        "yaml.indent", blank_at, "This empty line has more spaces than the text that follows it."
                    )
            if (spaces < column and body) or (column == 0 and MARKER.match(text, at)):
                break
            lines.append(line[column:])
            at = following
        return lines, at
