"""Families of values in which none occurs twice."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from zerrit.core.documents import Document, Finding
from zerrit.core.examination.address_values import Values
from zerrit.core.examination.check_context import Unknown
from zerrit.core.examination.condition_fields import Around
from zerrit.core.rules.base import Addresses, Text
from zerrit.core.rules.listed import ListedRule, Named
from zerrit.core.wildcards import path_matches

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class UniqueRule(ListedRule):
    """No value occurs twice over all these addresses."""

    part: ClassVar[str] = "unique"
    about: ClassVar[str] = "families of values in which none occurs twice"
    code: ClassVar[str] = "meaning.duplicate"

    name: Text = Field(description="what the values are, for the message: `item ids`")
    over: Addresses = Field(description="the addresses of the values")
    scope: Literal["all", "file"] = Field("all", description="in all files together, or in each file for itself")

    @property
    def title(self) -> str:
        return self.name

    def addresses(self) -> Iterator[Named]:
        yield from (Named(("over",), text) for text in self.over)

    def sentence(self) -> str:
        return f"no value occurs twice among the {self.name} ({', '.join(self.over)})"

    def count(self, examination: Examination) -> int:
        return sum(len(examination.nodes(address)) for address in self.over)

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """No value occurs twice in the family."""
        try:
            documents = examination.sound(*self.over)
        except Unknown:
            return
        if self.scope == "file":
            for document in dict.fromkeys(documents):
                yield from examination.findings_of(
                    ("unique", number, document.path), (document,), _unique, self, (document,)
                )
        else:
            yield from examination.findings_of(("unique", number), documents, _unique, self, documents)


def _unique(examination: Examination, rule: UniqueRule, documents: Sequence[Document]) -> Iterator[Finding]:
    first: dict[str, tuple[Values, int]] = {}
    for document in dict.fromkeys(documents):
        for address in rule.over:
            if not path_matches(address.partition("#")[0], document.path):
                continue
            values = examination.values_in(document, address)
            for index, value in enumerate(values.texts):
                here = (values, index)
                other = first.setdefault(value, here)
                if other is here:
                    continue
                node, there = values.node(index), other[0].node(other[1])
                if node is there:
                    continue  # two addresses of the family lead to one place
                where = f"line {other[0].document.line_of(there)}"
                if other[0].document.path != document.path:
                    where = f"{other[0].document.path}, {where}"
                message = f"`{value}` occurs twice among the {rule.name}; the first is in {where}."
                yield examination.finding(
                    rule, "meaning.duplicate", (document, node), message, fields=Around(document, node)
                )
