"""Values that someone left as they are for a reason, which is told to whoever changes them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.addresses import parse_address
from zerrit.core.documents import Document, Finding
from zerrit.core.documents.selection import select
from zerrit.core.examination.check_context import Unknown
from zerrit.core.rules.base import Text
from zerrit.core.rules.listed import ListedRule, Named

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class DecisionRule(ListedRule):
    """A value that was left as it is on purpose. Nothing is told of it until a change sets it to something else."""

    part: ClassVar[str] = "decisions"
    about: ClassVar[str] = "values that were left as they are, and why"
    code: ClassVar[str] = "meaning.decision"

    at: Text = Field(description="the address of the value, or of several")
    why: Text = Field(description="why it was left so")
    by: str = Field("", description="who decided it")
    since: str = Field("", description="the version of the game, or the day")

    def addresses(self) -> Iterator[Named]:
        yield Named(("at",), self.at)

    def is_idle_without(self) -> Iterator[Named]:
        yield from ()  # what was decided may be gone in a newer version

    def sentence(self) -> str:
        return f"{self.at} was left as it is: {self.why}"

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """No change sets it without knowing why it was so."""
        if examination.before is None:
            return
        try:
            documents = examination.sound(self.at)
        except Unknown:
            return
        before = tuple(examination.before.get(document.path) for document in documents)
        yield from examination.findings_of(("decisions", number), (*documents, *before), _set, self)


def _set(examination: Examination, rule: DecisionRule) -> Iterator[Finding]:
    segments = parse_address(rule.at).segments
    for document, node in examination.nodes(rule.at):
        before: Document | None = (examination.before or {}).get(document.path)
        if before is None or before is document or node.value is None:
            continue
        place = document.keys.address_of(node)
        was = next(
            (one.value for one in select(before.root, before.keys, segments) if before.keys.address_of(one) == place),
            None,
        )
        if was is None or was == node.value:
            continue
        said = ", ".join(filter(None, (rule.by, rule.since)))
        message = f"This was {was} on purpose: {rule.why}" + (f" ({said})" if said else "")
        yield examination.finding(rule, "meaning.decision", (document, node), message.rstrip(".") + ".")
