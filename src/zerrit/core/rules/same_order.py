"""Two lists that have the same words in the same order."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import zip_longest
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.documents import Finding
from zerrit.core.examination.check_context import Unknown
from zerrit.core.rules.base import Text
from zerrit.core.rules.listed import ListedRule, Named

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class SameOrderRule(ListedRule):
    """The values at two addresses are the same, one after the other."""

    part: ClassVar[str] = "same_order"
    about: ClassVar[str] = "two lists with the same words in the same order"
    code: ClassVar[str] = "meaning.same-order"

    first: Text = Field(description="the address of the values of one list")
    second: Text = Field(description="the address of the values of the other")

    def addresses(self) -> Iterator[Named]:
        yield Named(("first",), self.first)
        yield Named(("second",), self.second)

    def sentence(self) -> str:
        return f"{self.first} and {self.second} are the same, one after the other"

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """The two lists do not differ; the first difference is told, since others follow from it."""
        try:
            documents = (*examination.sound(self.first), *examination.sound(self.second))
        except Unknown:
            return
        yield from examination.findings_of(("same_order", number), documents, _differing, self)


def _differing(examination: Examination, rule: SameOrderRule) -> Iterator[Finding]:
    one = [pair for pair in examination.nodes(rule.first) if pair[1].value is not None]
    other = [pair for pair in examination.nodes(rule.second) if pair[1].value is not None]
    for position, (mine, theirs) in enumerate(zip_longest(one, other), 1):
        if mine is None and theirs is not None:
            message = f"`{theirs[1].value}` is number {position} here, and {rule.first} ends before it."
            yield examination.finding(rule, "meaning.same-order", theirs, message)
            return
        if mine is not None and theirs is None:
            message = f"`{mine[1].value}` is number {position} here, and {rule.second} ends before it."
            yield examination.finding(rule, "meaning.same-order", mine, message)
            return
        if mine is not None and theirs is not None and mine[1].value != theirs[1].value:
            where = examination.address(*theirs)
            message = f"Number {position} is `{mine[1].value}` here and `{theirs[1].value}` at {where}; both lists have to be the same."
            yield examination.finding(rule, "meaning.same-order", mine, message)
            return
