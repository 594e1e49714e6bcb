"""Values that must be words of a list."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from zerrit.core.documents import Document, Finding, Node
from zerrit.core.documents.slots import PLACE
from zerrit.core.examination.check_context import Unknown
from zerrit.core.examination.condition_fields import Around
from zerrit.core.examination.word_lists import known_words, words_of
from zerrit.core.expressions import ExpressionInvalid, NotApplicable
from zerrit.core.rules.base import Condition, Name, Text
from zerrit.core.rules.listed import Fault, ListedRule, Named
from zerrit.core.rules.word_uses import ValuesAt, WordUse
from zerrit.core.wildcards import key_matches
from zerrit.core.word_forms import form_fault, with_word, word_in

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class ReferRule(ListedRule):
    """Every value at an address is a word of a list."""

    part: ClassVar[str] = "refers"
    about: ClassVar[str] = "values that must be words of a list"
    code: ClassVar[str] = "meaning.unknown-name"

    every: Text = Field(description="the address of the values")
    list_name: Name = Field(alias="list", description="the list")
    take: Literal["value", "name"] = Field(
        "value",
        description="what must be a word: the value at the address, or the name there, as of the entries of a map",
    )
    only_if: Condition | None = Field(None, description="only where the fields around the value fulfil this")
    exceptions: tuple[str, ...] = Field((), description="values that are allowed besides; `*` is any text")
    within: str = Field(
        "", description="only values with this text around the word, which is at {}: `box[{}]`; `*` is any text: `{}:*`"
    )

    def addresses(self) -> Iterator[Named]:
        yield Named(("every",), self.every)

    def lists(self) -> Iterator[Named]:
        yield Named(("list",), self.list_name)

    def word_uses(self) -> Iterator[tuple[str, WordUse]]:
        yield self.list_name, ValuesAt(self.every, self.take, self.within or PLACE, self._is_word)

    def _is_word(self, document: Document, node: Node) -> bool:
        if not self.is_meant(self.text_of(node)):
            return False
        try:
            return self.only_if is None or self.only_if.holds(Around(document, node))
        except (NotApplicable, ExpressionInvalid):
            return False

    def faults(self) -> Iterator[Fault]:
        if self.within and (fault := form_fault(self.within)):
            yield Fault(("within",), fault)

    def sentence(self) -> str:
        when = f", where {self.only_if}" if self.only_if is not None else ""
        form = f" in {self.within}" if self.within else ""
        what = "the name of every" if self.take == "name" else "every"
        return f"{what} {self.every} is one of the {self.list_name}{form}{when}"

    def text_of(self, node: Node) -> str:
        """What at a node must be a word."""
        return node.name.removeprefix("@") if self.take == "name" else node.value or ""

    def is_meant(self, value: str) -> bool:
        """It is no exception, and has the text of `within` around it."""
        has_form = not self.within or word_in(self.within, value) is not None
        return has_form and not any(key_matches(pattern, value) for pattern in self.exceptions)

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """Every value at the address is a word of the list."""
        try:
            words = words_of(examination, self.list_name)
            known = known_words(examination, self.list_name)
        except Unknown:
            return
        if not words:
            return  # said of the list; nothing can be held against it
        for document in examination.matching(self.every.partition("#")[0]):
            yield from examination.findings_of(
                ("refers", number, document.path), (document, words), _refer, document, self, words, known
            )


def _refer(
    examination: Examination, document: Document, rule: ReferRule, words: Sequence[str], known: frozenset[str]
) -> Iterator[Finding]:
    for value, node_of in _texts(examination, document, rule):
        if (word_in(rule.within, value) if rule.within else value) in known or not rule.is_meant(value):
            continue
        node = node_of()
        fields = Around(document, node)
        try:
            if rule.only_if is not None and not rule.only_if.holds(fields):
                continue
        except NotApplicable:
            continue
        except ExpressionInvalid as error:
            yield examination.not_worked_out(rule, (document, node), error)
            return
        texts = [with_word(rule.within, value, word) for word in words] if rule.within else words
        yield examination.unknown_word(rule, (document, node), rule.list_name, texts, fields, name=rule.take == "name")


def _itself(node: Node) -> Node:
    return node


def _texts(examination: Examination, document: Document, rule: ReferRule) -> Iterator[tuple[str, Callable[[], Node]]]:
    """What must be a word, with a way to its node, which is made when someone asks for it."""
    if rule.take == "name":
        for node in examination.nodes_in(document, rule.every):
            yield rule.text_of(node), partial(_itself, node)
        return
    values = examination.values_in(document, rule.every)
    for index, value in enumerate(values.texts):
        yield value, partial(values.node, index)
