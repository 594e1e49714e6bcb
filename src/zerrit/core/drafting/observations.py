"""
What is in default trees: files of one sort together, and in them the values of each field.

A tree is the files of one version. Two versions sharpen what is seen: a number that moved has a wider range, a field
that went away is not always there. Support, however, is counted in the newest tree alone, since the same entry seen
twice says nothing new.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import PurePosixPath
from typing import Final

from zerrit.core.addresses import Address, NamePattern, parse_address
from zerrit.core.documents import Document, Format, Node, Severity, Slot, read_document
from zerrit.core.documents.codes import TOLERANCES
from zerrit.core.documents.database import ROW
from zerrit.core.documents.database.rows import RowsSource
from zerrit.core.documents.database.schema import Table
from zerrit.core.documents.measures import measured
from zerrit.core.errors import AddressInvalid
from zerrit.core.wildcards import path_matches

Tree = Mapping[str, Document]
Kind = tuple[str, ...]  #: the names from below the root down; an item of a list has an empty one

_ODD: Final = re.compile(r'[/\[\]"#*?]|^\s|\s$')  #: no address names it
_ASSIGNED: Final = re.compile(r'^([A-Za-z_][A-Za-z0-9_]*)="([^"$]+)"[ \t]*$', re.MULTILINE)
_OPTION: Final = re.compile(r"(?:^|[ \t])--([a-z][a-z0-9-]*)([ =])([A-Za-z0-9][\w.+-]*)(?=\s|$)", re.MULTILINE)
_REMARK: Final = re.compile(r"[ \t]*(?:#|//|::|;|[rR][eE][mM][ \t])")
OWN_NAME: Final = ""  #: in a row: the place of the entry's name
MAP_OF_GROUPS_FROM: Final = 6  #: so many groups with the same fields below one group are entries, and their names data
USUAL_SHARE: Final = (
    0.6  #: of such groups that have a field, for the field to be usual; and of the usual fields that one has
)
FAMILY_FROM: Final = 3
MAP_FROM: Final = 12  #: so many children of one sort below a single group are data and no settings
ALIKE_SHARE: Final = 0.6  #: of the places of two files; above it they are of one sort


@dataclass
class Column:
    """The values of one field in all entries of a kind. `counts` are those of the newest tree."""

    place: str
    values: Counter[str] = field(default_factory=Counter)  #: over all trees
    counts: Counter[str] = field(default_factory=Counter)
    entries: int = 0  #: entries of the newest tree that have it
    most_in_entry: int = 0
    is_quoted: bool = False
    is_row: bool = False  #: of a database, which may say again what a file says
    is_unique: bool = False  #: the database lets no two rows share a value
    refers: tuple[str, str] | None = None  #: the table and column in which the database demands its values
    comments: Counter[str] = field(default_factory=Counter)  #: those on the values, in the newest tree


@dataclass
class Entries:
    """The entries of one kind. `rows` are those of every tree, as values by place; `rows_of_tree` has them by tree.

    Where the names of entries are data, a row has its own at `OWN_NAME`. `groups` are the rows that are together in one
    entry or list, by tree and by what they are in.
    """

    kind: Kind
    key: str = ""
    count: int = 0  #: in the newest tree
    rows: list[dict[str, str]] = field(default_factory=list)
    rows_of_tree: defaultdict[int, list[dict[str, str]]] = field(default_factory=lambda: defaultdict(list))
    groups: defaultdict[tuple[int, int], list[dict[str, str]]] = field(default_factory=lambda: defaultdict(list))
    columns: dict[str, Column] = field(default_factory=dict)
    children: set[str] = field(default_factory=set)
    names: Counter[str] = field(default_factory=Counter)  #: of entries whose names are data, in the newest tree
    is_map: bool = False
    is_script: bool = (
        False  #: a setting that is written wrong there is none any more, and only that it is missing can be seen
    )
    is_mixed: bool = False  #: a single value is in its place at times
    is_one_of_many: bool = False  #: there are others with the same fields beside it, each under its own name


@dataclass
class Sort:
    """Files of one sort, named by a path or a pattern. `label` is what they are called in words; no other sort has the same."""

    pattern: str
    format: Format
    documents: list[list[Document]]  #: by tree, the newest last
    slots: dict[str, Slot] = field(default_factory=dict)
    tolerate: tuple[str, ...] = ()
    kinds: dict[Kind, Entries] = field(default_factory=dict)
    label: str = ""

    @property
    def is_optional(self) -> bool:
        """One of the trees has no such file."""
        return not all(self.documents)

    @property
    def newest(self) -> list[Document]:
        return next((documents for documents in reversed(self.documents) if documents), [])


def observe(trees: Sequence[Mapping[str, bytes]]) -> list[Sort]:
    """The sorts of files in trees of files, the newest tree last, with everything that was seen in them."""
    read = [_read(tree) for tree in trees]
    sorts = []
    for pattern in _patterns(read):
        documents = [[d for path, d in sorted(tree.items()) if path_matches(pattern, path)] for tree in read]
        first = next(document for listed in documents for document in listed)
        sort = Sort(pattern, first.format, documents)
        if first.format.traits.line_based:
            _cut_slots(sort)
        _tolerate(sort)
        _look(sort)
        sorts.append(sort)
    for sort, label in zip(sorts, _labels([sort.pattern for sort in sorts]), strict=True):
        sort.label = label
    return sorts


def _labels(patterns: Sequence[str]) -> list[str]:
    """A name in words for each pattern: that of the file, and of as many folders above it as tell it from the others."""
    paths = [PurePosixPath(pattern.replace("/*", "").replace("*", "")) for pattern in patterns]
    labels = [path.stem for path in paths]
    for depth in range(2, max((len(path.parts) for path in paths), default=0) + 1):
        counts = Counter(labels)
        labels = [
            " ".join((*path.parts[-depth:-1], path.stem)) if counts[label] > 1 else label
            for path, label in zip(paths, labels, strict=True)
        ]
    counts = Counter(labels)
    return [pattern if counts[label] > 1 else label for pattern, label in zip(patterns, labels, strict=True)]


def _read(tree: Mapping[str, bytes]) -> Tree:
    read = {path: read_document(data, path) for path, data in tree.items() if _is_plain_path(path)}
    return {path: document for path, document in read.items() if not document.is_binary}


def _is_plain_path(path: str) -> bool:
    """An address leads to the file without quotation marks; of others a draft says nothing."""
    try:
        return parse_address(path) == Address(path)
    except AddressInvalid:
        return False


# --- files of one sort ------------------------------------------------------------------------------------------------


def _patterns(trees: Sequence[Tree]) -> list[str]:
    """A pattern for files of a folder, or of one name in several folders, that hold the same; else each path."""
    shapes: dict[str, frozenset[str]] = {}
    for tree in trees:
        for path, document in tree.items():
            shapes[path] = shapes.get(path, frozenset()) | _shape(document)
    alone = dict.fromkeys(sorted(shapes))
    patterns: list[str] = []
    families: dict[str, list[str]] = defaultdict(list)
    for path in alone:
        parts = PurePosixPath(path)
        if len(parts.parts) > 1:
            families[f"{parts.parent}/*{parts.suffix}"].append(path)
        if len(parts.parts) > 2:
            families[f"{parts.parent.parent}/*/{parts.name}"].append(path)
    for pattern, paths in sorted(families.items(), key=lambda item: -len(item[1])):
        left = [path for path in paths if path in alone]
        if len(left) > 1 and _are_alike([shapes[path] for path in left]):
            patterns.append(pattern)
            for path in left:
                del alone[path]
    return sorted((*patterns, *alone), key=lambda pattern: (pattern.replace("*", "~"), pattern))


def _shape(document: Document) -> frozenset[str]:
    return frozenset("/".join(node.names) for node in document.root.walk() if node.parent is not None)


def _are_alike(shapes: Sequence[frozenset[str]]) -> bool:
    everything, common = frozenset().union(*shapes), frozenset(shapes[0]).intersection(*shapes)
    if not everything or len(common) >= ALIKE_SHARE * len(everything):
        return bool(everything)
    # Names below a group that all files have, and that differ from file to file, are data: what a recipe takes.
    free = {place for place in common if _below(place, common) < ALIKE_SHARE * _below(place, everything)}
    rest = [one for one in everything if not any(one.startswith(f"{place}/") for place in free)]
    return bool(free) and len(rest) > len(free) and len(common.intersection(rest)) >= ALIKE_SHARE * len(rest)


def _below(place: str, shape: frozenset[str]) -> int:
    return sum(one.rpartition("/")[0] == place for one in shape)


# --- text files -------------------------------------------------------------------------------------------------------


def _cut_slots(sort: Sort) -> None:
    """Slots for lists with one word a line, for a first column, and for assignments and options in a script."""
    texts = [document.text for documents in sort.documents for document in documents]
    lines = [line for text in texts for line in text.splitlines() if line.strip() and not _REMARK.match(line)]
    name = re.sub(r"[^a-z]+", "_", PurePosixPath(sort.pattern.replace("*", "")).stem.lower()).strip("_") or "entry"
    name = "entry" if name == "line" else name
    assigned = {m.group(1): m.group(2) for text in texts for m in _ASSIGNED.finditer(text)}
    if lines and all(re.fullmatch(r"[\w.+-]+", line.strip()) for line in lines):
        sort.slots[name] = Slot("^{}")
    elif lines and all(re.match(r"\S+[ \t]{2,}\S", line) for line in lines):
        sort.slots[name] = Slot("^{}  ")
    elif lines and all(re.match(r"[^=]+ = \S", line) for line in lines):
        sort.slots[name] = Slot("^{} =")
    for variable, value in assigned.items():
        split = next((sign for sign in ";," if sign in value), "")
        sort.slots[variable.lower()] = Slot(f'{variable}="{{}}"', split)
    for option, sign, _ in (m.groups() for line in lines for m in _OPTION.finditer(line)):
        sort.slots.setdefault(option.replace("-", "_"), Slot(f"--{option}{sign}{{}}"))
    sort.slots.pop("line", None)
    if sort.slots:
        sort.documents = [
            [read_document(d.to_bytes(), d.path, slots=sort.slots) for d in documents] for documents in sort.documents
        ]


def _tolerate(sort: Sort) -> None:
    """Faults that are in the vendor's own files are tolerated there, or no one could work with them."""
    severe = (Severity.ERROR, Severity.WARNING)
    found = {f.code for documents in sort.documents for d in documents for f in d.findings if f.severity in severe}
    sort.tolerate = tuple(sorted(found & TOLERANCES))
    if sort.tolerate:
        sort.documents = [
            [read_document(d.to_bytes(), d.path, slots=d.reading.slots, tolerate=sort.tolerate) for d in documents]
            for documents in sort.documents
        ]


# --- values -----------------------------------------------------------------------------------------------------------


class _Kinds:
    """The kind of each node of a document: its names, but for names that are data, as in a map of named entries.

    Sections of one form, such as `[Plot North]` and `[Plot South]`, are of one kind with a pattern for its name.
    """

    def __init__(self, sections: Mapping[str, NamePattern]) -> None:
        self._sections = sections
        self._known: dict[int, Kind] = {}
        self._maps: dict[int, bool] = {}

    def of(self, node: Node) -> Kind:
        if node.parent is None:
            return ()
        kind = self._known.get(id(node))
        if kind is None:
            name = "" if not node.is_value and self._is_map(node.parent) else node.name
            if node.parent.parent is None and not node.is_value:
                name = self._sections.get(node.name, name)
            kind = self._known[id(node)] = (*self.of(node.parent), name)
        return kind

    def _is_map(self, parent: Node) -> bool:
        if id(parent) not in self._maps:
            self._maps[id(parent)] = _is_map_of_groups(parent)
        return self._maps[id(parent)]


def _is_map_of_groups(parent: Node) -> bool:
    """Many groups, each with a name of its own and mostly the same fields: the names are those of entries."""
    groups = [child for child in parent.children if not child.name.startswith("@")]
    if len(groups) < FAMILY_FROM or len({child.name for child in groups}) < len(groups):
        return False
    if any(child.is_value or not child.name or not child.children for child in groups):
        return False
    if len(groups) < MAP_OF_GROUPS_FROM:
        return _are_numbered(groups)
    counts = Counter(name for child in groups for name in {one.name for one in child.children})
    usual = {name for name, number in counts.items() if number >= USUAL_SHARE * len(groups)}
    has_most = sum(len(usual & {one.name for one in child.children}) >= USUAL_SHARE * len(usual) for child in groups)
    return bool(usual) and has_most >= 0.9 * len(groups)


def _are_numbered(groups: Sequence[Node]) -> bool:
    """Groups of the same fields whose names differ in their digits alone: `stall-1`, `stall-2`."""
    forms = {re.sub(r"\d+", "0", child.name) for child in groups}
    fields = {frozenset(one.name for one in child.children) for child in groups}
    return len(forms) == 1 and len(fields) == 1 and any(sign.isdigit() for sign in groups[0].name)


def _section_patterns(sort: Sort) -> dict[str, NamePattern]:
    """Sections of an INI file that share their first or last word and have the same settings, with that pattern."""
    settings: dict[str, frozenset[str]] = {}
    for documents in sort.documents if sort.format.traits.sections else ():
        for section in (child for document in documents for child in document.root.children if not child.is_value):
            own = frozenset(child.name for child in section.children)
            settings[section.name] = settings.get(section.name, frozenset()) | own
    found: dict[str, NamePattern] = {}
    for form, place in ((r"(?P<word>[^\W\d_]+[ ._:/-]).+", "{} *"), (r".+(?P<word>[ ._:/-][^\W\d_]+)", "* {}")):
        alike: dict[tuple[str, frozenset[str]], list[str]] = defaultdict(list)
        for name, own in settings.items():
            match = re.fullmatch(form, name)
            if match and own and name not in found and not _ODD.search(match["word"].replace("/", "").strip()):
                alike[match["word"], own].append(name)
        for (word, _), names in alike.items():
            pattern = NamePattern(place.replace(" ", "").format(word.replace("/", "?")))
            if len(names) >= FAMILY_FROM and not any(pattern.fits(name) for name in settings.keys() - set(names)):
                found |= dict.fromkeys(names, pattern)
    return found


def _look(sort: Sort) -> None:
    newest = sort.newest
    sections = _section_patterns(sort)
    for tree, documents in enumerate(sort.documents):
        for document in documents:
            if document.ok:
                is_newest = documents is newest
                kinds = _Kinds(sections)
                for node in document.root.walk():
                    if not node.is_value:  # an empty group or list counts, or it would be a stranger in its own file
                        _note(sort, document, node, kinds.of(node), tree, is_newest=is_newest)
    for kind, entries in sort.kinds.items():
        _gather_in_star(entries, has_attributes=sort.format.traits.attributes)
        above = sort.kinds.get(kind[:-1]) if kind else None
        entries.is_mixed = above is not None and _place_of(kind[-1]) in above.columns
    _mark_families(sort)
    for document in newest:
        if isinstance(document.source, RowsSource):
            _mark_columns(sort, document.source.tables or {})
    for kind, entries in sort.kinds.items():
        entries.is_map = _is_map(entries)
        if kind:
            entries.key = next((d.keys.field_for(kind) or "" for d in newest), "")


def _gather_in_star(entries: Entries, *, has_attributes: bool) -> None:
    """Where some names are odd and stand under `*`, a rule for `*` speaks of the values under all names."""
    star = entries.columns.get("*")
    others = [
        column
        for place, column in entries.columns.items()
        if place != "*" and not (has_attributes and place.startswith("@"))
    ]
    if star is None:
        return
    for column in others:
        star.values += column.values
        star.counts += column.counts
        star.most_in_entry += column.most_in_entry


def _mark_columns(sort: Sort, tables: Mapping[str, Table]) -> None:
    """What the database itself says of its columns."""
    for table in tables.values():
        entries = sort.kinds.get((table.name,))
        for name, column in entries.columns.items() if entries is not None else ():
            own = table.columns.get(name)
            column.refers = own.refers if own is not None else None
            column.is_unique = own is not None and not own.may_be_null and (name,) in table.unique


def _mark_families(sort: Sort) -> None:
    """Groups under names of their own that have the same fields: sections of one form among others."""
    alike: dict[tuple[Kind, frozenset[str]], list[Entries]] = defaultdict(list)
    for kind, entries in sort.kinds.items():
        if kind and kind[-1] and entries.columns:
            alike[kind[:-1], frozenset(entries.columns)].append(entries)
    for family in alike.values():
        for entries in family if len(family) >= FAMILY_FROM else ():
            entries.is_one_of_many = True


def _note(sort: Sort, document: Document, node: Node, kind: Kind, tree: int, *, is_newest: bool) -> None:
    if not node.name and document.format.traits.sections and node.parent is document.root:
        return  # a section without a name, which no address leads to
    entries = sort.kinds.setdefault(kind, Entries(kind, is_script=document.format.traits.script))
    entries.count += is_newest
    if kind and kind[-1] == "" and node.name and is_newest:
        entries.names[node.name] += 1
    row: dict[str, str] = {OWN_NAME: node.name} if kind and kind[-1] == "" and node.name else {}
    found: Counter[str] = Counter()
    for child in node.children:
        place = _place_of(child.name)
        if document.format.traits.line_based and child.name == "line":
            continue
        if child.value is None or (not child.is_value and child.children):
            continue  # a kind of its own
        entries.children.add(child.name)
        is_row = not document.format.traits.ordered
        if is_row and child.name == ROW:
            continue
        column = entries.columns.setdefault(place, Column(place, is_row=is_row))
        column.values[child.value] += 1
        column.counts[child.value] += is_newest
        column.is_quoted |= child.is_quoted
        if is_newest and child.comment:
            column.comments[child.comment] += 1
        found[place] += 1
        row.setdefault(place, child.value)
    for place, number in found.items():
        entries.columns[place].entries += is_newest
        entries.columns[place].most_in_entry = max(entries.columns[place].most_in_entry, number)
    entries.rows.append(row)
    entries.rows_of_tree[tree].append(row)
    entries.groups[tree, id(node.parent)].append(row)


def _place_of(name: str) -> str:
    """Where the values of that name are counted: those of items of a list, and of names that no address has, together."""
    return name if name and not _ODD.search(name) else "*"


def _is_map(entries: Entries) -> bool:
    """Its names are data: many children, all of them single values of the same sort.

    Where there are several such groups, each has other names.
    """
    columns = [column for place, column in entries.columns.items() if place != "*"]
    if len(columns) < MAP_FROM or len(entries.children) != len(columns):
        return False
    if entries.count > 1 and any(column.entries >= USUAL_SHARE * entries.count for column in columns):
        return False
    values = Counter(value for column in columns for value in column.values)
    others = {value: number for value, number in values.items() if measured(value) is None}
    # One word that recurs among the numbers says "look elsewhere"; several of them are settings.
    return len(others) <= 1 and sum(others.values()) < USUAL_SHARE * sum(values.values())


def columns_of(sorts: Sequence[Sort]) -> Iterator[tuple[Sort, Entries, Column]]:
    """Every column of every kind of entries, with where it is."""
    for sort in sorts:
        for entries in sort.kinds.values():
            for column in entries.columns.values():
                yield sort, entries, column
