"""What default trees tell of things that are switched on: needs, the folder in use, packed folders, open parties."""

from __future__ import annotations

import zlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import PurePosixPath

from zerrit.core.addresses import print_kind
from zerrit.core.archives import ArchiveBroken, sums_in
from zerrit.core.documents.scalars import as_switch
from zerrit.core.drafting.field_inference import field_name
from zerrit.core.drafting.observations import Entries, Sort
from zerrit.core.drafting.reference_inference import Agreement, Reference, Target, address

FEWEST_IN_ORDER = 3  #: words whose order is no chance


@dataclass(frozen=True)
class Needs:
    """Entries that name what they need; `among` holds what is on."""

    each: str
    name: str
    needs: str
    among: Target
    in_order: bool
    support: int


def narrowed(references: Sequence[Reference]) -> list[Reference]:
    """References whose words all are in entries that are switched on, while others are off: only those will do."""
    return [replace(reference, target=_only_on(reference)) for reference in references]


def _only_on(reference: Reference) -> Target:
    target = reference.target
    entries = target.entries
    if entries is None or target.column is None or len(reference.column.values) == len(target.ever):
        return target
    for place, column in entries.columns.items():
        if any(as_switch(value) is None for value in column.values):
            continue
        states = {row[target.column.place]: row.get(place, "") for row in entries.rows if target.column.place in row}
        on = {word for word, state in states.items() if as_switch(state)}
        off = {word for word, state in states.items() if as_switch(state) is False}
        if off and on | off == set(states) and set(reference.column.values) <= on:
            switch = field_name(place, set())
            return replace(target, name=f"{target.name}, {switch}", yaml=f"{target.yaml}, only_if: is_on({switch})")
    return target


def needs(sorts: Sequence[Sort], targets: Sequence[Target]) -> Iterator[Needs]:
    """Files that have their folder's or their own name and list names of others of their sort."""
    for sort in sorts:
        for entries in sort.kinds.values() if "*" in sort.pattern else ():
            for place, column in entries.columns.items():
                names = set(column.values)
                own = _own_names(sort)
                if len(names) < 2 or column.most_in_entry != 1 or not any(names == one for one in own):
                    continue
                for kind, below in sort.kinds.items():
                    items = below.columns.get("*")
                    if kind[:-1] == entries.kind and items is not None and set(items.values) <= names:
                        yield from _needs(sort, entries, place, kind[-1], targets)


def _own_names(sort: Sort) -> tuple[set[str], set[str]]:
    paths = [PurePosixPath(document.path) for document in sort.newest]
    return {path.parent.name for path in paths}, {path.stem for path in paths}


def _needs(sort: Sort, entries: Entries, place: str, list_name: str, targets: Sequence[Target]) -> Iterator[Needs]:
    names = set(entries.columns[place].values)
    each = address(sort, entries, "**").removesuffix("/**") if entries.kind else f"{sort.pattern}#**"
    pairs = [
        (own.value or "", need.value or "")
        for document in sort.newest
        for own in document.select(print_kind((*entries.kind, place)))
        for need in document.select(print_kind((*entries.kind, list_name, "")))
    ]
    has_order = False
    for target in targets:
        if not names <= target.words and not target.words <= names:
            continue
        order = list(target.column.values) if target.column is not None and target.is_list_file else []
        if order and pairs and all(n in order and o in order and order.index(n) < order.index(o) for o, n in pairs):
            yield Needs(each, place, f"{list_name}/*", target, True, len(pairs))
            has_order = True
    folders = next((t for t in targets if t.is_folders and t.words >= names), None)
    if folders is not None and pairs and not has_order:
        yield Needs(each, place, f"{list_name}/*", folders, False, len(pairs))


def same_orders(sorts: Sequence[Sort], agreements: Sequence[Agreement]) -> Iterator[tuple[str, str, int]]:
    """Addresses of lists that have the same words, one after the other, and the number of words."""
    for one in agreements:
        if not one.addresses:
            continue
        first, *others = ((where, _in_order(sorts, where)) for where in one.addresses)
        for where, words in others:
            if len(words) >= FEWEST_IN_ORDER and words == first[1]:
                yield first[0], where, len(words)


def _in_order(sorts: Sequence[Sort], where: str) -> tuple[str, ...]:
    path, _, place = where.partition("#")
    sort = next(sort for sort in sorts if sort.pattern == path)
    return tuple(node.value or "" for document in sort.newest for node in document.select(place))


def in_use(agreements: Sequence[Agreement]) -> Iterator[tuple[str, str]]:
    """Path patterns and addresses: the folder that a value names is the one that is read."""
    for one in agreements:
        if one.folder and len(one.addresses) > 1:
            yield f"{one.folder.removesuffix('*')}{{}}/**", one.addresses[0]


def packed(tree: Mapping[str, bytes]) -> Iterator[tuple[str, str, int]]:
    """Folders beside a ZIP of their name that holds the same files: folder, ZIP, number of files."""
    for path, data in sorted(tree.items()):
        folder = path.removesuffix(".zip")
        inside = {name.removeprefix(f"{folder}/"): tree[name] for name in tree if name.startswith(f"{folder}/")}
        if folder == path or not inside:
            continue
        try:
            sums = sums_in(data)
        except ArchiveBroken:
            continue
        if sums == {name: zlib.crc32(content) for name, content in inside.items()}:
            yield folder, path, len(inside)
