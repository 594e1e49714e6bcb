"""
The entries of a file as a table: one page of rows, chosen, filtered and sorted here.

Only the rows of the page that is asked for are made. A first page needs neither all entries nor the check of the server: who
does not want to wait for these is shown what is there, and told that it is not all.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import nullcontext
from dataclasses import dataclass, field
from typing import Final, Literal
from weakref import WeakKeyDictionary

from zerrit.core.addresses import conditions_before, parse_condition, parse_node_address
from zerrit.core.compare import DifferenceKind, compare_documents
from zerrit.core.documents import Document, Finding, Node
from zerrit.core.documents.conditions import chosen_of, fits_value
from zerrit.core.documents.entry_keys import MOST_PARTS
from zerrit.core.errors import AddressInvalid, ZerritError
from zerrit.core.gamebooks.absent_settings import AbsentSetting, first_absent
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.browse.entry_lines import AT_ONCE, SETTINGS, EntryLines, Line, kind_name, lines_of
from zerrit.work.browse.file_browser import Column, SeenFile, column_of, file_within

TRAIL: Final = "trail"  #: the column of the entries' own names
COMMENT: Final = "comment"
MOST_ROWS: Final = 1000  #: of one page
PART_OF_INDEXING: Final = 0.02  # seconds
_NUMBER: Final = re.compile(r"-?\d+(?:\.\d+)?")
_COMPARED: Final = re.compile(r"<=|>=|!=|!~|=|<|>|~")


@dataclass(frozen=True, slots=True)
class TableQuery:
    """Which rows are asked for.

    `search` are words that all must be in a row; before them may be conditions on the entries as in an address:
    `[kind=cloth][price>10] rope`. `where` are such conditions by column: `>10`, `<=4`, `=cloth`, `!=cloth,silk`, `~"^a"`, or a
    part of the value. `below` keeps what is at or below an address; `address` is an entry or field whose page is asked for.
    """

    kind: str = ""
    search: str = ""
    where: Mapping[str, str] = field(default_factory=dict)
    sort: str = ""
    is_descending: bool = False
    only: Literal["", "changed", "findings"] = ""
    below: str = ""
    address: str = ""
    offset: int = 0
    limit: int = MOST_ROWS


@dataclass(frozen=True, slots=True)
class Row:
    """One entry. `trail` are the keys from the outermost entry down; `cells` the values by field."""

    address: str
    trail: str
    line: int
    comment: str
    cells: Mapping[str, str]
    parts: Mapping[str, tuple[str, ...]]  #: the inner entries by their kind, by key
    changed: frozenset[str]  #: fields that the open change has changed
    findings: Mapping[str, str]  #: what is wrong, by field
    known: Column | None = None  #: of a setting, which has no column of its own: what the gamebook knows of it


@dataclass(frozen=True, slots=True)
class EntryPage:
    """One page of a table. `total` are all entries of the kind, `matching` those that the query fits.

    Where it is not complete, some entries were not looked into, or nothing was checked yet: there can be more kinds, columns
    and marks than it shows. Its rows are right.
    """

    kinds: Mapping[str, int]
    kind: str
    columns: tuple[Column, ...]
    parts: tuple[str, ...]
    rows: tuple[Row, ...]
    total: int
    matching: int
    offset: int
    is_complete: bool = True
    absent: tuple[AbsentSetting, ...] = ()  #: known settings that the file does not have


_CHANGED: WeakKeyDictionary[Document, tuple[Document, frozenset[str]]] = WeakKeyDictionary()


def list_entries(
    workspace: Workspace,
    server_id: str,
    path: str,
    query: TableQuery,
    change_id: int | None = None,
    patience: float | None = None,
) -> EntryPage:
    """One page of the entries of a file as rows and columns; with a change, as that change leaves them.

    Without a kind, it is the main one of the file. With `patience`, in seconds, the first page of a file that nothing else is
    asked of may be incomplete.

    Raises NotFound. Refused: a condition cannot be read.
    """
    is_plain = not (query.search or query.where or query.sort or query.is_descending or query.only or query.below)
    part = None if patience is None or not is_plain else patience / 4
    seen = file_within(workspace, server_id, path, change_id, part)
    is_first = part is not None and not query.address and query.offset == 0
    with workspace.ahead.first() if is_first else nullcontext():
        return _page(seen, path, query, part if is_first else None)


def _page(seen: SeenFile, path: str, query: TableQuery, patience: float | None) -> EntryPage:
    document, gamebook, states = seen.after, seen.gamebook, seen.states
    table = lines_of(document)
    is_whole = table.look(patience)
    kinds = table.counts()
    wanted = _nodes_at(document, query.address)
    chosen = query.kind or _kind_of(document, kinds, wanted) or _main_kind(kinds, table.looked_into())
    if not is_whole and not table.is_outer(chosen):
        is_whole = table.look()
        kinds = table.counts()
        chosen = query.kind or _main_kind(kinds, table.looked_into())
    is_complete = is_whole and states is not None
    absent = first_absent(gamebook, document, document.root)
    if chosen not in kinds:
        return EntryPage(kinds, chosen, (), (), (), 0, 0, 0, is_complete, absent)
    kind = table.kind(chosen)
    marks = _Marks(_changed_addresses(seen.before, document), _by_address(seen.findings))
    lines = _sorted(list(_matching(document, kind.lines, query, marks)), query)
    offset = _offset(lines, wanted, query)

    def known(name: str, node: Node) -> Column:
        return column_of(name, node, path, gamebook, states.checked if states is not None else None)

    columns = tuple(known(name, node) for name, node in kind.columns.items())
    if chosen == SETTINGS:
        columns = (Column("value", None, ()),)
    page = lines[offset : offset + min(query.limit, MOST_ROWS)]
    rows = tuple(_row(document, line, marks, known if chosen == SETTINGS else None) for line in page)
    matching = len(lines) if is_whole else kind.total
    return EntryPage(kinds, chosen, columns, kind.parts, rows, kind.total, matching, offset, is_complete, absent)


def fitting_entries(document: Document, query: TableQuery) -> Iterator[tuple[Node, Mapping[str, str]]]:
    """Every entry of the kind that fits the words, conditions and place of a query, with its cells.

    Raises Refused: a condition cannot be read.
    """
    table = _complete(document)
    kinds = table.counts()
    chosen = query.kind or _main_kind(kinds, table.looked_into())
    if chosen in kinds:
        for line in _matching(document, table.kind(chosen).lines, query, _Marks(frozenset(), {})):
            yield line.node, line.cells


def indexed_entries(document: Document, between: Callable[[], None]) -> Iterator[tuple[str, str, str, int]]:
    """Address, name, values and line of every entry and setting of a file, for an index.

    `between` is called between two parts of the work.
    """
    table = EntryLines(document)
    while not table.look(PART_OF_INDEXING):
        between()
    for name in table.counts():
        for number, line in enumerate(table.kind(name).lines):
            if number % AT_ONCE == 0:
                between()
            values = " ".join(value for value in line.cells.values() if value)
            yield document.keys.address_of(line.node), line.trail, values, document.line_of(line.node)


def _complete(document: Document) -> EntryLines:
    lines = lines_of(document)
    lines.look()
    return lines


def _main_kind(kinds: Mapping[str, int], looked_into: Mapping[str, int]) -> str:
    """The kind that people come for: the outermost entries, unless each of them only holds many others.

    How many others an entry holds is seen from those that were looked into.
    """
    entries = {name: many for name, many in looked_into.items() if name in kinds}
    if not entries:
        return SETTINGS
    chosen = max(_outermost(entries), key=lambda name: kinds[name])
    while True:
        inner = _outermost([name for name in entries if name.startswith(f"{chosen}/")])
        largest = max(inner, key=lambda name: entries[name], default="")
        if not largest or entries[largest] <= MOST_PARTS * entries[chosen]:
            break
        chosen = largest
    return SETTINGS if kinds.get(SETTINGS, 0) > 3 * kinds[chosen] else chosen


def _outermost(names: Iterable[str]) -> list[str]:
    listed = list(names)
    return [name for name in listed if not any(name.startswith(f"{other}/") for other in listed)]


# --- filter and sort --------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Marks:
    """What is to be marked in a table: addresses that a change has changed, and findings by address."""

    changed: frozenset[str]
    findings: Mapping[str, str]

    def of(self, address: str, fields: Iterable[str]) -> tuple[frozenset[str], dict[str, str]]:
        """The marks of an entry: the changed fields, and what is wrong by field; a field `` is the entry as a whole."""
        is_new = address in self.changed
        changed = frozenset(name for name in fields if is_new or f"{address}/{name}" in self.changed)
        places = {name: f"{address}/{name}" for name in fields} | {"": address}
        return changed, {name: self.findings[place] for name, place in places.items() if place in self.findings}

    def holders(self, only: str) -> frozenset[str]:
        """The addresses that are changed or have a finding, and all above them."""
        places = self.changed if only == "changed" else self.findings
        cuts = (place[:end] for place in places for end, sign in enumerate(place) if sign == "/")
        return frozenset(places).union(cuts)


def _by_address(findings: Iterable[Finding]) -> dict[str, str]:
    return {one.address.partition("#")[2]: f"{one.message} {one.hint}".rstrip() for one in findings}


def _changed_addresses(before: Document | None, after: Document) -> frozenset[str]:
    if before is None or before.text == after.text:
        return frozenset()
    known = _CHANGED.get(after)
    if known is None or known[0] is not before:
        kinds = (DifferenceKind.CHANGED, DifferenceKind.ADDED, DifferenceKind.RENAMED)
        found = (one.address.partition("#")[2] for one in compare_documents(before, after) if one.kind in kinds)
        known = _CHANGED[after] = (before, frozenset(found))
    return known[1]


def _matching(document: Document, lines: Sequence[Line], query: TableQuery, marks: _Marks) -> Iterator[Line]:
    """The lines that fit all that is asked."""
    chosen, words = _chosen(document, lines, query.search)
    conditions = [(name, _condition(text)) for name, text in query.where.items() if text.strip()]
    holders = _holders(document, query.below)
    marked = marks.holders(query.only) if query.only else frozenset[str]()
    for line in lines:
        if chosen is not None and id(line.node) not in chosen:
            continue
        if any(word not in line.text for word in words):
            continue
        if not all(fits(line.trail if name == TRAIL else line.cells.get(name, "")) for name, fits in conditions):
            continue
        if holders is not None and not any(id(node) in holders for node in _upwards(line.node)):
            continue
        if query.only and document.keys.address_of(line.node) not in marked:
            continue
        yield line


def _holders(document: Document, below: str) -> set[int] | None:
    if not below:
        return None
    try:
        return {id(node) for node in document.select(below)}
    except ZerritError as error:
        raise Refused(f"`{below}` is not an address: {error}") from error


def _upwards(node: Node | None) -> Iterator[Node]:
    while node is not None:
        yield node
        node = node.parent


def _condition(text: str) -> Callable[[str], bool]:
    """`>10`, `<=4`, `=cloth`, `!=cloth`, or a part of the value."""
    if not _COMPARED.match(text.strip()):
        part = text.strip().lower()
        return lambda value: part in value.lower()
    try:
        condition = parse_condition(text.strip())
    except AddressInvalid as error:
        raise Refused(
            f"`{text}` is not a condition: {error.reason}. "
            'Write it such as >10, =cloth, !=cloth,silk or ~"^a"; a value with a bracket or comma in quotes.'
        ) from error
    if condition.operator in ("=", "!=", "~", "!~"):
        return lambda value: fits_value(value.strip(), condition)
    return lambda value: (own := _NUMBER.match(value.strip()[:40])) is not None and fits_value(own.group(), condition)


def _chosen(document: Document, lines: Sequence[Line], search: str) -> tuple[set[int] | None, list[str]]:
    """The entries that the conditions of a search choose, None where there are none; and the words behind them."""
    conditions, words = conditions_before(search)
    if not conditions:
        return None, words.lower().split()
    try:
        (segment,) = parse_node_address(f"*{conditions}")
    except (AddressInvalid, ValueError) as error:
        raise Refused(f"`{search}` does not choose entries: {error}") from error
    keys = document.keys
    if segment.keys:
        lines = [line for line in lines if any(key.matches(keys.key_of(line.node)) for key in segment.keys)]
    return {id(node) for node in chosen_of(keys, [line.node for line in lines], segment)}, words.lower().split()


def _number(text: str) -> float | None:
    """The number that a value begins with: of a range its lower end, of a quantity the number before the unit."""
    found = _NUMBER.match(text.strip()[:40])
    return float(found.group()) if found else None


def _sorted(lines: list[Line], query: TableQuery) -> list[Line]:
    """In the order of a column; numbers before words, and what has no value last in either direction."""
    if not query.sort:
        return lines[::-1] if query.is_descending else lines

    def value(line: Line) -> str:
        if query.sort == TRAIL:
            return line.trail
        return line.node.comment if query.sort == COMMENT else line.cells.get(query.sort, "")

    def order(line: Line) -> tuple[bool, float, str]:
        number = _number(value(line))
        return number is None, number or 0.0, value(line).lower()

    filled = sorted((line for line in lines if value(line)), key=order, reverse=query.is_descending)
    return [*filled, *(line for line in lines if not value(line))]


def _nodes_at(document: Document, address: str) -> list[Node]:
    """The entry or field that is looked for. A link may be old: what is not there is no error."""
    try:
        return document.select(address) if address else []
    except ZerritError:
        return []


def _kind_of(document: Document, kinds: Mapping[str, int], wanted: Sequence[Node]) -> str:
    """The kind of the entries that these nodes are or are in; empty where there is none."""
    for node in wanted:
        for above in _upwards(node):
            is_entry = above.parent is not None and not above.is_value and above.has_children
            kind = kind_name(above)
            if is_entry and kind in kinds and document.keys.field_for(above.names) is not None:
                return kind
        if node.value is not None and SETTINGS in kinds:
            return SETTINGS
    return ""


def _offset(lines: Sequence[Line], wanted: Sequence[Node], query: TableQuery) -> int:
    """Where the page begins: as asked, or so that the entry at `address` is on it."""
    holders = {id(above) for node in wanted for above in _upwards(node)}
    number = next((n for n, line in enumerate(lines) if id(line.node) in holders), None) if holders else None
    return query.offset if number is None else number - number % max(1, min(query.limit, MOST_ROWS))


def _row(document: Document, line: Line, marks: _Marks, known: Callable[[str, Node], Column] | None) -> Row:
    """A line with its marks; `known` is given for settings, each of which has its own rules."""
    node = line.node
    address = document.keys.address_of(node)
    if known is None:
        changed, wrong = marks.of(address, line.cells)
        return Row(address, line.trail, document.line_of(node), node.comment, line.cells, line.parts, changed, wrong)
    changed = frozenset({"value"}) if address in marks.changed else frozenset[str]()
    wrong = {"value": marks.findings[address]} if address in marks.findings else {}
    column = known("value", node)
    return Row(address, address, document.line_of(node), node.comment, line.cells, {}, changed, wrong, column)
