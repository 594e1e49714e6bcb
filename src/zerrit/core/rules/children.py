"""What all, some or none of the children of an entry have to be."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.addresses import Segment, parse_node_address
from zerrit.core.documents import Finding
from zerrit.core.documents.conditions import chosen_of
from zerrit.core.documents.selection import select
from zerrit.core.errors import AddressInvalid
from zerrit.core.examination.check_context import Unknown
from zerrit.core.rules.base import Place, Text
from zerrit.core.rules.listed import Fault, ListedRule, Named

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class ChildrenRule(ListedRule):
    """In each entry every child, at least one, or none meets conditions, which are written as in an address: `[kind=cloth][price>10]`."""

    part: ClassVar[str] = "children"
    about: ClassVar[str] = "what every, any or none of the children of an entry have to be"
    code: ClassVar[str] = "meaning.children"

    each: Text = Field(description="the address of the entries")
    over: Place = Field(description="the place of the children below each entry, such as `part` or `needs/*`")
    every: str = Field("", description="every child meets this")
    any_of: str = Field(
        "", alias="any", description="at least one child meets this; where there is none, that is a breach too"
    )
    none: str = Field("", description="no child meets this")

    def _asked(self) -> list[tuple[str, str]]:
        return [
            (name, text) for name, text in (("every", self.every), ("any", self.any_of), ("none", self.none)) if text
        ]

    def addresses(self) -> Iterator[Named]:
        yield Named(("each",), self.each)

    def places(self) -> Iterator[Named]:
        yield Named(("over",), self.over)

    def faults(self) -> Iterator[Fault]:
        asked = self._asked()
        if len(asked) != 1:
            yield Fault((), "Say one of `every`, `any` and `none`.")
        for name, text in asked:
            try:
                conditions(text)
            except (AddressInvalid, ValueError):
                yield Fault(
                    (name,),
                    f"`{text}` is not a condition; write it as in an address, such as [kind=cloth] or [price>10][!old].",
                )

    def sentence(self) -> str:
        ((name, text),) = self._asked()
        words = {"every": "every", "any": "at least one", "none": "no"}[name]
        return f"{self.each}: {words} {self.over} is {text}"

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """The children of each entry are as they have to be."""
        try:
            documents = examination.sound(self.each)
        except Unknown:
            return
        yield from examination.findings_of(("children", number), tuple(documents), _wrong, self)


def conditions(text: str) -> Segment:
    """The conditions of a rule. Raises AddressInvalid, ValueError: they are none."""
    (segment,) = parse_node_address(f"*{text}")
    if not segment.chooses or segment.keys or segment.ordinal:
        raise ValueError(text)
    return segment


def _wrong(examination: Examination, rule: ChildrenRule) -> Iterator[Finding]:
    ((name, text),) = rule._asked()
    wanted, place = conditions(text), parse_node_address(rule.over)
    for document, entry in examination.nodes(rule.each):
        children = select(entry, document.keys, place)
        fitting = {id(node) for node in chosen_of(document.keys, children, wanted)}
        if name == "any":
            if not fitting:
                message = f"None of its {len(children)} {rule.over} is {text}; at least one has to be."
                yield examination.finding(rule, "meaning.children", (document, entry), message)
            continue
        for child in children:
            if (id(child) in fitting) is (name == "none"):
                message = (
                    f"This is {text}, which no {rule.over} here may be."
                    if name == "none"
                    else f"This is not {text}, as every {rule.over} here has to be."
                )
                yield examination.finding(rule, "meaning.children", (document, child), message)
