"""
Read YAML in flow style: lists and mappings in brackets.
"""

from __future__ import annotations

from typing import Final

from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Splice
from zerrit.core.documents.yaml.keys import CANNOT_START, Keys
from zerrit.core.documents.yaml.values import LOOKS_LIKE_SETTING

MAX_DEPTH: Final = 120  # each level costs three frames of Python's stack; real files stay below 20


class Brackets(Keys):
    """Reads what is in brackets, and any value that is not a block list or mapping."""

    def _single(self, node: Node, indent: int, *, in_flow: bool) -> None:
        """A value that is not a block list or mapping."""
        text = self.text
        sign = text[self.at]
        if sign in "[{":
            self._flow(node, indent)
            if not in_flow:
                self._rest_of_line("yaml.after-value", "the closing bracket")
        elif sign in "\"'":
            self._quoted(node, indent)
            if not in_flow:
                self._after_quotes(node)
        elif sign == "*":
            self._alias(node, in_flow=in_flow)
        else:
            following = text[self.at + 1 : self.at + 2]
            is_blank = following in ("", " ", "\t", "\r", "\n") or (in_flow and following in ",[]{}")
            if sign in CANNOT_START and (sign not in "-?:" or is_blank):
                self._cannot_start(node, in_flow=in_flow)
            else:
                self._plain(node, indent, in_flow=in_flow)

    def _flow(self, node: Node, indent: int) -> None:
        """A list or mapping in brackets."""
        text = self.text
        opened = self.at
        opening = text[opened]
        closing = "]" if opening == "[" else "}"
        node.kind = NodeKind.LIST if opening == "[" else NodeKind.GROUP
        node.value = None
        node.value_start = opened
        if self.depth >= MAX_DEPTH:
            self._fault("text.too-deep", opened, f"Brackets nest deeper than {MAX_DEPTH} levels here.")
            self.is_too_deep = True
            self.at = node.end = node.value_end = len(text)
            return
        self.depth += 1
        self.at += 1
        seen: dict[str, int] = {}
        needs_comma = False
        while True:
            before = self.at
            crossed = self._skip()
            if self.at >= len(text) or self._marker() or (crossed and self._ends_flow(indent)):
                self._flow_not_closed(opened, opening, closing, before)
                self.at = before
                self.line = self.source.line_start(before)
                break
            sign = text[self.at]
            if crossed and "\t" in text[self.line : min(self.line + indent + 1, self.at)]:
                self._check_tab_at(text.index("\t", self.line))
            if sign in "]}":
                if sign != closing:
                    self._wrong_bracket(opened, opening, closing)
                self.at += 1
                break
            if sign == ",":
                if not needs_comma:
                    self._fault(
                        "yaml.comma-extra",
                        self.at,
                        "A comma is here with nothing before it.",
                        hint="Remove it.",
                        fix=Splice(self.at, self.at + 1, ""),
                    )
                needs_comma = False
                self.at += 1
                continue
            if needs_comma:
                at = self._back(before)
                self._fault(
                    "yaml.comma-missing",
                    at,
                    f"A comma is missing here; the bracket was opened on line {self.source.line_at(opened)}.",
                    hint="Add `,` here.",
                    fix=Splice(at, at, ","),
                )
            start = self.at
            self._flow_entry(node, indent, seen)
            if self.at == start:
                self.at += 1
            needs_comma = True
        self.depth -= 1
        node.end = node.value_end = self.at

    def _ends_flow(self, indent: int) -> bool:
        """This line is none of the inside of brackets: it is too far left, and looks like a setting."""
        if self._column() > indent:
            return False
        if self.text[self.at] in "]}" and not self.text[self.at + 1 : self.source.line_end(self.at)].strip(" \t,"):
            if indent >= 0:
                self._fault(
                    "yaml.flow-indent",
                    self.at,
                    "The closing bracket is further left than YAML allows: it needs more spaces than the name that "
                    "the brackets belong to.",
                    hint="Put a space before it.",
                    fix=Splice(self.line, self.line, " " * (indent + 1 - self._column())),
                )
            return False
        if LOOKS_LIKE_SETTING.match(self._line_body(self.line)):
            return True
        self._fault(
            "yaml.flow-indent",
            self.at,
            "This line is inside brackets, but further left than YAML allows.",
            hint="Indent it further than the name that the brackets belong to.",
        )
        return False

    def _flow_not_closed(self, opened: int, opening: str, closing: str, before: int) -> None:
        at = self._back(before)
        self._fault(
            "yaml.bracket-not-closed",
            at,
            f"`{opening}` opened on line {self.source.line_at(opened)} is not closed.",
            hint=f"Add `{closing}` here.",
            fix=Splice(at, at, closing),
        )

    def _wrong_bracket(self, opened: int, opening: str, closing: str) -> None:
        self._fault(
            "yaml.bracket-mismatch",
            self.at,
            f"`{self.text[self.at]}` is here, but `{opening}` opened on line {self.source.line_at(opened)} is closed "
            f"by `{closing}`.",
            hint=f"Write `{closing}`.",
            fix=Splice(self.at, self.at + 1, closing),
        )

    def _flow_entry(self, node: Node, indent: int, seen: dict[str, int]) -> None:
        """One item of a list in brackets, or one `name: value`."""
        text = self.text
        start = self.at
        is_explicit = self._is_sign("?")
        if is_explicit:
            self.at += 1
            self._skip()
        child = Node(NodeKind.VALUE, "", start, start)
        key_line = self.line
        if self.at < len(text) and text[self.at] not in ",]}" and not self._is_flow_colon(after_json=False):
            self._flow_value(child, indent)
        else:
            child.value = ""
            child.end = child.value_start = child.value_end = self.at
        is_json = child.is_quoted or child.kind is not NodeKind.VALUE
        end, line = self.at, self.line
        self._skip()
        may_span = is_explicit or node.kind is NodeKind.GROUP
        may_span = may_span or self.line == key_line
        if self.at < len(text) and not may_span and self._is_flow_colon(after_json=is_json):
            self._fault("yaml.colon-place", self.at, "The colon of a name in [ ] is on the line of the name.")
            may_span = True
        if self.at < len(text) and may_span and self._is_flow_colon(after_json=is_json):
            name = (child.value or "") if child.kind is NodeKind.VALUE else text[child.start : child.end]
            pair = Node(NodeKind.VALUE, name, start, start)
            self.at += 1
            self._flow_pair(node, pair, indent, seen)
            return
        self.at, self.line = end, line
        if node.kind is NodeKind.LIST and not is_explicit:
            self.comments.document(child)
            node.adopt(child)
            self.comments.ended(child, child.end)
            return
        name = (child.value or "") if child.kind is NodeKind.VALUE else text[child.start : child.end]
        lone = Node(
            NodeKind.VALUE, name, start, max(child.end, start), "", max(child.end, start), max(child.end, start)
        )
        if node.kind is NodeKind.LIST:
            single = Node(NodeKind.GROUP, "", start, lone.end, None, start, lone.end)
            single.adopt(lone)
            node.adopt(single)
        else:
            self._named(node, lone, seen)

    def _flow_pair(self, node: Node, pair: Node, indent: int, seen: dict[str, int]) -> None:
        """The value behind the colon of `pair`, and where the pair belongs."""
        text = self.text
        colon_end = self.at
        owner = node
        if node.kind is NodeKind.LIST:
            owner = Node(NodeKind.GROUP, "", pair.start, pair.start, None, pair.start, pair.start)
            node.adopt(owner)
            seen = {}
        self._named(owner, pair, seen)
        self._skip()
        if self.at < len(text) and text[self.at] not in ",]}":
            kept = pair.start
            self._flow_value(pair, indent)
            pair.start = kept
        else:
            pair.value = ""
            pair.end = pair.value_start = pair.value_end = colon_end
            self.at = max(self.at, colon_end)
        if owner is not node:
            owner.end = owner.value_end = pair.end
        self.comments.ended(pair, pair.end)

    def _flow_value(self, node: Node, indent: int) -> None:
        text = self.text
        while self.at < len(text) and text[self.at] in "&!":
            self._property()
            self._skip()
        if self.at >= len(text) or text[self.at] in ",]}" or self._is_flow_colon(after_json=False):
            node.value = ""
            node.end = node.value_start = node.value_end = self.at
            return
        self._single(node, indent, in_flow=True)

    def _is_flow_colon(self, *, after_json: bool) -> bool:
        if not self.text.startswith(":", self.at):
            return False
        return after_json or self.text[self.at + 1 : self.at + 2] in (
            "",
            " ",
            "\t",
            "\r",
            "\n",
            ",",
            "[",
            "]",
            "{",
            "}",
        )
