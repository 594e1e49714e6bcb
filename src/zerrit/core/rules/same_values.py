"""Two tables in which the same key must have the same value."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.documents import Finding
from zerrit.core.documents.file_selection import below
from zerrit.core.documents.scalars import as_number
from zerrit.core.examination.check_context import Unknown
from zerrit.core.nearest import did_you_mean
from zerrit.core.rules.base import Text
from zerrit.core.rules.listed import ListedRule, Named, nowhere
from zerrit.core.rules.sources import SqlQuery, Table
from zerrit.core.rules.word_uses import ValuesAt, WordUse

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination, Placed


class SameRule(ListedRule):
    """Where two tables have the same key, they must have the same value; `both` asks for the key in each of them."""

    part: ClassVar[str] = "same_values"
    about: ClassVar[str] = "two tables in which the same key must have the same value"
    code: ClassVar[str] = "meaning.not-same"

    name: Text = Field(description="what the values are, for the message: `prices of items`")
    table: Table
    other: Table = Field()
    both: bool = Field(False, description="every key of the first must be in the other")

    @property
    def title(self) -> str:
        return self.name

    def _tables(self) -> tuple[tuple[str, Table], ...]:
        return ("table", self.table), ("other", self.other)

    def addresses(self) -> Iterator[Named]:
        yield from (Named((key, "each"), table.each) for key, table in self._tables() if table.each)

    def places(self) -> Iterator[Named]:
        for key, table in self._tables():
            if table.each:
                yield Named((key, "key"), table.key)
                yield Named((key, "value"), table.value)

    def queries(self) -> Iterator[SqlQuery]:
        yield from (table.sql for _, table in self._tables() if table.sql is not None)

    def word_uses(self) -> Iterator[tuple[str, WordUse]]:
        yield from (("", ValuesAt(f"{table.each}/{table.key}")) for _, table in self._tables() if table.each)

    def sentence(self) -> str:
        return f"{self.name} are the same in two places"

    def count(self, examination: Examination) -> None:
        del examination

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        for _, table in self._tables():
            if table.sql is None:
                yield from nowhere(
                    examination, [table.each, f"{table.each}/{table.key}", f"{table.each}/{table.value}"]
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
    for key, (value, place) in ones.items():
        other = others.get(key)
        if other is None:
            if rule.both:
                message = f"`{key}` is among the {rule.name} here, but not in {_called(rule.other)}."
                hint = did_you_mean(key, others.keys() - ones.keys())
                yield examination.finding(rule, "meaning.not-same", place or _called(rule.table), message, hint)
            continue
        if not _is_equal(value, other[0]):
            there = examination.address(*other[1]) if other[1] is not None else _called(rule.other)
            message = f"{rule.name}: `{key}` has {value} here, but {other[0]} in {there}. The two must be the same."
            at = place or other[1] or _called(rule.table)
            yield examination.finding(rule, "meaning.not-same", at, message)


def _called(table: Table) -> str:
    return table.sql.database if table.sql is not None else table.each.partition("#")[0]


def _pairs(
    examination: Examination, table: Table, location: tuple[int | str, ...]
) -> dict[str, tuple[str, Placed | None]]:
    if table.sql is not None:
        rows = examination.rows(table.sql, location)
        return {row[0]: (row[1], None) for row in rows if len(row) > 1}
    pairs: dict[str, tuple[str, Placed | None]] = {}
    for document, node in examination.nodes(table.each):
        key, value = below(node, table.key), below(node, table.value)
        if key is not None and key.value is not None and value is not None and value.value is not None:
            pairs.setdefault(key.value, (value.value, (document, value)))
    return pairs


def _is_equal(one: str, other: str) -> bool:
    number = as_number(one)
    return one == other or (number is not None and number == as_number(other))
