"""Numbers and words that two tables have alike for the same key: a price in a list of goods and in the ledger of a shop."""

from __future__ import annotations

import json
import math
import re
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import Final

from zerrit.core.documents.scalars import as_number
from zerrit.core.drafting.observations import OWN_NAME, Entries, Sort
from zerrit.core.drafting.reference_inference import address, free_name, name_of, names_at, names_in
from zerrit.core.rules.sources import OWN

FEWEST: Final = 3  #: keys that two tables share
CHANCE: Final = 0.001  #: values that would be equal by chance more often than this say nothing
SAME_NAME: Final = 0.02  #: how much less two fields of one name are equal by chance
MOST_ROWS: Final = 20_000  #: of a table; a larger one is left out
MOST_PAIRS: Final = 4000  #: of tables that share keys

Pairs = Mapping[str, str]  #: a value by its key


@dataclass(frozen=True, slots=True)
class _Table:
    """Entries with one of their columns as the key; `key` is empty where their names are it."""

    sort: Sort
    entries: Entries
    key: str
    known: dict[tuple[int, str], Pairs | None] = field(
        default_factory=dict, compare=False
    )  #: pairs that were asked for

    @property
    def fields(self) -> list[str]:
        if self.entries.is_map:
            return [OWN]
        return [
            place
            for place, column in self.entries.columns.items()
            if place not in (self.key, "*") and column.most_in_entry <= 1
        ]

    def pairs(self, tree: int, place: str) -> Pairs | None:
        """The values of a tree by their key; None where one key has two values."""
        if (tree, place) not in self.known:
            self.known[tree, place] = self._pairs(tree, place)
        return self.known[tree, place]

    def _pairs(self, tree: int, place: str) -> Pairs | None:
        found: dict[str, str] = {}
        for row in self.entries.rows_of_tree[tree]:
            for key, value in row.items() if self.entries.is_map else [(row.get(self.key, ""), row.get(place, ""))]:
                if key and value and found.setdefault(key, value) != value:
                    return None
        return found

    @property
    def keys(self) -> frozenset[str]:
        if not self.key:
            return names_in(self.entries)
        return frozenset(self.entries.columns[self.key].counts)

    @property
    def key_address(self) -> str:
        return address(self.sort, self.entries, self.key) if self.key else names_at(self.sort, self.entries)

    def yaml(self, place: str) -> str:
        each = address(self.sort, self.entries, "") if self.key else names_at(self.sort, self.entries)
        key = f"key: {_quoted(self.key)}" if self.key else "take: name"
        return f"{{each: {_quoted(each)}, {key}, value: {_quoted(place)}}}"


@dataclass(frozen=True, slots=True)
class EqualColumns:
    """Two fields that are equal for the same key; `yaml` is the rule as the gamebook has it, `support` counts the keys.

    `keys` are the addresses of the two keys; `has_all_keys`: both tables have the same ones.
    """

    yaml: str
    support: int
    keys: frozenset[str]
    has_all_keys: bool


def equal_columns(sorts: Sequence[Sort]) -> Iterator[EqualColumns]:
    """Fields of two tables that are equal for each key that both have, in every tree, and are so by no chance."""
    tables = list(_tables(sorts))
    said: set[frozenset[tuple[int, str, str]]] = set()
    groups: dict[tuple[int, str], int] = {}
    names: set[str] = set()
    for one, other in _sharing(tables):
        is_first = True
        for mine in one.fields:
            for its in other.fields:
                support = _support(one, mine, other, its)
                if not support or _are_joined(groups, (id(one.entries), mine), (id(other.entries), its)):
                    continue
                turned = frozenset(((id(one.entries), mine, one.key), (id(other.entries), its, other.key)))
                if turned in said:
                    continue  # a name for each code says as much as a code for each name
                said.add(frozenset(((id(one.entries), one.key, mine), (id(other.entries), other.key, its))))
                both = ", both: true" if is_first and one.keys == other.keys else ""
                is_first = False
                name = _free_name(one, mine, other, its, names)
                yaml = f"{{name: {_quoted(name)}, table: {one.yaml(mine)}, other: {other.yaml(its)}{both}}}"
                yield EqualColumns(yaml, support, frozenset((one.key_address, other.key_address)), bool(both))


def _free_name(one: _Table, mine: str, other: _Table, its: str, taken: set[str]) -> str:
    """A name for the rule that no other has."""
    names = [
        name_of(table.sort, table.entries, place if place != OWN else "")
        for table, place in ((one, mine), (other, its))
    ]
    return free_name(names, taken)


def _are_joined(groups: dict[tuple[int, str], int], one: tuple[int, str], other: tuple[int, str]) -> bool:
    """Two fields that are equal to a third one are equal already; if not, they are joined now."""
    mine, its = groups.setdefault(one, len(groups)), groups.setdefault(other, len(groups))
    if mine == its:
        return True
    for end, group in groups.items():
        if group == its:
            groups[end] = mine
    return False


def _tables(sorts: Sequence[Sort]) -> Iterator[_Table]:
    for sort in sorts:
        for entries in sort.kinds.values():
            if not FEWEST <= len(entries.rows) <= MOST_ROWS and not entries.is_map:
                continue
            if not entries.kind and not entries.is_map:
                continue  # an address cannot name each of several files as an entry
            if len(names_in(entries)) >= FEWEST:
                yield _Table(sort, entries, OWN_NAME)
            if entries.is_map:
                continue
            for place, column in entries.columns.items():
                is_key = column.entries == entries.count and column.most_in_entry == 1 and _are_words(column.counts)
                if is_key and place != "*" and len(column.counts) >= FEWEST:
                    yield _Table(sort, entries, place)


def _sharing(tables: Sequence[_Table]) -> Iterator[tuple[_Table, _Table]]:
    """Pairs of tables that share keys, those of files before those of databases, which say again what a file says."""
    by_word: defaultdict[str, list[int]] = defaultdict(list)
    for number, table in enumerate(tables):
        for key in table.keys:
            by_word[key].append(number)
    shared: Counter[tuple[int, int]] = Counter()
    for numbers in by_word.values():
        if len(numbers) <= math.isqrt(MOST_PAIRS):
            shared.update(combinations(numbers, 2))
    for (one, other), keys in shared.most_common(MOST_PAIRS):
        mine, its = tables[one], tables[other]
        if keys >= FEWEST and mine.entries is not its.entries:
            yield (its, mine) if _is_row(mine) and not _is_row(its) else (mine, its)


def _is_row(table: _Table) -> bool:
    return not table.sort.format.traits.ordered


def _are_words(words: Counter[str]) -> bool:
    return all(as_number(word) is None for word in words)


def _support(one: _Table, mine: str, other: _Table, its: str) -> int:
    """How many keys speak for it that two fields are equal; 0 where one speaks against it, or chance would do."""
    trees = sorted(one.entries.rows_of_tree.keys() & other.entries.rows_of_tree.keys())
    newest: list[tuple[str, str]] = []
    for tree in trees:
        ours, theirs = one.pairs(tree, mine), other.pairs(tree, its)
        if ours is None or theirs is None:
            return 0
        newest = []
        for key, value in ours.items():
            if key in theirs:
                if not _is_equal(value, theirs[key]):
                    return 0
                newest.append((value, theirs[key]))
    if (
        len(newest) < FEWEST
        or _chance([value for value, _ in newest]) * (SAME_NAME if _plain(mine) == _plain(its) else 1) >= CHANCE
    ):
        return 0
    return len(newest)


def _is_equal(one: str, other: str) -> bool:
    if one == other:
        return True
    number = as_number(one)
    return number is not None and number == as_number(other)


def _chance(values: Sequence[str]) -> float:
    """How probable it is that such values are equal in two tables by chance.

    The smaller one of two numbers: that the same values, dealt out anew, come to the same keys; and that all digits behind the
    first ones are the same in numbers that have nothing to do with each other.
    """
    counts = Counter(values)
    if len(counts) < 2:
        return 1.0
    dealt = math.fsum(math.lgamma(number + 1) for number in counts.values()) - math.lgamma(len(values) + 1)
    digits = sum(_digits(value) for value in values) * math.log(10)
    return math.exp(min(dealt, -digits))


def _digits(value: str) -> int:
    """Digits of a number behind the first one that counts; zeros at its end say nothing."""
    if as_number(value) is None:
        return 0
    return max(0, len(re.sub(r"\D", "", value).strip("0")) - 1)


def _plain(place: str) -> str:
    return re.sub(r"[\W_]", "", place).casefold()


def _quoted(text: str) -> str:
    return json.dumps(text, ensure_ascii=False)
