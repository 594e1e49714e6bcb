"""Sums that are always the same: of the parts of each entry, of the fields of each entry, of a column in every version."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import partial
from itertools import pairwise
from typing import Final

from zerrit.core.addresses import NamePattern
from zerrit.core.documents.scalars import as_number
from zerrit.core.drafting.field_inference import Knowledge
from zerrit.core.drafting.observations import OWN_NAME, Entries, Kind, Sort
from zerrit.core.drafting.reference_inference import address

FEWEST: Final = 3  #: sums that are the same, each of other numbers, so that it is not chance
MOST_FIELDS: Final = 8
MOST_PARTS: Final = 1000  #: of one entry
_ROUND: Final = frozenset(map(Decimal, (1, 10, 100, 1000, 10000)))

Knowledges = Mapping[int, Knowledge]


@dataclass(frozen=True, slots=True)
class EqualSums:
    """The parts of each entry of a kind have the same sum. `place` is that of the numbers below the entry, or `fields` are they."""

    kind: Kind
    total: Decimal
    count: int
    place: str = ""
    fields: tuple[str, ...] = ()


def equal_sums(sort: Sort, known: Knowledges) -> Iterator[EqualSums]:
    """Sums that are the same in every entry, in all versions."""
    for entries in sort.kinds.values():
        numeric = _numeric(entries, known)
        if entries.is_one_of_many or not numeric:
            continue
        yield from _of_parts(entries, numeric)
        if entries.is_map:
            yield from _of_map(entries)
        else:
            yield from _of_fields(entries, numeric)


def _numeric(entries: Entries, known: Knowledges) -> list[str]:
    columns = entries.columns.items()
    return [
        place
        for place, column in columns
        if column.most_in_entry == 1
        and (one := known.get(id(column))) is not None
        and one.kind in ("integer", "number")
        and all(as_number(value) is not None for value in column.values)
    ]


def _of_parts(entries: Entries, numeric: Sequence[str]) -> Iterator[EqualSums]:
    if not entries.kind or isinstance(entries.kind[-1], NamePattern):
        return
    name = entries.kind[-1] or "*"
    for place in numeric:
        parted = [[row[place] for row in rows if place in row] for rows in entries.groups.values()]
        total = _same(parted)
        if total is not None:
            newest = max(tree for tree, _ in entries.groups)
            count = sum(tree == newest for tree, _ in entries.groups)
            yield EqualSums(entries.kind[:-1], total, count, place=f"{name}/{place}")


def _of_map(entries: Entries) -> Iterator[EqualSums]:
    rows = [_values_of(row) for row in entries.rows]
    total = _same(rows) if all(as_number(value) is not None for row in rows for value in row) else None
    if total is not None:
        yield EqualSums(entries.kind, total, entries.count, place="*")


def _of_fields(entries: Entries, numeric: Sequence[str]) -> Iterator[EqualSums]:
    """Fields that are all numbers there are in an entry, such as the shares of a mixture."""
    plain = [place for place in numeric if place != "*" and not place.startswith("@")]
    places = plain or [place for place in numeric if place.startswith("@")]
    if 2 <= len(places) <= MOST_FIELDS and all(place in row for row in entries.rows for place in places):
        total = _same([[row[place] for place in places] for row in entries.rows])
        if total is not None:
            yield EqualSums(entries.kind, total, entries.count, fields=tuple(places))


def _same(groups: Sequence[Sequence[str]]) -> Decimal | None:
    """The one sum of all groups, where they are of other numbers; None where there is none."""
    if len(groups) < FEWEST or any(not 2 <= len(group) <= MOST_PARTS for group in groups):
        return None
    different = {tuple(sorted(group)) for group in groups}
    totals = {sum((as_number(value) or Decimal(0) for value in group), Decimal(0)) for group in groups}
    is_telling = len(different) >= FEWEST or (len(different) == FEWEST - 1 and totals <= _ROUND)
    total = next(iter(totals))
    return total if len(totals) == 1 and total != 0 and is_telling else None


def kept_sums(sorts: Sequence[Sort], known: Knowledges) -> Iterator[tuple[str, Decimal, int]]:
    """Columns whose sum is the same in every version, while their numbers are not: address, sum, versions.

    With two versions that may be chance, so it has to be a round one then.
    """
    for sort in sorts:
        for entries in sort.kinds.values():
            trees = [rows for _, rows in sorted(entries.rows_of_tree.items())]
            if len(trees) < 2 or entries.is_one_of_many:
                continue
            is_settings = max(map(len, trees)) == 1 and len(entries.columns) >= FEWEST
            if entries.is_map or is_settings:
                found = _kept(trees, _values_of)
                if found is not None and not any(place.startswith("@") for place in entries.columns):
                    yield address(sort, entries, "*"), *found
                continue
            for place in _numeric(entries, known) if min(map(len, trees)) >= FEWEST else ():
                found = _kept(trees, partial(_value_at, place))
                if found is not None:
                    yield address(sort, entries, place), *found


def _values_of(row: Mapping[str, str]) -> list[str]:
    return [value for place, value in row.items() if place != OWN_NAME]


def _value_at(place: str, row: Mapping[str, str]) -> list[str]:
    return [row[place]] if place in row else []


def _kept(
    trees: Sequence[Sequence[Mapping[str, str]]], numbers_of: Callable[[Mapping[str, str]], list[str]]
) -> tuple[Decimal, int] | None:
    values = [[value for row in rows for value in numbers_of(row)] for rows in trees]
    if any(as_number(value) is None for listed in values for value in listed):
        return None
    totals = {sum((as_number(value) or Decimal(0) for value in listed), Decimal(0)) for listed in values}
    changed = sum(Counter(one) != Counter(other) for one, other in pairwise(values))
    is_telling = changed >= 2 or (changed == 1 and totals <= _ROUND)
    total = next(iter(totals))
    return (total, len(trees)) if len(totals) == 1 and total != 0 and is_telling else None
