"""Settings that have no effect while a switch is off."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.addresses import parse_address
from zerrit.core.documents import Document, Finding
from zerrit.core.documents.scalars import as_switch
from zerrit.core.documents.selection import select
from zerrit.core.examination.check_context import Unknown
from zerrit.core.rules.base import Addresses, Text
from zerrit.core.rules.listed import ListedRule, Named

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class GateRule(ListedRule):
    """While a gate is shut, settings behind it have no effect. Told where a change sets one of them; with `always`, at all of them."""

    part: ClassVar[str] = "gates"
    about: ClassVar[str] = "settings that have no effect while a switch is off"
    code: ClassVar[str] = "meaning.gate"

    gate: Text = Field(description="the address of the switch")
    shut: tuple[str, ...] = Field((), description="the values with which it is shut; without them every word for off")
    settings: Addresses = Field(description="the addresses of what is behind it")
    always: bool = Field(False, description="also told of settings that no change touches")

    def addresses(self) -> Iterator[Named]:
        yield Named(("gate",), self.gate)
        yield from (Named(("settings",), text) for text in self.settings)

    def sentence(self) -> str:
        shut = f"is {' or '.join(self.shut)}" if self.shut else "is off"
        return f"while {self.gate} {shut}, {', '.join(self.settings)} have no effect"

    def is_shut(self, value: str) -> bool:
        return value in self.shut if self.shut else as_switch(value) is False

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """Nothing is set that is without effect."""
        try:
            documents = [*examination.sound(self.gate)]
            documents += [document for text in self.settings for document in examination.sound(text)]
        except Unknown:
            return
        if examination.before is None and not self.always:
            return
        before = tuple((examination.before or {}).get(document.path) for document in documents)
        yield from examination.findings_of(("gates", number), (*documents, *before), _behind, self)


def _behind(examination: Examination, rule: GateRule) -> Iterator[Finding]:
    shut = [(document, node) for document, node in examination.nodes(rule.gate) if rule.is_shut(node.value or "")]
    if not shut or any(not rule.is_shut(node.value or "") for _, node in examination.nodes(rule.gate)):
        return  # of several switches one is on, so what is behind them may have an effect
    gate, at = shut[0]
    for text in rule.settings:
        for document, node in examination.nodes(text):
            if not rule.always and not _is_set(examination, document, text, document.keys.address_of(node), node.value):
                continue
            message = f"This has no effect while {examination.address(gate, at)} is {at.value}."
            yield examination.finding(rule, "meaning.gate", (document, node), message)


def _is_set(examination: Examination, document: Document, text: str, place: str, value: str | None) -> bool:
    """Whether the change gives a setting its value."""
    before = (examination.before or {}).get(document.path)
    if before is document:
        return False
    if before is None:
        return True
    known = {
        before.keys.address_of(node): node.value
        for node in select(before.root, before.keys, parse_address(text).segments)
    }
    return known.get(place) != value
