"""
References between files, by the words that they share.

What refers to something uses only words that are there, so a set of words that is within a set of keys, of file
names or of folder names is a reference; many words make it sure. Nothing else is known, so short sets say nothing.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import chain, count
from pathlib import PurePosixPath
from typing import Final

from zerrit.core.addresses import print_kind, quote_key
from zerrit.core.documents import Document, Node
from zerrit.core.documents.measures import measured
from zerrit.core.documents.scalars import as_number, as_switch
from zerrit.core.drafting.field_inference import Knowledge
from zerrit.core.drafting.observations import Column, Entries, Sort, columns_of
from zerrit.core.wildcards import key_matches
from zerrit.core.word_forms import word_in

ALL_FROM: Final = 6  #: things of which a map names all, by no chance
NAMES_FROM: Final = 3  #: names of a map that are no settings of the same names
REFERENCE_FROM: Final = 2  #: different words that make a reference
FEW_TARGETS: Final = 12  #: words of a set in which a single word is not found by chance
VARIANTS_FROM: Final = 3  #: variants of a thing, and things that have them
LONG_ENOUGH: Final = 4  #: characters of a word that two places do not share by chance
Knowledges = Mapping[int, Knowledge]  #: by the identity of the column


@dataclass(frozen=True)
class Target:
    """A set of words that others may refer to. `yaml` is how its list is written.

    `column` and `entries` are where they are in files; names of files and folders have none.
    """

    name: str
    yaml: str
    words: frozenset[str]
    column: Column | None = None
    entries: Entries | None = None
    address: str = ""
    is_folders: bool = False
    is_list_file: bool = False  #: a text file with one word a line, whose order may count
    past: frozenset[str] = frozenset()  #: words that only an earlier tree has

    @property
    def rank(self) -> tuple[bool, int, bool, str]:
        """Of several, words refer most likely to the first: with the fewest words, and no map that says one thing of them."""
        return self.entries is not None and self.entries.is_map, len(self.words), self.column is None, self.name

    def holds(self, column: Column) -> bool:
        """Every value of the column is a word of it, in the newest tree and in those before."""
        return self.has(frozenset(+column.counts), frozenset(column.values))

    def has(self, newest: frozenset[str], every: frozenset[str]) -> bool:
        """It has these words of the newest tree, and had those of every tree."""
        return newest <= self.words and every <= self.ever

    @property
    def ever(self) -> frozenset[str]:
        """The words of all trees."""
        return self.words | self.past


@dataclass(frozen=True)
class Reference:
    """A field whose words are those of a target. `is_open`: it could as well be the other way round.

    `within` is the text around the words that are meant, `matches` the form of all values, `exceptions` are forms of words that
    are not meant.
    """

    address: str
    target: Target
    support: int
    column: Column
    is_open: bool = False
    take: str = "value"
    within: str = ""
    matches: str = ""
    exceptions: tuple[str, ...] = ()

    @property
    def words(self) -> frozenset[str]:
        """The words that refer, without the text around them."""
        words = (value if not self.within else word_in(self.within, value) for value in self.column.values)
        return frozenset(
            word for word in words if word is not None and not any(key_matches(one, word) for one in self.exceptions)
        )


@dataclass(frozen=True)
class Agreement:
    """Places that have the same words; `yaml` are they as the gamebook has them."""

    yaml: str
    support: int
    addresses: tuple[str, ...] = ()
    folder: str = ""


def address(sort: Sort, entries: Entries, place: str) -> str:
    """The address of a field in all files of a sort."""
    return f"{sort.pattern}#{'/'.join(filter(None, (print_kind(entries.kind), place)))}"


def targets(sorts: Sequence[Sort], paths: Sequence[str], past: Sequence[str] = ()) -> list[Target]:
    """Everything that words may refer to: keys of entries, names of a map, files, folders.

    `paths` are those of the newest tree, `past` those of the trees before it.
    """
    before = {target.yaml: target.words for target in _files_and_folders(past)}
    now = (replace(one, past=before.get(one.yaml, frozenset()) - one.words) for one in _files_and_folders(paths))
    taken: set[str] = set()
    return [
        replace(one, name=free_name([one.name], taken))
        for one in (*_keys_and_names(sorts), *_names_of_maps(sorts), *now)
    ]


def free_name(names: Sequence[str], taken: set[str]) -> str:
    """The first of the names that is not taken, or the first one with a number; it is taken then."""
    numbered = (f"{names[0]} {number}" for number in count(2))
    name = next(name for name in chain(names, numbered) if name not in taken)
    taken.add(name)
    return name


def _keys_and_names(sorts: Sequence[Sort]) -> Iterator[Target]:
    for sort, entries, column in columns_of(sorts):
        is_key = column.place == entries.key or (entries.key == "=" and column.place == "*") or column.is_unique
        is_slot = not entries.kind and column.place in sort.slots
        is_name = not entries.kind and _is_name_of_file(sort, column)
        words = frozenset(column.values)
        if not (is_key or is_slot or is_name) or entries.is_map or _recurs(sort, column):
            continue
        if len(words) >= REFERENCE_FROM and not _are_numbers(words):
            text = address(sort, entries, column.place)
            source = f"source: {json.dumps(text, ensure_ascii=False)}"
            name = name_of(sort, entries, column.place)
            now = frozenset(+column.counts)
            yield Target(name, source, now, column, entries, text, is_list_file=is_slot, past=words - now)


def _names_of_maps(sorts: Sequence[Sort]) -> Iterator[Target]:
    for sort in sorts:
        for entries in sort.kinds.values():
            names = names_in(entries)
            if len(names) >= REFERENCE_FROM and not _are_numbers(names):
                source = f"source: {json.dumps(names_at(sort, entries), ensure_ascii=False)}, take: name"
                now = newest_names(entries)
                yield Target(name_of(sort, entries, "names"), source, now, entries=entries, past=names - now)


def names_in(entries: Entries) -> frozenset[str]:
    """The names that are data: of a map of values, or of entries that have names of their own."""
    names = frozenset(entries.columns) if entries.is_map else frozenset(entries.names)
    return frozenset() if any(name.startswith("@") for name in names) else names  # which is the sign of an attribute


def newest_names(entries: Entries) -> frozenset[str]:
    """Those of the newest tree."""
    own = frozenset(name for name, column in entries.columns.items() if column.entries)
    return names_in(entries) & own if entries.is_map else names_in(entries)


def names_at(sort: Sort, entries: Entries) -> str:
    """The address of what has those names."""
    return address(sort, entries, "*" if entries.is_map else "")


def name_references(sorts: Sequence[Sort], targets: Sequence[Target]) -> Iterator[Reference]:
    """Names in maps that are all words of a list: what a thing is made of, what each thing costs."""
    for sort in sorts:
        for entries in sort.kinds.values():
            names = names_in(entries)
            where = names_at(sort, entries)
            own = f"source: {json.dumps(where, ensure_ascii=False)}, take: name"
            fitting = [
                target
                for target in targets
                if target.has(newest_names(entries), names)
                and target.yaml != own
                and target.entries is not entries
                and _may_name(names, entries, target)
            ]
            if len(names) >= NAMES_FROM and fitting:
                target = min(fitting, key=lambda target: target.rank)
                counts = Counter(names)
                yield Reference(where, target, len(names), Column("*", counts, counts), take="name")


def _may_name(names: frozenset[str], entries: Entries, target: Target) -> bool:
    """Things that are defined here need not be in a map that says one thing of them, unless all of many are."""
    is_said_of = target.entries is not None and target.entries.is_map and not entries.is_map
    return not is_said_of or (names == target.ever and len(names) >= ALL_FROM)


def mark_maps(sorts: Sequence[Sort], targets: Sequence[Target]) -> None:
    """Groups of single values whose names are all words of one list: the names are data, and another one may come."""
    for sort in sorts:
        for entries in sort.kinds.values():
            names = frozenset(entries.columns)
            is_plain = bool(entries.kind) and len(entries.children) == len(names) >= NAMES_FROM and "*" not in names
            if is_plain and not entries.is_map and any(names <= target.ever for target in targets):
                entries.is_map = True


def _recurs(sort: Sort, column: Column) -> bool:
    """Words that stand several times in one file are used there, and defined elsewhere."""
    return max(column.counts.values(), default=0) > max(1, len(sort.newest))


def _is_name_of_file(sort: Sort, column: Column) -> bool:
    """A value that each file of a sort has once, and no two of them the same."""
    count = len(sort.newest)
    return count >= REFERENCE_FROM and column.entries == count == len(column.counts) and column.most_in_entry == 1


def _are_numbers(words: frozenset[str]) -> bool:
    return all(as_number(word) is not None or as_switch(word) is not None for word in words)


def name_of(sort: Sort, entries: Entries, place: str) -> str:
    """What a field is called in a draft: its file, its entries and itself, in plain words."""
    words = (*sort.label.split(" "), *(name for name in entries.kind if name), place.removeprefix("@").replace("*", ""))
    said: list[str] = []
    for word in words:
        if word and word.casefold() != (said[-1] if said else "").casefold():
            said.append(word)
    return " ".join(said)


def _files_and_folders(paths: Sequence[str]) -> Iterator[Target]:
    stems: dict[str, set[str]] = {}
    folders: dict[str, set[str]] = {}
    for path in paths:
        parts = PurePosixPath(path)
        if len(parts.parts) > 1:
            stems.setdefault(f"{parts.parent}/*{parts.suffix}", set()).add(parts.stem)
        for folder in list(parts.parents)[:-2]:
            folders.setdefault(f"{folder.parent}/*", set()).add(folder.name)
    for pattern, words in sorted(stems.items()):
        if len(words) >= REFERENCE_FROM:
            yield Target(f"files of {pattern.replace('/*', '')}", f'file_names: "{pattern}"', frozenset(words))
    for pattern, words in sorted(folders.items()):
        if len(words) >= REFERENCE_FROM:
            yield Target(
                f"folders of {pattern.removesuffix('/*')}", f'folders: "{pattern}"', frozenset(words), is_folders=True
            )


def references(sorts: Sequence[Sort], known: Knowledges, targets: Sequence[Target]) -> list[Reference]:
    """Fields all of whose words are in a target: the smallest such one, and files that there are for each word."""
    found = list(_demanded(sorts, targets))
    for sort, entries, column in columns_of(sorts):
        words = frozenset(column.values)
        support = sum(column.counts.values())
        if column.refers is not None or not support:
            continue
        knowledge = known.get(id(column))
        if knowledge is None or knowledge.kind or entries.is_map or _are_numbers(words):
            continue
        fitting = [t for t in targets if t.holds(column) and _is_telling(words, t, support) and t.column is not column]
        if column.place == entries.key or not entries.kind:
            fitting = [t for t in fitting if not _is_backward(t, entries, words)]
        where = address(sort, entries, column.place)
        files = [t for t in fitting if t.column is None and t.entries is None and t.words == frozenset(+column.counts)]
        others = [t for t in fitting if t not in files]
        if others and not files:
            # A list that is itself a choice of words says less of one word than the things that the words name.
            files = [
                min(
                    others,
                    key=lambda t: (t.is_list_file and len(words) == 1, t.rank),
                )
            ]
        found += [
            Reference(where, target, support, column, _is_open(column, entries, target, support)) for target in files
        ]
    return found


def _demanded(sorts: Sequence[Sort], targets: Sequence[Target]) -> Iterator[Reference]:
    """References that a database demands itself."""
    for sort, entries, column in columns_of(sorts):
        other = sort.kinds.get((column.refers[0],)) if column.refers is not None else None
        there = other.columns.get(column.refers[1]) if other is not None and column.refers is not None else None
        if other is None or there is None:
            continue
        text = address(sort, other, there.place)
        source = f"source: {json.dumps(text, ensure_ascii=False)}"
        made = Target(name_of(sort, other, there.place), source, frozenset(there.values), there, other, text)
        target = next((one for one in targets if one.yaml == source), made)
        yield Reference(address(sort, entries, column.place), target, sum(column.counts.values()), column)


def _is_open(column: Column, entries: Entries, target: Target, support: int) -> bool:
    """The two have the same words, and both each of them once: either may be the source."""
    is_once = support == len(column.counts) == len(column.values) and column.place in (entries.key, "*")
    return is_once and target.column is not None and target.ever == frozenset(column.values)


def _is_backward(target: Target, entries: Entries, words: frozenset[str]) -> bool:
    """What is defined here is only used there: the other one refers to this."""
    return (
        target.column is not None
        and target.ever == words
        and len(target.entries.columns if target.entries else ()) < len(entries.columns)
    )


def _is_telling(words: frozenset[str], target: Target, support: int) -> bool:
    """More than chance: several different words, or one long word among few that recurs nowhere else."""
    if len(words) >= REFERENCE_FROM:
        return True
    word = next(iter(words), "")
    length = LONG_ENOUGH if " " not in word else 2 * LONG_ENOUGH
    return support >= 1 and len(word) >= length and len(target.words) <= FEW_TARGETS


def agreements(sorts: Sequence[Sort], known: Knowledges, paths: Sequence[str]) -> list[Agreement]:
    """Places that have the same word in each tree, and files that have the name of their folder or their own."""
    found: list[Agreement] = []
    places: dict[frozenset[str], list[str]] = {}
    for sort, entries, column in columns_of(sorts):
        knowledge = known.get(id(column))
        words = frozenset(column.values)
        if knowledge is None or knowledge.kind or not words or not all(map(_is_identifier, words)):
            continue
        where = address(sort, entries, column.place)
        if "*" in sort.pattern and not entries.is_map and column.most_in_entry == 1 and entries.kind.count("") == 0:
            found += _own(sort, column, where, entries)
            continue
        is_single = len(words) == 1 and sum(column.counts.values()) == 1
        is_slot_list = not entries.kind and column.place in sort.slots
        is_list = len(entries.kind) == 1 and entries.kind[0] in sort.slots
        if is_single or is_slot_list or is_list:
            places.setdefault(words, []).append(where)
    folders = {folder for path in paths for folder in list(PurePosixPath(path).parents)[:-2]}
    for words, addresses in places.items():
        quoted, named = [json.dumps(one, ensure_ascii=False) for one in addresses], list[str]()
        if len(words) == 1:
            word = next(iter(words))
            named = sorted({f"{folder.parent}/*" for folder in folders if folder.name == word})
            quoted += [f'{{folder: "{pattern}"}}' for pattern in named]
        if len(addresses) > 1 or (len(quoted) > 1 and len(addresses) == 1):
            folder = named[0] if named else ""
            found.append(Agreement(f"[{', '.join(quoted)}]", len(words), tuple(addresses), folder))
    return found


def _is_identifier(word: str) -> bool:
    """A word that names something, and long enough not to be shared by chance; titles have blanks."""
    return len(word) >= LONG_ENOUGH and " " not in word and measured(word) is None


def _own(sort: Sort, column: Column, where: str, entries: Entries) -> Iterator[Agreement]:
    """A value that is the name of its own file or folder, in each file of the sort."""
    pairs = []
    for document in sort.newest:
        path = PurePosixPath(document.path)
        nodes = document.select("/".join(filter(None, (print_kind(entries.kind), column.place))))
        pairs += [(node.value, path.stem, path.parent.name) for node in nodes]
    if len(pairs) < REFERENCE_FROM or len({value for value, _, _ in pairs}) < REFERENCE_FROM:
        return
    if all(value == stem for value, stem, _ in pairs):
        yield Agreement(f"{{every: {json.dumps(where, ensure_ascii=False)}, name_of: file}}", len(pairs))
    elif all(value == folder for value, _, folder in pairs):
        yield Agreement(f"{{every: {json.dumps(where, ensure_ascii=False)}, name_of: folder}}", len(pairs))


def families(sorts: Sequence[Sort], known: Knowledges) -> Iterator[tuple[str, list[str], int]]:
    """Keys that occur once: name, addresses and support. Codes of one form over several files are one family."""
    forms: dict[str, list[tuple[str, Column]]] = {}
    taken: set[str] = set()
    for sort, entries, column in columns_of(sorts):
        if not (column.place == entries.key or column.is_unique) or entries.count < 3 or not entries.kind:
            continue
        if any(number > 1 for number in column.counts.values()):
            continue
        where = address(sort, entries, column.place)
        knowledge = known.get(id(column))
        form = _loose(knowledge.matches) if knowledge is not None else ""
        if form:
            forms.setdefault(form, []).append((where, column))
        else:
            yield free_name([name_of(sort, entries, column.place)], taken), [where], sum(column.counts.values())
    for form, listed in forms.items():
        family, others = _apart(listed)
        if len(family) > 1 or not others:
            size = sum(len(column.counts) for _, column in family)
            yield free_name([f"codes of the form {form}"], taken), [where for where, _ in family], size
        else:
            others = listed
        for where, column in others:
            yield free_name([f"codes in {where.partition('#')[0]}"], taken), [where], len(column.counts)


def _apart(listed: Sequence[tuple[str, Column]]) -> tuple[list[tuple[str, Column]], list[tuple[str, Column]]]:
    """Those that share no word with each other, and the others: a table may say again what another file says first."""
    family: list[tuple[str, Column]] = []
    others: list[tuple[str, Column]] = []
    taken: set[str] = set()
    for where, column in sorted(listed, key=lambda one: one[1].is_row):
        if taken.isdisjoint(column.counts):
            family.append((where, column))
            taken |= column.counts.keys()
        else:
            others.append((where, column))
    return family, others


def _loose(matches: str) -> str:
    """A form without its counts, so that `AB-01` and `XY-01` are of one family."""
    return matches.replace("[A-Z]", "A").replace("[a-z]", "a").replace("[0-9]", "9")


# --- variants ---------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Variants:
    """Entries that differ in the first word of their key, and the fields in which they are alike."""

    address: str
    firsts: tuple[str, ...]
    fields: tuple[str, ...]
    groups: int


def variants(sorts: Sequence[Sort]) -> Iterator[Variants]:
    """Sets of entries such as `Small Tub`, `Broad Tub`, `Great Tub` that have the same numbers."""
    for sort in sorts:
        for kind, entries in sort.kinds.items():
            if not kind or not entries.key or entries.key == "=" or "*" in sort.pattern:
                continue
            for document in sort.newest:
                yield from _variants(sort, document, print_kind(kind))


def _variants(sort: Sort, document: Document, kind: str) -> Iterator[Variants]:
    groups: dict[tuple[int, str], dict[str, Node]] = {}
    for node in document.select(kind):
        first, _, rest = document.keys.key_of(node).partition(" ")
        if rest:
            groups.setdefault((id(node.parent), rest), {})[first] = node
    clusters: dict[frozenset[str], list[dict[str, Node]]] = {}
    for group in groups.values():
        if len(group) >= VARIANTS_FROM:
            clusters.setdefault(frozenset(group), []).append(group)
    for firsts, listed in clusters.items():
        if len(listed) < VARIANTS_FROM:
            continue
        sheets = [[_numbers(document, node) for node in group.values()] for group in listed]
        places = [place for place in sheets[0][0] if _is_alike(sheets, place)]
        if places:
            yield Variants(f"{sort.pattern}#{kind}", tuple(sorted(firsts)), tuple(places), len(listed))


def _numbers(document: Document, node: Node) -> dict[str, str]:
    """The numbers of an entry, by place: its own, and those of keyed entries below it."""
    found = {child.name: child.value for child in node.children if child.value and measured(child.value) is not None}
    for child in node.children:
        key = document.keys.key_of(child)
        if not child.is_value and key:
            inner = f"{child.name}[{quote_key(key)}]"
            found |= {f"{inner}/{name}": value for name, value in _numbers(document, child).items() if "/" not in name}
    return {place: value for place, value in found.items() if value is not None}


def _is_alike(sheets: Sequence[Sequence[Mapping[str, str]]], place: str) -> bool:
    """Within each set of variants the value is the same, and it is not the same everywhere."""
    values = [{sheet.get(place) for sheet in group} for group in sheets]
    return all(len(one) == 1 and None not in one for one in values) and len(set().union(*values)) > 1
