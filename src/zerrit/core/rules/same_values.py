"""Two tables in which the same key must have the same value."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.documents import Finding, Node
from zerrit.core.documents.file_selection import below
from zerrit.core.documents.scalars import as_number
from zerrit.core.examination.check_context import Unknown
from zerrit.core.nearest import did_you_mean
from zerrit.core.rules.base import Text
from zerrit.core.rules.listed import ListedRule, Named, nowhere
from zerrit.core.rules.sources import OWN, SqlQuery, Table
from zerrit.core.rules.word_uses import ValuesAt, WordUse

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination, Placed

    Valued = tuple[str, Placed | None]  # a value and where it is


class SameRule(ListedRule):
    """Where two tables have the same key, they must have the same value; `both` asks for every key in each of them."""

    part: ClassVar[str] = "same_values"
    about: ClassVar[str] = "two tables in which the same key must have the same value"
    code: ClassVar[str] = "meaning.not-same"

    name: Text = Field(description="what the values are, for the message: `prices of items`")
    table: Table
    other: Table = Field()
    both: bool = Field(False, description="every key of one table must be in the other, either way")

    @property
    def title(self) -> str:
        return self.name

    def _tables(self) -> tuple[tuple[str, Table], ...]:
        return ("table", self.table), ("other", self.other)

    def addresses(self) -> Iterator[Named]:
        yield from (Named((key, "each"), table.each) for key, table in self._tables() if table.each)

    def places(self) -> Iterator[Named]:
        for key, table in self._tables():
            if table.each and table.key:
                yield Named((key, "key"), table.key)
            if table.each and table.value != OWN:
                yield Named((key, "value"), table.value)

    def queries(self) -> Iterator[SqlQuery]:
        yield from (table.sql for _, table in self._tables() if table.sql is not None)

    def word_uses(self) -> Iterator[tuple[str, WordUse]]:
        yield from (("", ValuesAt(table.key_address, table.take)) for _, table in self._tables() if table.each)

    def sentence(self) -> str:
        return f"{self.name} are the same in two places"

    def count(self, examination: Examination) -> None:
        del examination

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        for _, table in self._tables():
            if table.sql is None:
                yield from nowhere(
                    examination, list(dict.fromkeys((table.each, table.key_address, table.value_address)))
                )
            elif table.sql.database not in examination.paths:
                yield f"there is no file {table.sql.database}"

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """Where both tables have a key, they have the same value."""
        try:
            inputs: list[object] = []
            for key, table in self._tables():
                if table.sql is not None:
                    inputs.append(examination.rows(table.sql, ("same_values", number, key, "sql")))
                else:
                    inputs += examination.sound(table.each)
        except Unknown:
            return
        yield from examination.findings_of(("same_values", number), tuple(inputs), _same, self, number)


def _same(examination: Examination, rule: SameRule, number: int) -> Iterator[Finding]:
    ones = _pairs(examination, rule.table, ("same_values", number, "table", "sql"))
    others = _pairs(examination, rule.other, ("same_values", number, "other", "sql"))
    for key, values in ones.items():
        if key not in others:
            if rule.both:
                yield from _without_other(examination, rule, key, values, others.keys() - ones.keys())
            continue
        for pair in _unequal(values, others[key]):
            # A value of a query has no place to be told at; then it is told at the one that it differs from.
            (value, place), (other, its_place) = pair if pair[0][1] is not None else pair[::-1]
            by_query = next((table for table in (rule.other, rule.table) if table.sql is not None), rule.other)
            there = examination.address(*its_place) if its_place is not None else _called(by_query)
            message = f"{rule.name}: `{key}` has {value} here, but {other} in {there}. The two must be the same."
            at = place or _called(rule.table)
            yield examination.finding(rule, "meaning.not-same", at, message)
    if rule.both:
        for key, values in others.items():
            if key not in ones:
                yield from _without_other(examination, rule, key, values, ones.keys() - others.keys(), is_other=True)


def _unequal(ones: Sequence[Valued], others: Sequence[Valued]) -> Iterator[tuple[Valued, Valued]]:
    """Each value that is not as it should be, beside one that it should be equal to.

    What most places have is taken for right; without a majority the others are, and the first ones are told.
    """
    every = [*ones, *others]
    usual = max(every, key=lambda one: sum(_is_equal(one[0], other[0]) for other in every))
    if 2 * sum(_is_equal(usual[0], one[0]) for one in every) > len(every):
        yield from ((one, usual) for one in every if not _is_equal(one[0], usual[0]))
        return
    for one in ones:
        other = next((other for other in others if not _is_equal(one[0], other[0])), None)
        if other is not None:
            yield one, other


def _without_other(
    examination: Examination,
    rule: SameRule,
    key: str,
    values: Sequence[Valued],
    free: Iterable[str],
    *,
    is_other: bool = False,
) -> Iterator[Finding]:
    """A key that one of the tables has alone; `free` are keys of the other one that this one lacks."""
    mine, its = (rule.other, rule.table) if is_other else (rule.table, rule.other)
    message = f"`{key}` is among the {rule.name} here, but not in {_called(its)}."
    yield examination.finding(rule, "meaning.not-same", values[0][1] or _called(mine), message, did_you_mean(key, free))


def _called(table: Table) -> str:
    return table.sql.database if table.sql is not None else table.each.partition("#")[0]


def _pairs(examination: Examination, table: Table, location: tuple[int | str, ...]) -> dict[str, list[Valued]]:
    """The values of each key, with where they are; those of a query have no place."""
    pairs: dict[str, list[Valued]] = defaultdict(list)
    if table.sql is not None:
        for row in examination.rows(table.sql, location):
            if len(row) > 1:
                pairs[row[0]].append((row[1], None))
        return pairs
    for document, node in examination.nodes(table.each):
        key = _key_of(node, table)
        value = node if table.value == OWN else below(node, table.value)
        if key is not None and value is not None and value.value is not None:
            pairs[key].append((value.value, (document, value)))
    return pairs


def _key_of(node: Node, table: Table) -> str | None:
    if table.take == "name":
        return node.name.removeprefix("@") or None
    found = below(node, table.key)
    return found.value if found is not None else None


def _is_equal(one: str, other: str) -> bool:
    number = as_number(one)
    return one == other or (number is not None and number == as_number(other))
