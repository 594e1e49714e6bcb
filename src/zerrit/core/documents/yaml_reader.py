"""
Read YAML text into nodes.

PyYAML's C parser gives the events with exact places, so it does the reading; what it lacks is added here: the
core schema of YAML 1.2 instead of 1.1 (so `yes` stays text, and is reported), comments, duplicate keys,
aliases that stay aliases (no alias bomb can grow), and faults in words that do not presume a parser.
After a syntax error the tree holds what stood before it.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any, Final

import yaml

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import YAML_OLD_BOOLEANS
from zerrit.core.documents.source import Source

MAX_DEPTH: Final = 200

_Loader: Any = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
_COMMENT: Final = re.compile(r"(?:^|(?<=[ \t\r\n]))#[^\r\n]*", re.MULTILINE)
#: An anchor and a tag before a value, in either order (YAML 1.2.2, section 6.9).
_PROPERTIES: Final = re.compile(r"(?:(?:&[^\s,\[\]{}]+|!(?:<[^>\s]*>|[^\s,\[\]{}]*))(?:[ \t\r\n]+|(?=[,\]}])|\Z))*")
_TAB_INDENT: Final = re.compile(r"^ *\t", re.MULTILINE)


def read(source: Source, report: Report) -> Node:
    """Read the text; the root is its one value, or a list of documents where `---` parts several."""
    return _YamlReader(source, report).read()


@dataclass(slots=True)
class _Level:
    node: Node
    is_flow: bool
    key: str | None = None  #: key read, its value still to come
    key_start: int = 0
    seen: dict[str, int] | None = None


class _YamlReader:
    def __init__(self, source: Source, report: Report) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.stack: list[_Level] = []
        self.documents: list[Node] = []
        self.scalar_spans: list[tuple[int, int]] = []
        self.too_deep = False

    def read(self) -> Node:
        loader = None
        try:
            loader = _Loader(self.text)
            while loader.check_event():
                self._event(loader.get_event())
                if self.too_deep:
                    break
        except yaml.MarkedYAMLError as error:
            self._syntax_error(error)
        except yaml.YAMLError as error:
            place = getattr(error, "position", 0)
            self.report.add(
                "yaml.syntax",
                min(int(place), len(self.text)),
                "A character stands here that YAML does not allow in a text file.",
            )
        finally:
            if loader is not None:
                loader.dispose()
        while self.stack:
            self._pop(self.stack[-1].node.end)
        root = self._root()
        self._attach_comments(root)
        return root

    def _root(self) -> Node:
        if len(self.documents) == 1:
            return self.documents[0]
        root = Node(
            NodeKind.LIST if self.documents else NodeKind.GROUP,
            "",
            0,
            len(self.text),
            value_start=0,
            value_end=len(self.text),
        )
        for document in self.documents:
            root.adopt(document)
        return root

    # --- events -----------------------------------------------------------------------------------------------------

    def _event(self, event: Any) -> None:
        start: int = event.start_mark.index
        end: int = event.end_mark.index
        if isinstance(event, yaml.ScalarEvent):
            self._scalar(event)
        elif isinstance(event, yaml.AliasEvent):
            self._value_node(
                Node(NodeKind.VALUE, "", start, end, value=f"*{event.anchor}", value_start=start, value_end=end)
            )
        elif isinstance(event, yaml.MappingStartEvent | yaml.SequenceStartEvent):
            kind = NodeKind.GROUP if isinstance(event, yaml.MappingStartEvent) else NodeKind.LIST
            self._push(kind, start, is_flow=bool(event.flow_style))
        elif isinstance(event, yaml.MappingEndEvent | yaml.SequenceEndEvent):
            self._pop(end)

    def _push(self, kind: NodeKind, start: int, *, is_flow: bool) -> None:
        node = Node(kind, "", start, start, value_start=self._after_properties(start))
        level = self.stack[-1] if self.stack else None
        if level is not None and level.node.kind is NodeKind.GROUP and level.key is None:
            # A mapping or list as a key: legal YAML that no game uses. It is kept in the text and not opened.
            self.report.add("yaml.syntax", start, "A list or mapping is used as a key here; Zerrit leaves it closed.")
        if len(self.stack) >= MAX_DEPTH:
            self.report.add("text.too-deep", start, f"The file nests deeper than {MAX_DEPTH} levels here.")
            self.too_deep = True
            return
        self._place(node)
        self.stack.append(_Level(node, is_flow, seen={}))

    def _pop(self, end: int) -> None:
        level = self.stack.pop()
        node = level.node
        if level.key is not None:
            node.adopt(Node(NodeKind.VALUE, level.key, level.key_start, level.key_start + len(level.key), value=""))
        if level.is_flow:
            node.end = node.value_end = max(end, node.value_start)
        else:
            # The parser ends a block where the next token starts; for us it ends with its last item.
            node.end = node.value_end = node.children[-1].end if node.children else node.value_start

    def _scalar(self, event: Any) -> None:
        start, end = event.start_mark.index, event.end_mark.index
        is_quoted = event.style in ("'", '"', "|", ">")
        if event.style in ("|", ">"):
            end = start + len(self.text[start:end].rstrip())
        self.scalar_spans.append((start, end))
        level = self.stack[-1] if self.stack else None
        if level is not None and level.node.kind is NodeKind.GROUP and level.key is None:
            self._key(level, event.value, start)
            return
        inner = 1 if event.style in ("'", '"') else 0
        value_start = min(self._after_properties(start) + inner, end)
        value_end = max(end - inner, value_start)
        node = Node(
            NodeKind.VALUE,
            "",
            start,
            end,
            value=event.value,
            value_start=value_start,
            value_end=value_end,
            is_quoted=is_quoted,
        )
        if not is_quoted and event.value in YAML_OLD_BOOLEANS:
            self.report.add(
                "yaml.old-boolean",
                start,
                f"`{event.value}` is read as {'true' if event.value.lower() in ('yes', 'on', 'y') else 'false'} by some "
                "games and as a word by others; true and false are read alike by all.",
            )
        self._value_node(node)

    def _after_properties(self, start: int) -> int:
        """Where the value itself begins; an anchor or a tag before it is not part of what an edit replaces."""
        match = _PROPERTIES.match(self.text, start)
        return match.end() if match else start

    def _key(self, level: _Level, key: str, start: int) -> None:
        if level.seen is not None:
            if key in level.seen:
                first = self.source.line_at(level.seen[key])
                self.report.add(
                    "yaml.duplicate-key",
                    start,
                    f"`{key}` stands twice at this level (first on line {first}); only one of them holds. Remove one.",
                )
            level.seen[key] = start
        level.key = key
        level.key_start = start

    def _value_node(self, node: Node) -> None:
        self._place(node)

    def _place(self, node: Node) -> None:
        if not self.stack:
            self.documents.append(node)
            return
        level = self.stack[-1]
        if level.key is not None:
            node.name = level.key
            node.start = node.lead_start = level.key_start
            level.key = None
        level.node.adopt(node)
        # An empty value ends with its key's colon, wherever the parser saw the next token.
        if node.is_value and node.value == "" and not node.is_quoted and node.value_start == node.value_end:
            colon = self.text.find(":", node.start, node.end)
            if colon >= 0:
                node.end = node.value_start = node.value_end = colon + 1

    # --- comments -----------------------------------------------------------------------------------------------------

    def _attach_comments(self, root: Node) -> None:
        """Put each comment on the node below or beside it; the parser drops comments, so they are found again."""
        keeper = CommentKeeper(self.source)
        spans = iter(self.scalar_spans)
        span = next(spans, None)
        comments: list[tuple[int, int]] = []
        for match in _COMMENT.finditer(self.text):
            while span is not None and span[1] <= match.start():
                span = next(spans, None)
            if span is None or not span[0] <= match.start() < span[1]:
                comments.append(match.span())
        nodes = [node for node in root.walk() if node is not root]
        marks: list[tuple[int, int, Node | None]] = [(start, 0, None) for start, _ in comments]
        marks += [(node.start, 1, node) for node in nodes]
        ends = dict(comments)
        last_value: Node | None = None
        for start, _, node in sorted(marks, key=lambda mark: mark[:2]):
            if node is None:
                if last_value is not None:
                    keeper.ended(last_value, last_value.end)
                keeper.saw(start, ends[start], tidy_block(self.text[start : ends[start]].lstrip("#")))
                last_value = None
            else:
                keeper.document(node)
                last_value = node if node.is_value else None

    # --- faults -------------------------------------------------------------------------------------------------------

    def _syntax_error(self, error: yaml.MarkedYAMLError) -> None:
        mark = error.problem_mark or error.context_mark
        at = min(mark.index, len(self.text)) if mark else 0
        problem = error.problem or ""
        opened = self.source.line_at(error.context_mark.index) if error.context_mark else 0
        tab = _TAB_INDENT.search(self.text, self.source.line_start(at), self.source.line_end(at))
        if tab or "'\\t'" in problem:
            self.report.add(
                "yaml.tab",
                tab.end() - 1 if tab else at,
                "A tab stands at the start of this line; YAML allows only spaces for indentation.",
                hint="Replace the tab by spaces, as many as the lines around it have.",
            )
        elif "quoted scalar" in (error.context or ""):
            start = error.context_mark.index if error.context_mark else at
            self.report.add(
                "yaml.quote-not-closed",
                start,
                f"The text opened with {self.text[start : start + 1]} here is never closed.",
                hint="Add the closing quotation mark.",
            )
        elif "mapping values are not allowed" in problem:
            self.report.add(
                "yaml.syntax",
                at,
                "A second colon stands in this line, or the line is indented more than the one above it.",
                hint='If the colon belongs to the text, put the text in quotation marks: "…".',
            )
        elif "could not find expected ':'" in problem:
            # The scanner notices one token late; the word without a colon stands where it began.
            start = error.context_mark.index if error.context_mark else at
            self.report.add("yaml.syntax", start, "This line has no colon: a setting is written `name: value`.")
        elif "expected <block end>" in problem:
            self.report.add(
                "yaml.syntax",
                at,
                f"This line is indented differently from the block that begins on line {opened}, or a dash or quotation "
                "mark is missing.",
                hint="Give it exactly as many spaces as its neighbours have.",
            )
        elif "expected ',' or" in problem:
            self.report.add(
                "yaml.syntax",
                at,
                f"The bracket opened on line {opened} is not closed, or a comma is missing before this place.",
            )
        elif "cannot start any token" in problem:
            sign = self.text[at : at + 1]
            self.report.add(
                "yaml.syntax", at, f"`{sign}` cannot begin a value here.", hint='Put the text in quotation marks: "…".'
            )
        else:
            self.report.add("yaml.syntax", at, f"YAML cannot be read from here on ({problem}).")
