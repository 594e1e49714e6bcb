"""Sums that a change should leave as they are."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from decimal import Decimal
from functools import partial
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.addresses import kind_of, parse_address
from zerrit.core.documents import Document, Finding
from zerrit.core.documents.measures import Declared, amount
from zerrit.core.documents.selection import select
from zerrit.core.examination.check_context import Unknown
from zerrit.core.rules.base import Text
from zerrit.core.rules.listed import ListedRule, Named
from zerrit.core.wildcards import path_matches

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class BalanceRule(ListedRule):
    """A sum over entries that a change should leave as it was, or that has a limit."""

    part: ClassVar[str] = "balance"
    about: ClassVar[str] = "sums that a change should leave as they are"
    code: ClassVar[str] = "meaning.balance"

    sum: Text = Field(description="the address of the numbers")
    keep_within: str = Field(
        "", pattern=r"^(\d+(\.\d+)?%?)?$", description="how far a change may move it: `2%` or `40`"
    )
    max: Decimal | None = Field(None, description="the largest sum that the game accepts")

    def addresses(self) -> Iterator[Named]:
        yield Named(("sum",), self.sum)

    def sentence(self) -> str:
        kept = f"stays within {self.keep_within}" if self.keep_within else ""
        most = f"is at most {self.max:f}" if self.max is not None else ""
        return f"the sum of {self.sum} {' and '.join(part for part in (most, kept) if part)}"

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        yield from super().unmeasured(examination)
        nodes = examination.nodes(self.sum)
        if nodes and all(amount(node.value or "", document.declared_of(node)) is None for document, node in nodes):
            yield f"{self.sum} holds no number"

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """The sum stays within its limit, and a change moves it no further than it may."""
        try:
            documents = examination.sound(self.sum)
        except Unknown:
            return
        total = sum((_sum(examination, document, self, number) for document in documents), Decimal(0))
        if self.max is not None and total > self.max:
            message = f"The sum over {self.sum} is {total:f}; the game accepts {self.max:f}."
            fields = {"sum": (format(total, "f"),)}
            yield examination.finding(self, "meaning.sum", self.sum, message, fields=fields)
        if self.keep_within and examination.before is not None:
            yield from _moved(examination, self, number, total)


def _moved(examination: Examination, rule: BalanceRule, number: int, total: Decimal) -> Iterator[Finding]:
    path = parse_address(rule.sum).path
    before = [document for name, document in (examination.before or {}).items() if path_matches(path, name)]
    old = sum((_sum_before(examination, document, rule, number) for document in before), Decimal(0))
    share = rule.keep_within.endswith("%")
    allowed = Decimal(rule.keep_within.rstrip("%")) * (abs(old) / 100 if share else 1)
    moved = total - old
    if abs(moved) <= allowed:
        return
    part = f", {moved / old * 100:+.1f} %" if old else ""
    message = (
        f"The sum over {rule.sum} goes from {old:f} to {total:f} ({moved:+f}{part}); "
        f"it should stay within {rule.keep_within}. Was something added and nothing taken away?"
    )
    fields = {"sum": (format(total, "f"),), "before": (format(old, "f"),), "moved": (format(moved, "f"),)}
    yield examination.finding(rule, "meaning.balance", rule.sum, message, fields=fields)


def _sum(examination: Examination, document: Document, rule: BalanceRule, number: int) -> Decimal:
    values = examination.values_in(document, rule.sum)
    declared = document.reading.measures.of(kind_of(rule.sum.partition("#")[2]))
    return examination.once(("sum", number, document.path), (document,), partial(_added, values.texts, declared))


def _sum_before(examination: Examination, document: Document, rule: BalanceRule, number: int) -> Decimal:
    """The same of a document before the change; mostly it is that after it, too, or was summed by the check before."""
    if examination.documents.get(document.path) is document:
        return _sum(examination, document, rule, number)

    def add() -> Decimal:
        nodes = select(document.root, document.keys, parse_address(rule.sum).segments)
        return _added(
            (node.value or "" for node in nodes), document.reading.measures.of(kind_of(rule.sum.partition("#")[2]))
        )

    return examination.once(("sum before", number, document.path), (document,), add)


def _added(texts: Iterable[str], declared: Declared | None) -> Decimal:
    return sum((number for text in texts if (number := amount(text, declared)) is not None), Decimal(0))
