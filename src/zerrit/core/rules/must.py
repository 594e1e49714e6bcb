"""Conditions between values."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.documents import Finding
from zerrit.core.documents.document import declared_text
from zerrit.core.examination.check_context import Unknown
from zerrit.core.expressions import Expression, ExpressionInvalid, NotApplicable
from zerrit.core.rules.base import Condition, Name, Text
from zerrit.core.rules.listed import Fault, ListedRule, Named, nowhere
from zerrit.core.wording import counted

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class MustRule(ListedRule):
    """A condition; within an entry it speaks of the entry's fields, otherwise of what `let` names."""

    part: ClassVar[str] = "must"
    about: ClassVar[str] = "conditions between values of several places"
    code: ClassVar[str] = "meaning.must"

    let: dict[Name, Text] = Field({}, description="names for the values at addresses")
    only_if: Condition | None = Field(None, description="the condition only holds while this does")
    condition: Condition = Field(description="what must be true")

    def addresses(self) -> Iterator[Named]:
        yield from (Named(("let", name), text) for name, text in self.let.items())

    def is_idle_without(self) -> Iterator[Named]:
        yield from ()  # a setting that is not there may be left out on purpose

    @property
    def spoken(self) -> list[str]:
        """The names that its conditions speak of."""
        return sorted(self.condition.names | (self.only_if.names if self.only_if is not None else frozenset()))

    def faults(self) -> Iterator[Fault]:
        yield from self.unknown_names(self.let, "names under `let`")

    def unknown_names(self, known: Iterable[str], what: str) -> Iterator[Fault]:
        """Names of its conditions that are not among those that are known."""
        names = tuple(known)
        for key, expression in (("condition", self.condition), ("only_if", self.only_if)):
            for missing in sorted(expression.names - set(names)) if expression is not None else ():
                yield Fault((key,), f"`{missing}` is none of the {what}.", missing, names)

    def sentence(self) -> str:
        return f"{self.condition}{f', while {self.only_if}' if self.only_if is not None else ''}"

    def count(self, examination: Examination) -> None:
        del examination

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        yield from nowhere(examination, [self.let[name] for name in self.spoken if name in self.let])

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """The condition between values of several places is true."""
        try:
            documents = examination.sound(*self.let.values())
        except Unknown:
            return
        yield from examination.findings_of(("must", number), documents, _must, self)


def _must(examination: Examination, rule: MustRule) -> Iterator[Finding]:
    places = {name: examination.nodes(address) for name, address in rule.let.items()}
    values: Mapping[str, Sequence[str]] = {
        name: [declared_text(document, node) for document, node in found if node.value is not None]
        for name, found in places.items()
    }
    spoken = sorted(rule.condition.names, key=list(rule.let).index)
    place = next((found[0] for name in spoken if (found := places[name])), None)
    if place is None:
        return
    try:
        if (rule.only_if is None or rule.only_if.holds(values)) and not rule.condition.holds(values):
            message = f"{rule.condition.text} does not hold: {_worked(rule.condition, values)}."
            yield examination.finding(rule, "meaning.must", place, message, fields=values)
    except NotApplicable:
        return
    except ExpressionInvalid as error:
        yield examination.not_worked_out(rule, place, error)


def _worked(expression: Expression, values: Mapping[str, Sequence[str]]) -> str:
    parts = (
        f"{name} is {values[name][0]}"
        if len(values[name]) == 1
        else f"{name} has {counted(len(values[name]), 'value')}"
        for name in sorted(expression.names)
    )
    return ", ".join(parts)
