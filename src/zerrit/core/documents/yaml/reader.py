"""
Read YAML text into nodes, and go on after every mistake.

PyYAML's C parser, with which this began, is quick, but it ends at the first fault, says in a parser's words what
it was, knows YAML 1.1 only, and drops comments. So the text is read here by the rules of YAML 1.2.2, line by line
where a line is a plain `name: value`, which nine of ten are, and sign by sign where it is not.

Aliases stay aliases (no alias bomb can grow). What is not a mapping, list or scalar of today's core schema but
looked like one to older readers (`yes`, `on`) is read as text and reported.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache
from typing import Final

from zerrit.core.documents.findings import Report, report_characters
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.source import Source, Splice
from zerrit.core.documents.yaml.brackets import MAX_DEPTH, Brackets
from zerrit.core.documents.yaml.scan import SPACES
from zerrit.core.documents.yaml.values import COLON

#: What is not printable (YAML 1.2.2, production 1); a byte order mark may be anywhere.
_FORBIDDEN: Final = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x84\x86-\x9f\ud800-\udfff\ufffe\uffff]")
_DIRECTIVE: Final = re.compile(
    r"%(YAML[ \t]+\d+\.\d+|TAG[ \t]+![\w-]*!?[ \t]+\S+|(?!YAML\b|TAG\b)\w+[^\r\n]*)[ \t]*(?:[ \t]#[^\r\n]*)?(?=[\r\n]|\Z)"
)
_TIGHT_COLON: Final = re.compile(r"([A-Za-z_][\w\-]*):(?=[^\s/:])")
_NAME_AND_VALUE: Final = re.compile(r"([A-Za-z_][\w\-]*)[ \t]*=?[ \t]+\S")


def read(source: Source, report: Report, _reading: Reading) -> Node:
    """Read the text; the root is its one value, or a list of documents where `---` parts several."""
    return _YamlReader(source, report).read()


@lru_cache(maxsize=256)
def _simple_line(column: int) -> re.Pattern[str]:
    """A whole `name: value` at `column` whose value is plain and cannot go on in the next line."""
    return re.compile(
        r"([A-Za-z_][\w\-.]*+):[ ]++([A-Za-z0-9][^\s:#\"'\[\]{},&*!|>%@`]*+(?:[ ][^\s:#&*!|>%@`\"'\[\]{},]++)*+)"
        rf"(?=(?:\r?\n)(?:[ ]{{0,{column}}}[^\s.])|(?:\r?\n)?\Z)"
    )


class _YamlReader(Brackets):
    """Reads the documents of a stream and what is laid out by indentation."""

    def read(self) -> Node:
        report_characters(self.report, "yaml.character", _FORBIDDEN, "YAML")
        documents = self._documents()
        if len(documents) == 1:
            return documents[0]
        kind = NodeKind.LIST if documents else NodeKind.GROUP
        root = Node(kind, "", 0, len(self.text), value_start=0, value_end=len(self.text))
        for document in documents:
            root.adopt(document)
        return root

    # --- the stream ---------------------------------------------------------------------------------------------

    def _documents(self) -> list[Node]:
        documents: list[Node] = []
        if self.text.startswith("\ufeff"):
            self.at = self.line = 1
        may_be_bare = True
        while True:
            had_directives = self._directives(may_be_bare)
            if self.at >= len(self.text):
                if had_directives:
                    self._fault("yaml.directive", self.at, "A line with % is here and no document follows it.")
                return documents
            marker = self._marker()
            if marker == "..." and not had_directives:
                self._after_marker(3)
                may_be_bare = True
                continue
            if marker == "---":
                self.at += 3
            elif had_directives:
                self._fault("yaml.directive", self.at, "After the lines that begin with % a line --- is expected.")
            documents.append(self._document(is_marked=marker == "---"))
            may_be_bare = False
            if self._marker() == "...":
                self._after_marker(3)
                may_be_bare = True

    def _after_marker(self, length: int) -> None:
        self.at += length
        self._rest_of_line("yaml.after-value", "a line of three dots")

    def _directives(self, are_allowed: bool) -> bool:
        found = False
        has_version = False
        self.handles = set()
        while True:
            self._skip()
            if self.at != self.line or not self.text.startswith("%", self.at):
                return found
            end = self.source.line_end(self.at)
            match = _DIRECTIVE.match(self.text, self.at, end)
            if not are_allowed:
                self._fault(
                    "yaml.directive", self.at, "A line that begins with % can only follow a line of three dots."
                )
            elif match is None or (has_version and match.group(1).startswith("YAML")):
                self._fault("yaml.directive", self.at, "This line begins with %, but is not a YAML directive.")
            if match and match.group(1).startswith("TAG"):
                self.handles.add(match.group(1).split()[1])
            has_version = has_version or self.text.startswith("%YAML", self.at)
            found = True
            self.at = end

    def _document(self, *, is_marked: bool) -> Node:
        self.anchors = set()
        root = Node(NodeKind.VALUE, "", -1, -1)
        marker_line = self.line if is_marked else -1
        self._block_node(root, -1, is_compact=False, may_be_list=False)
        if root.start < 0:
            root.start = root.end = root.lead_start = root.value_start = root.value_end = min(self.at, len(self.text))
            root.value = ""
        if is_marked and root.kind is not NodeKind.VALUE and self.source.line_start(root.value_start) == marker_line:
            sign = self.text[root.value_start : root.value_start + 1]
            if sign not in "[{":
                self._fault("yaml.list-place", root.value_start, "What follows --- on its line must be a single value.")
        while True:
            self._skip()
            if self.at >= len(self.text) or self._marker():
                return root
            self._fault(
                "yaml.after-value",
                self.at,
                "This line is behind the end of what the file holds; is it indented less than it should be, "
                "or does its colon miss?",
            )
            self._skip_block(-1)

    # --- nodes in block style ------------------------------------------------------------------------------------

    def _block_node(self, node: Node, indent: int, *, is_compact: bool, may_be_list: bool) -> None:
        """Read what belongs to `node` from here: a value, list or mapping indented further than `indent`.

        `is_compact`: a list or mapping may begin on this very line, as after a dash. `may_be_list`: dashes may
        are as far left as the key above them. A node without a start gets it here.
        """
        origin = self.at
        crossed = False
        group_start = -1  #: where the anchor or tag is that belongs to a whole list or mapping
        own_start = -1  #: the same for what follows on its line
        has_anchor = has_tag = group_has_anchor = False
        while True:
            crossed_now = self._skip()
            crossed = crossed or crossed_now
            if self.at >= len(self.text) or self._marker():
                self._empty(node, origin, own_start)
                return
            column = self._column()
            is_dash = self._is_sign("-")
            if crossed and not (column > indent or (may_be_list and column == indent and is_dash)):
                self._empty(node, origin, own_start)
                return
            if crossed_now and own_start >= 0:
                group_start, own_start = own_start, -1
                group_has_anchor = has_anchor
                has_anchor = has_tag = False
            sign = self.text[self.at]
            if sign not in "&!":
                break
            if own_start < 0:
                own_start = self.at
            if (sign == "&" and has_anchor) or (sign == "!" and has_tag):
                self._two_anchors()
            has_anchor, has_tag = has_anchor or sign == "&", has_tag or sign == "!"
            self._property()
        begin = own_start if own_start >= 0 else self.at
        self._start(node, group_start if group_start >= 0 else begin)
        if self.text[self.at] == "*" and begin < self.at and self._key_end() < 0:
            self._alias_with_properties()
        if group_has_anchor and has_anchor and self._key_end() < 0:
            self._two_anchors()
        self._dispatch(node, indent, begin, crossed=crossed, is_compact=is_compact, has_own=own_start >= 0)

    def _start(self, node: Node, at: int) -> None:
        if node.start < 0:
            node.start = node.lead_start = at
            if node.parent is not None:
                self.comments.document(node)

    def _empty(self, node: Node, origin: int, properties_at: int) -> None:
        if node.start < 0 and properties_at >= 0:
            self._start(node, properties_at)
        if node.start < 0:
            self._start(node, origin)
        node.value = ""
        node.end = node.value_start = node.value_end = origin if properties_at < 0 else self._back(self.at)

    def _dispatch(self, node: Node, indent: int, begin: int, *, crossed: bool, is_compact: bool, has_own: bool) -> None:
        text = self.text
        sign = text[self.at]
        may_open = crossed or is_compact or indent < 0
        column = begin - self.line
        if sign == "-" and self._is_sign("-"):
            if not may_open or has_own:
                self.is_list_misplaced = True
                self._fault(
                    "yaml.list-place",
                    self.at,
                    "A dash cannot begin a list here; the first entry of a list is on a line of its own.",
                )
            self._deeper(node, self._sequence, self._column(), indent)
        elif sign in "|>":
            self._block_scalar(node, indent)
        elif sign == "?" and self._is_sign("?"):
            self._deeper(node, self._mapping, column, indent)
        elif (key_end := self._key_end()) >= 0 or (sign == ":" and self._is_sign(":")):
            if may_open:
                self.at = begin
                self._deeper(node, self._mapping, column, indent)
            else:
                self._second_colon(node, key_end)
        else:
            self._single(node, indent, in_flow=False)

    def _deeper(self, node: Node, read: Callable[[Node, int, int], None], column: int, indent: int) -> None:
        if self.depth >= MAX_DEPTH:
            self._fault("text.too-deep", self.at, f"The file nests deeper than {MAX_DEPTH} levels here.")
            self.is_too_deep = True
            self.at = len(self.text)
            node.value = ""
            node.end = node.value_start = node.value_end = self.at
            return
        self.depth += 1
        read(node, column, indent)
        self.depth -= 1

    def _second_colon(self, node: Node, key_end: int) -> None:
        """`name: word: more` on one line."""
        end = self.source.line_end(self.at)
        raw = self.text[self.at : end].rstrip(" \t")
        stop = self.at + len(raw)
        self._fault(
            "yaml.second-colon",
            max(key_end, self.at),
            "A second colon is in this line. If it belongs to the text, the text needs quotation marks; if not, "
            "it begins a line of its own.",
            hint="Put the text in quotation marks, or begin a new line.",
        )
        self._value(node, raw, self.at, stop, is_quoted=False)
        self.at = stop

    # --- mappings ---------------------------------------------------------------------------------------------------

    def _mapping(self, node: Node, column: int, indent: int) -> None:
        node.kind = NodeKind.GROUP
        node.value = None
        node.value_start = self.at
        seen: dict[str, int] = {}
        own_column = column
        while True:
            if not self.text.startswith("\n", self.at - 1) and self.at > self.line:
                self._check_tab()
            self._entry(node, column, seen)
            self._skip()
            if self.at >= len(self.text) or self._marker():
                break
            here = self._column_or(column)
            if here == column:
                if self._is_sign("-") and self._key_end() < 0:
                    if column <= indent:
                        break
                    self._stray_dash(column)
                continue
            if here <= indent or (here < column and self._is_sign("-")):
                break
            if here != own_column:
                self._misaligned(node, here, column)
            column = here
        last = node.children[-1] if node.children else None
        node.end = node.value_end = last.end if last is not None else node.value_start

    def _stray_dash(self, column: int) -> None:
        self._fault(
            "yaml.list-place",
            self.at,
            "A dash begins an entry of a list here, but the lines above it are settings (name: value).",
            hint="Remove the dash, or indent the line below the name of the list.",
        )
        self.at += 1
        match = SPACES.match(self.text, self.at)
        self.at = match.end() if match else self.at

    def _misaligned(self, node: Node, here: int, column: int) -> None:
        """Say that a line is where none of its neighbours does."""
        last = node.children[-1] if node.children else node
        how = "more" if here > column else "less"
        self._fault(
            "yaml.indent",
            self.at,
            f"This line is indented by {here} spaces, {how} than line {self.source.line_at(last.start)} above it, "
            f"which has {column}.",
            hint=f"Give it {column} spaces if it belongs to them.",
        )

    def _realign(self, here: int, column: int) -> None:
        """Count the columns of this entry as if it stood right, unless the lines below moved with it."""
        following = self.source.after_line(self.at)
        below = SPACES.match(self.text, following)
        if below is None or below.end() - following < here + 2:
            self.line += here - column

    def _entry(self, node: Node, column: int, seen: dict[str, int]) -> None:
        simple = _simple_line(column).match(self.text, self.at)
        if simple is not None:
            name, value = simple.groups()
            child = Node(NodeKind.VALUE, name, self.at, simple.end(), None, simple.start(2), simple.end(), parent=node)
            self._named(node, child, seen)
            self._value(child, value, simple.start(2), simple.end(), is_quoted=False)
            self.at = simple.end()
            self.comments.ended(child, self.at)
            return
        start = self.at
        if self._is_sign("?"):
            self._explicit_entry(node, column, seen)
            return
        while self.at < len(self.text) and self.text[self.at] in "&!":
            self._property()
            if self._skip():
                self._fault("yaml.property", start, "An anchor or a tag is alone here, in front of no value.")
                return
        key_start = self.at
        if self.text.startswith("*", key_start) and start < key_start:
            self._alias_with_properties()
        if key_start >= len(self.text):
            return
        end = self._key_end()
        if end < 0 and not self._is_sign(":"):
            self._no_key(node, column, seen)
            return
        name = self._key_text(key_start, end) if end >= 0 else ""
        colon = COLON.match(self.text, max(end, key_start))
        child = Node(NodeKind.VALUE, name, start, start)
        self._named(node, child, seen)
        self.at = colon.end() if colon else key_start + 1
        self.comments.ended(child, self.at)
        self._block_node(child, column, is_compact=False, may_be_list=True)
        self._ended(child)

    def _ended(self, node: Node) -> None:
        """A comment behind a value, or behind the bracket that closes a group, is about that and not about what follows."""
        is_flow = node.kind is not NodeKind.VALUE and self.text.startswith(("{", "["), node.value_start)
        if is_flow:
            self.comments.forget()
        if is_flow or node.kind is NodeKind.VALUE:
            self.comments.ended(node, node.end)

    def _explicit_entry(self, node: Node, column: int, seen: dict[str, int]) -> None:
        """`? key` and `: value`, each of which may be anything."""
        start = self.at
        self.at += 1
        self._check_tab_behind()
        key = Node(NodeKind.VALUE, "", -1, -1)
        self._block_node(key, column, is_compact=True, may_be_list=True)
        is_text = key.kind is NodeKind.VALUE
        name = (key.value or "") if is_text else self.text[key.start : key.end]
        child = Node(NodeKind.VALUE, name, start, start)
        self._named(node, child, seen)
        end = self.at if is_text else key.end
        self._skip()
        if self.at < len(self.text) and self._column() == column and self._is_sign(":"):
            self.at += 1
            self._check_tab_behind()
            self._block_node(child, column, is_compact=True, may_be_list=True)
        else:
            self.at = max(end, start + 1) if self._column() != column else self.at
            child.value = ""
            child.end = child.value_start = child.value_end = max(key.end, start + 1)

    def _no_key(self, node: Node, column: int, seen: dict[str, int]) -> None:
        """A line among settings that is none."""
        start = self.at
        end = self.source.line_end(start)
        raw = self.text[start:end].rstrip(" \t")
        tight = _TIGHT_COLON.match(self.text, start, end)
        if tight:
            place = tight.end()
            self._fault(
                "yaml.colon-space",
                place,
                f"A space is missing after the colon of {tight.group(1)}.",
                hint="Put a space behind the colon.",
                fix=Splice(place, place, " "),
            )
            child = Node(NodeKind.VALUE, tight.group(1), start, start)
            self._named(node, child, seen)
            self.at = place
            self._block_node(child, column, is_compact=False, may_be_list=True)
            return
        pair = _NAME_AND_VALUE.match(raw)
        name = pair.group(1) if pair else raw
        place = start + len(name)
        quote = raw[:1]
        if quote in ("'", '"') and raw.count(quote) % 2:
            self._fault("yaml.quote-not-closed", place, f"The name that begins with {quote} here is never closed.")
        else:
            self._fault(
                "yaml.colon-missing",
                place,
                f"`{raw[:40]}` has no colon: a setting is written `name: value`.",
                hint=f"Write `{name}:`.",
                fix=Splice(place, place, ":") if not pair and re.fullmatch(r"[\w\-]+", raw) else None,
            )
        child = Node(NodeKind.VALUE, name, start, start)
        self._named(node, child, seen)
        self.at = place
        if pair:
            self._block_node(child, column, is_compact=False, may_be_list=True)
            return
        self._to_line_end()
        self._block_node(child, column, is_compact=False, may_be_list=True)

    # --- lists --------------------------------------------------------------------------------------------------------

    def _sequence(self, node: Node, column: int, indent: int) -> None:
        node.kind = NodeKind.LIST
        node.value = None
        node.value_start = self.at
        own_column = column
        while True:
            self._check_tab()
            self._item(node, column)
            self._skip()
            if self.at >= len(self.text) or self._marker():
                break
            here = self._column_or(column)
            if here == column and self._is_sign("-"):
                continue
            if here <= indent:
                break
            if here == column and node.start != node.value_start and column == indent:
                break
            if not self._is_sign("-"):
                self._no_dash(here, column)
                column = min(column, here)
                continue
            if self.is_list_misplaced:
                self.is_list_misplaced = False
                own_column = column = here
            elif here == own_column:
                column = here
            else:
                self._misaligned(node, here, column)
                self._realign(here, column)
        node.end = node.value_end = node.children[-1].end if node.children else node.value_start

    def _item(self, node: Node, column: int) -> None:
        is_dash = self._is_sign("-")
        if is_dash:
            self.at += 1
            self._check_tab_behind()
        item = Node(NodeKind.VALUE, "", -1, -1)
        node.adopt(item)
        self._block_node(item, column, is_compact=True, may_be_list=False)
        self._ended(item)

    def _check_tab_behind(self) -> None:
        """Behind a dash, or the `?` and `:` of a long key, a tab may part a single value, but no list or mapping."""
        kept = self.at
        match = SPACES.match(self.text, kept)
        if match and "\t" in match.group():
            self.at = match.end()
            if self.at < len(self.text) and (
                self._is_sign("-") or self._is_sign("?") or self._is_sign(":") or self._key_end() >= 0
            ):
                self._check_tab_at(self.text.index("\t", kept))
            self.at = kept

    def _no_dash(self, here: int, column: int) -> None:
        tight = self.text.startswith("-", self.at)
        if tight:
            self._fault(
                "yaml.dash-space",
                self.at,
                "A space is missing after the dash.",
                hint="Put a space behind the dash.",
                fix=Splice(self.at + 1, self.at + 1, " "),
            )
            self.at += 1
            self.line -= 1  # count columns as if the space were there
            return
        self._fault(
            "yaml.dash-missing",
            self.at,
            f"This line is among the entries of a list, but has no dash. The entries begin with {column} spaces "
            "and a dash.",
            hint="Begin it with a dash and a space, or give it the indentation of the entry that it belongs to.",
        )
        self.line -= 2  # count columns as if they were there
