"""
Read YAML text into nodes, and go on after every mistake.

PyYAML's C parser, with which this began, is quick, but it ends at the first fault, says in a parser's words what
it was, knows YAML 1.1 only, and drops comments. So the text is read here by the rules of YAML 1.2.2, line by line
where a line is a plain `name: value`, which nine of ten are, and sign by sign where it is not.

Aliases stay aliases (no alias bomb can grow). What is no mapping, list or scalar of today's core schema but
looked like one to older readers (`yes`, `on`) is read as text and reported.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache
from typing import Final

from zerrit.core.documents.comments import CommentKeeper, tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import YAML_OLD_BOOLEANS
from zerrit.core.documents.source import Source, Splice
from zerrit.core.documents.yaml_scalars import BAD_ESCAPE, block_text, double_quoted, plain_text, single_quoted

MAX_DEPTH: Final = 120  # each level costs three frames of Python's stack; real files stay below 20
LONGEST_KEY: Final = 1024  # characters; YAML 1.2.2, section 7.4.3

_BLANK: Final = " \t\r\n"
_SPACES: Final = re.compile(r"[ \t]*")
_MARKER: Final = re.compile(r"(?:---|\.\.\.)(?=[ \t\r\n]|\Z)")
_DIRECTIVE: Final = re.compile(
    r"%(YAML[ \t]+\d+\.\d+|TAG[ \t]+![\w-]*!?[ \t]+\S+|(?!YAML\b|TAG\b)\w+[^\r\n]*)[ \t]*(?:[ \t]#[^\r\n]*)?(?=[\r\n]|\Z)"
)
_PROPERTY: Final = re.compile(r"&[^\s,\[\]{}]+|!(?:<[^>\s]*>|[^\s,\[\]{}!]*!?[^\s,\[\]{}!]*)")
_HANDLE: Final = re.compile(r"![\w-]+!")
_ALIAS: Final = re.compile(r"\*[^\s,\[\]{}]+")
_PLAIN: Final = re.compile(r"(?:[^\s:#]+|:(?=\S)|(?<=\S)#|[ \t]+(?=[^\s#:]|:\S))+")
_PLAIN_IN_FLOW: Final = re.compile(
    r"(?:[^\s:#,\[\]{}]+|:(?=[^\s,\[\]{}])|(?<=\S)#|[ \t]+(?=[^\s#:,\[\]{}]|:[^\s,\[\]{}]))+"
)
_CANNOT_START: Final = "-?:,[]{}#&*!|>'\"%@`"
_ONE_LINE_QUOTED: Final = re.compile(r""""(?:[^"\\\r\n]|\\[^\r\n])*"|'(?:[^'\r\n]|'')*'""")
_QUOTED: Final = {
    '"': re.compile(r'"(?:[^"\\]|\\.)*+"', re.DOTALL),
    "'": re.compile(r"'(?:[^']|'')*+'(?!')"),
}
_COLON: Final = re.compile(r"[ \t]*:(?=[ \t\r\n]|\Z)")
_HEADER: Final = re.compile(r"[|>](?:([1-9])?([+-])?|([+-])([1-9]))(?=[ \t\r\n]|\Z)")
_LINE_END: Final = re.compile(r"\r\n|\r|\n")
_TAB_LINE: Final = re.compile(r"^ *\t[ \t]*[^\s#]", re.MULTILINE)
_LOOKS_LIKE_SETTING: Final = re.compile(r"(?:- +)*[\w\"'][^\r\n\"']*[\"']?:(?:[ \t]|[\r\n]|\Z)|- ")
_TIGHT_COLON: Final = re.compile(r"([A-Za-z_][\w\-]*):(?=[^\s/:])")
_NAME_AND_VALUE: Final = re.compile(r"([A-Za-z_][\w\-]*)[ \t]*=?[ \t]+\S")


def read(source: Source, report: Report) -> Node:
    """Read the text; the root is its one value, or a list of documents where `---` parts several."""
    return _YamlReader(source, report).read()


@lru_cache(maxsize=256)
def _simple_line(column: int) -> re.Pattern[str]:
    """A whole `name: value` at `column` whose value is plain and cannot go on in the next line."""
    return re.compile(
        r"([A-Za-z_][\w\-.]*+):[ ]++([A-Za-z0-9][^\s:#\"'\[\]{},&*!|>%@`]*+(?:[ ][^\s:#&*!|>%@`\"'\[\]{},]++)*+)"
        rf"(?=(?:\r?\n)(?:[ ]{{0,{column}}}[^\s.])|(?:\r?\n)?\Z)"
    )


class _YamlReader:
    def __init__(self, source: Source, report: Report) -> None:
        self.source = source
        self.text = source.text
        self.report = report
        self.comments = CommentKeeper(source)
        self.at = 0
        self.line = 0  #: where the line of `at` begins
        self.depth = 0
        self.anchors: set[str] = set()
        self.handles: set[str] = set()  #: of tags, declared for the document
        self.is_tab_reported = False
        self.is_too_deep = False
        self.is_list_misplaced = False  #: a list began behind its name; the dashes below say where it stands

    def read(self) -> Node:
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
                    self._fault("yaml.directive", self.at, "A line with % stands here and no document follows it.")
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
                self._fault("yaml.directive", self.at, "This line begins with %, but is no directive that YAML has.")
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
                "This line stands behind the end of what the file holds; is it indented less than it should be, "
                "or does its colon miss?",
            )
            self._skip_block(-1)

    def _marker(self) -> str:
        """`---` or `...` where one begins this line."""
        if self.at != self.line:
            return ""
        match = _MARKER.match(self.text, self.at)
        return match.group() if match else ""

    # --- moving on -------------------------------------------------------------------------------------------------

    def _skip(self) -> bool:
        """Go over white space, comments and line ends to what comes next; True when a line end was among them."""
        text = self.text
        at = self.at
        crossed = False
        while at < len(text):
            sign = text[at]
            if sign in " \t":
                match = _SPACES.match(text, at)
                at = match.end() if match else at + 1
            elif sign == "\n":
                at += 1
                self.line = at
                crossed = True
            elif sign == "\r":
                at += 2 if text.startswith("\n", at + 1) else 1
                self.line = at
                crossed = True
            elif sign == "#" and (at == self.line or text[at - 1] in " \t\ufeff"):
                end = self.source.line_end(at)
                self.comments.saw(at, end, tidy_block(text[at:end].lstrip("#")))
                at = end
            else:
                break
        self.at = at
        return crossed

    def _column(self) -> int:
        return self.at - self.line

    def _column_or(self, expected: int) -> int:
        """The column of what stands here; behind a tab, which says nothing, the one that its neighbours have."""
        if "\t" in self.text[self.line : self.at]:
            self._check_tab()
            return expected
        return self.at - self.line

    def _is_dash(self, sign: str = "-") -> bool:
        """The sign stands here and a blank, a line end or the end of the file behind it."""
        return self.text.startswith(sign, self.at) and self.text[self.at + 1 : self.at + 2] in (
            "",
            " ",
            "\t",
            "\r",
            "\n",
        )

    def _to_line_end(self) -> None:
        self.at = self.source.line_end(self.at)

    def _skip_block(self, column: int) -> None:
        """Leave this line and the lines below it that are indented further than `column`."""
        self._to_line_end()
        while self._skip() and self.at < len(self.text) and self._column() > max(column, 0) and not self._marker():
            self._to_line_end()

    def _rest_of_line(self, code: str, what: str) -> None:
        """Nothing but a comment may follow on this line."""
        match = _SPACES.match(self.text, self.at)
        at = match.end() if match else self.at
        rest = self.text[at : at + 1]
        if rest in ("", "\r", "\n") or (rest == "#" and at > self.at):
            return
        end = self.source.line_end(at)
        shown = self.text[at : min(end, at + 30)]
        self._fault(code, at, f"`{shown}` stands behind {what}.")
        self.at = end

    def _fault(self, code: str, at: int, message: str, hint: str = "", mend: Splice | None = None) -> None:
        if not self.is_too_deep:
            self.report.add(code, min(at, len(self.text)), message, hint, mend)

    def _check_tab(self) -> None:
        """Before a key or dash that begins a line, only spaces may stand."""
        tab = self.text.find("\t", self.line, self.at)
        if tab >= 0 and not self.text[self.line : self.at].strip(" \t"):
            self._check_tab_at(tab)

    def _check_tab_at(self, tab: int) -> None:
        """Report a tab in the indentation, once: where one line has it, others do."""
        if self.is_tab_reported:
            return
        self.is_tab_reported = True
        more = len(_TAB_LINE.findall(self.text, self.source.line_end(tab)))
        others = f" {more} more {'line' if more == 1 else 'lines'} below may have one too." if more else ""
        self._fault(
            "yaml.tab",
            tab,
            f"A tab stands at the start of this line; YAML allows only spaces for indentation.{others}",
            hint="Replace the tab by spaces, as many as the lines around it have.",
        )

    # --- nodes in block style ------------------------------------------------------------------------------------

    def _block_node(self, node: Node, indent: int, *, is_compact: bool, may_be_list: bool) -> None:
        """Read what belongs to `node` from here: a value, list or mapping indented further than `indent`.

        `is_compact`: a list or mapping may begin on this very line, as after a dash. `may_be_list`: dashes may
        stand as far left as the key above them. A node without a start gets it here.
        """
        origin = self.at
        crossed = False
        group_start = -1  #: where the anchor or tag stands that belongs to a whole list or mapping
        own_start = -1  #: the same for what follows on its line
        has_anchor = has_tag = group_has_anchor = False
        while True:
            crossed_now = self._skip()
            crossed = crossed or crossed_now
            if self.at >= len(self.text) or self._marker():
                self._empty(node, origin, own_start)
                return
            column = self._column()
            is_dash = self._is_dash()
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

    def _two_anchors(self) -> None:
        self._fault("yaml.property", self.at, "A value can have one anchor (&name) and one tag (!name).")

    def _alias_with_properties(self) -> None:
        self._fault("yaml.property", self.at, "An alias (*name) stands for a value; it cannot have an anchor or a tag.")

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

    def _back(self, at: int) -> int:
        """Back over white space, comments not being looked at."""
        while at > 0 and self.text[at - 1] in _BLANK:
            at -= 1
        return at

    def _property(self) -> None:
        match = _PROPERTY.match(self.text, self.at)
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
                f"`{self.text[self.at : self.at + 12].split()[0]}` cannot stand here: a value that begins with & or ! "
                "is an anchor or a tag. A text stands in quotation marks.",
            )
        self.at = end

    def _dispatch(self, node: Node, indent: int, begin: int, *, crossed: bool, is_compact: bool, has_own: bool) -> None:
        text = self.text
        sign = text[self.at]
        may_open = crossed or is_compact or indent < 0
        column = begin - self.line
        if sign == "-" and self._is_dash():
            if not may_open or has_own:
                self.is_list_misplaced = True
                self._fault(
                    "yaml.list-place",
                    self.at,
                    "A dash cannot begin a list here; the first entry of a list stands on a line of its own.",
                )
            self._deeper(node, self._sequence, self._column(), indent)
        elif sign in "|>":
            self._block_scalar(node, indent)
        elif sign == "?" and self._is_dash("?"):
            self._deeper(node, self._mapping, column, indent)
        elif (key_end := self._key_end()) >= 0 or (sign == ":" and self._is_dash(":")):
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
        quoted = raw.replace("\\", "\\\\").replace('"', '\\"')
        is_sure = raw[:1] not in "\"'[{&*!" and " #" not in raw
        self._fault(
            "yaml.second-colon",
            max(key_end, self.at),
            "A second colon stands in this line. If it belongs to the text, the text needs quotation marks; if not, "
            "it begins a line of its own.",
            hint=f'Write "{raw[:60]}".' if is_sure else "",
            mend=Splice(self.at, stop, f'"{quoted}"') if is_sure else None,
        )
        self._value(node, raw, self.at, stop, is_quoted=False)
        self.at = stop

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
                if self._is_dash() and self._key_end() < 0:
                    if column <= indent:
                        break
                    self._stray_dash(column)
                continue
            if here <= indent or (here < column and self._is_dash()):
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
        match = _SPACES.match(self.text, self.at)
        self.at = match.end() if match else self.at

    def _misaligned(self, node: Node, here: int, column: int) -> None:
        """Say that a line stands where none of its neighbours does."""
        last = node.children[-1] if node.children else node
        how = "more" if here > column else "less"
        self._fault(
            "yaml.indent",
            self.at,
            f"This line is indented by {here} spaces, {how} than line {self.source.line_at(last.start)} above it, "
            f"which has {column}.",
            hint=f"Give it {column} spaces, as many as its neighbours have.",
            mend=Splice(self.line, self.at, " " * column),
        )

    def _realign(self, here: int, column: int) -> None:
        """Count the columns of this entry as if it stood right, unless the lines below moved with it."""
        following = self.source.after_line(self.at)
        below = _SPACES.match(self.text, following)
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
        if self._is_dash("?"):
            self._explicit_entry(node, column, seen)
            return
        while self.at < len(self.text) and self.text[self.at] in "&!":
            self._property()
            if self._skip():
                self._fault("yaml.property", start, "An anchor or a tag stands alone here, in front of no value.")
                return
        key_start = self.at
        if self.text.startswith("*", key_start) and start < key_start:
            self._alias_with_properties()
        if key_start >= len(self.text):
            return
        end = self._key_end()
        if end < 0 and not self._is_dash(":"):
            self._no_key(node, column, seen)
            return
        name = self._key_text(key_start, end) if end >= 0 else ""
        colon = _COLON.match(self.text, max(end, key_start))
        child = Node(NodeKind.VALUE, name, start, start)
        self._named(node, child, seen)
        self.at = colon.end() if colon else key_start + 1
        self.comments.ended(child, self.at)
        self._block_node(child, column, is_compact=False, may_be_list=True)
        if child.kind is NodeKind.VALUE:
            self.comments.ended(child, child.end)

    def _named(self, node: Node, child: Node, seen: dict[str, int]) -> None:
        """Take a child that has its name; say so when the name is there already."""
        self.comments.document(child)
        node.adopt(child)
        first = seen.setdefault(child.name, child.start)
        if first != child.start and child.name:
            self._fault(
                "yaml.duplicate-key",
                child.start,
                f"`{child.name}` stands twice at this level (first on line {self.source.line_at(first)}); only one of "
                "them holds. Remove one.",
            )

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
        if self.at < len(self.text) and self._column() == column and self._is_dash(":"):
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
                mend=Splice(place, place, " "),
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
                mend=Splice(place, place, ":") if not pair and re.fullmatch(r"[\w\-]+", raw) else None,
            )
        child = Node(NodeKind.VALUE, name, start, start)
        self._named(node, child, seen)
        self.at = place
        if pair:
            self._block_node(child, column, is_compact=False, may_be_list=True)
            return
        self._to_line_end()
        self._block_node(child, column, is_compact=False, may_be_list=True)

    def _key_end(self) -> int:
        """Where a key on this line ends that has a colon behind it; -1 where none begins here."""
        text = self.text
        at = self.at
        sign = text[at]
        if sign in "\"'":
            match = _ONE_LINE_QUOTED.match(text, at)
        elif sign == "*":
            match = _ALIAS.match(text, at)
        elif sign in "[{":
            return self._flow_key_end()
        elif sign in "&!":
            return self._key_end_after_properties()
        elif sign in "-?:":
            following = text[at + 1 : at + 2]
            match = _PLAIN.match(text, at) if following and following not in _BLANK else None
        elif sign in _CANNOT_START:
            return -1
        else:
            match = _PLAIN.match(text, at)
        if match is None or match.end() - at > LONGEST_KEY:
            return -1
        return match.end() if _COLON.match(text, match.end()) else -1

    def _key_end_after_properties(self) -> int:
        kept = self.at
        while self.at < len(self.text) and self.text[self.at] in "&!":
            match = _PROPERTY.match(self.text, self.at)
            blank = _SPACES.match(self.text, match.end()) if match else None
            if blank is None or blank.end() == (match.end() if match else 0):
                break
            self.at = blank.end()
        end = self._key_end() if self.at < len(self.text) and self.text[self.at] not in "&!\r\n" else -1
        if end < 0 and self.at > kept and _COLON.match(self.text, self.at):
            end = self.at
        self.at = kept
        return end

    def _flow_key_end(self) -> int:
        """A list or mapping in brackets can be a key; find its bracket without keeping anything."""
        text = self.text
        end = self.source.line_end(self.at)
        depth = 0
        at = self.at
        while at < end:
            sign = text[at]
            if sign in "\"'":
                match = _ONE_LINE_QUOTED.match(text, at)
                at = match.end() if match and text[at - 1] in " \t,[{:" else at + 1
                continue
            depth += (sign in "[{") - (sign in "]}")
            at += 1
            if depth == 0:
                return at if at - self.at <= LONGEST_KEY and _COLON.match(text, at) else -1
        return -1

    def _key_text(self, start: int, end: int) -> str:
        raw = self.text[start:end]
        if raw[:1] == '"':
            self._check_escapes(start + 1, end - 1)
            return double_quoted(raw[1:-1])
        if raw[:1] == "'":
            return single_quoted(raw[1:-1])
        if raw[:1] == "*" and raw[1:] not in self.anchors:
            self._unknown_anchor(start, raw[1:])
        return raw

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
            if here == column and self._is_dash():
                continue
            if here <= indent:
                break
            if here == column and node.start != node.value_start and column == indent:
                break
            if not self._is_dash():
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
        is_dash = self._is_dash()
        if is_dash:
            self.at += 1
            self._check_tab_behind()
        item = Node(NodeKind.VALUE, "", -1, -1)
        node.adopt(item)
        self._block_node(item, column, is_compact=True, may_be_list=False)
        if item.kind is NodeKind.VALUE:
            self.comments.ended(item, item.end)

    def _check_tab_behind(self) -> None:
        """Behind a dash, or the `?` and `:` of a long key, a tab may part a single value, but no list or mapping."""
        kept = self.at
        match = _SPACES.match(self.text, kept)
        if match and "\t" in match.group():
            self.at = match.end()
            if self.at < len(self.text) and (
                self._is_dash() or self._is_dash("?") or self._is_dash(":") or self._key_end() >= 0
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
                mend=Splice(self.at + 1, self.at + 1, " "),
            )
            self.at += 1
            self.line -= 1  # count columns as if the space were there
            return
        self._fault(
            "yaml.dash-missing",
            self.at,
            f"This line stands among the entries of a list, but has no dash. The entries begin with {column} spaces "
            "and a dash.",
            hint="Begin it with a dash and a space, or give it the indentation of the entry that it belongs to.",
        )
        self.line -= 2  # count columns as if they were there

    # --- single values ----------------------------------------------------------------------------------------------

    def _single(self, node: Node, indent: int, *, in_flow: bool) -> None:
        """A value that is no block list or mapping."""
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
            if sign in _CANNOT_START and (sign not in "-?:" or is_blank):
                self._cannot_start(node, in_flow=in_flow)
            else:
                self._plain(node, indent, in_flow=in_flow)

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
            f"`{raw[:1]}` cannot begin a value; a text that begins so stands in quotation marks.",
            hint=f'Write "{raw[:60]}".',
            mend=Splice(start, stop, f'"{raw}"') if is_sure else None,
        )
        self._value(node, raw, start, stop, is_quoted=False)
        self.at = max(stop, start + 1)

    def _alias(self, node: Node, *, in_flow: bool) -> None:
        match = _ALIAS.match(self.text, self.at)
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
            f"`*{name}` stands for the value that bears the anchor &{name}, but nothing above bears it. A text that "
            "begins with * stands in quotation marks.",
        )

    def _plain(self, node: Node, indent: int, *, in_flow: bool) -> None:
        text = self.text
        pattern = _PLAIN_IN_FLOW if in_flow else _PLAIN
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
        if not in_flow and _COLON.match(text, match.end()):
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
            blank = _SPACES.match(text, first)
            if blank and text[blank.end() : blank.end() + 1] in ("\r", "\n"):
                continue
            if first - line <= indent or _MARKER.match(text, line):
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
            mend=Splice(stop, stop, quote)
            if broken < 0 or _LOOKS_LIKE_SETTING.match(self._line_body(broken))
            else None,
        )
        self._value(node, self.text[start + 1 : stop], start, stop, is_quoted=True)
        node.value_start = min(start + 1, stop)
        self.at = stop

    def _line_body(self, line: int) -> str:
        return self.text[line : self.source.line_end(line)].lstrip(" ")

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
                    mend=Splice(bad.start(), bad.start(), "\\"),
                )

    def _after_quotes(self, node: Node) -> None:
        """Behind a closing quotation mark nothing but a comment follows."""
        start = self.at
        match = _SPACES.match(self.text, start)
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

    # --- block scalars -----------------------------------------------------------------------------------------------

    def _block_scalar(self, node: Node, indent: int) -> None:
        text = self.text
        start = self.at
        header = _HEADER.match(text, start)
        if header is None:
            if re.match(r"[|>][+-]?\d?[+-]?[ \t]*\S", text[start : start + 12]):
                self._cannot_start(node, in_flow=False)
                return
            self._fault(
                "yaml.block-header", start, "After | or > only +, - or a digit and then the line end can stand."
            )
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
            if (spaces < column and body) or (column == 0 and _MARKER.match(text, at)):
                break
            lines.append(line[column:])
            at = following
        return lines, at

    # --- brackets ------------------------------------------------------------------------------------------------------

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
                        "A comma stands here with nothing before it.",
                        hint="Remove it.",
                        mend=Splice(self.at, self.at + 1, ""),
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
                    mend=Splice(at, at, ","),
                )
            start = self.at
            self._flow_entry(node, indent, seen)
            if self.at == start:
                self.at += 1
            needs_comma = True
        self.depth -= 1
        node.end = node.value_end = self.at

    def _ends_flow(self, indent: int) -> bool:
        """This line is none of the inside of brackets: it stands too far left, and looks like a setting."""
        if self._column() > indent:
            return False
        if self.text[self.at] in "]}" and not self.text[self.at + 1 : self.source.line_end(self.at)].strip(" \t,"):
            if indent >= 0:
                self._fault(
                    "yaml.flow-indent",
                    self.at,
                    "The closing bracket stands further left than YAML allows: it needs more spaces than the name that "
                    "the brackets belong to.",
                    hint="Put a space before it.",
                    mend=Splice(self.line, self.line, " " * (indent + 1 - self._column())),
                )
            return False
        if _LOOKS_LIKE_SETTING.match(self._line_body(self.line)):
            return True
        self._fault(
            "yaml.flow-indent",
            self.at,
            "This line stands inside brackets, but further left than YAML allows.",
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
            mend=Splice(at, at, closing),
        )

    def _wrong_bracket(self, opened: int, opening: str, closing: str) -> None:
        self._fault(
            "yaml.bracket-mismatch",
            self.at,
            f"`{self.text[self.at]}` stands here, but `{opening}` opened on line {self.source.line_at(opened)} is closed "
            f"by `{closing}`.",
            hint=f"Write `{closing}`.",
            mend=Splice(self.at, self.at + 1, closing),
        )

    def _flow_entry(self, node: Node, indent: int, seen: dict[str, int]) -> None:
        """One item of a list in brackets, or one `name: value`."""
        text = self.text
        start = self.at
        is_explicit = self._is_dash("?")
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
        if self.at < len(text) and self._is_flow_colon(after_json=is_json) and (may_span or self.line == key_line):
            name = (child.value or "") if child.kind is NodeKind.VALUE else text[child.start : child.end]
            pair = Node(NodeKind.VALUE, name, start, start)
            self.at += 1
            self._flow_pair(node, pair, indent, seen)
            return
        if self.at < len(text) and self._is_flow_colon(after_json=is_json):
            self._fault("yaml.colon-place", self.at, "The colon of a name in [ ] stands on the line of the name.")
            self.at += 1
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
