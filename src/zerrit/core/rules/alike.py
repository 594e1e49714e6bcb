"""Variants of one thing that are kept alike."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.addresses import parse_node_address
from zerrit.core.documents import Document, Finding, Node
from zerrit.core.documents.selection import select
from zerrit.core.examination.check_context import listed
from zerrit.core.examination.condition_fields import Around
from zerrit.core.expressions import compile_pattern
from zerrit.core.rules.base import Pattern, Places, Text
from zerrit.core.rules.listed import ListedRule, Named, nowhere

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class AlikeRule(ListedRule):
    """Variants of one thing whose fields are kept alike."""

    part: ClassVar[str] = "alike"
    about: ClassVar[str] = "variants of one thing that are kept alike"
    code: ClassVar[str] = "meaning.alike"

    each: Text = Field(description="the address of the entries")
    group_by: Pattern = Field(
        description="a regular expression on their keys; those whose first group is equal are variants"
    )
    fields: Places = Field(description="the places that should be alike")

    def addresses(self) -> Iterator[Named]:
        yield Named(("each",), self.each)

    def places(self) -> Iterator[Named]:
        yield from (Named(("fields",), place) for place in self.fields)

    def sentence(self) -> str:
        return f"variants of {self.each} are alike in {', '.join(self.fields)}"

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        yield from nowhere(examination, [self.each, *(f"{self.each}/{place}" for place in self.fields)])

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """Variants of one thing have the same values."""
        for document in examination.matching(self.each.partition("#")[0]):
            yield from examination.findings_of(("alike", number, document.path), (document,), _alike, document, self)


def _alike(examination: Examination, document: Document, rule: AlikeRule) -> Iterator[Finding]:
    pattern = compile_pattern(rule.group_by)
    groups: dict[str, list[Node]] = {}
    for node in examination.nodes_in(document, rule.each):
        match = pattern.fullmatch(document.keys.key_of(node))
        if match:
            groups.setdefault(match.group(1) if match.groups() else "", []).append(node)
    for nodes in groups.values():
        for place in rule.fields if len(nodes) > 1 else ():
            yield from _odd_ones(examination, document, rule, nodes, place)


def _odd_ones(
    examination: Examination, document: Document, rule: AlikeRule, nodes: Sequence[Node], place: str
) -> Iterator[Finding]:
    segments = parse_node_address(place)
    found = [(node, next(iter(select(node, document.keys, segments)), None)) for node in nodes]
    values = Counter(one.value for _, one in found if one is not None)
    if len(values) < 2 and all(one is not None for _, one in found):
        return
    if not values:
        return
    usual = values.most_common(1)[0][0]
    others = [document.keys.key_of(node) for node, one in found if one is not None and one.value == usual]
    for node, one in found:
        if one is not None and one.value == usual:
            continue
        own = f"{place} is {one.value} here" if one is not None else f"{place} is missing here"
        message = f"{own}, but {usual} in {listed(others)}. These variants are kept alike."
        yield examination.finding(
            rule, "meaning.alike", (document, one or node), message, fields=Around(document, one or node)
        )
