"""Values that are allowed, but that those who know the game warn of."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any, ClassVar, Final, Literal

from pydantic import Field, model_validator

from zerrit.core.addresses import kind_of
from zerrit.core.documents import Document, Finding
from zerrit.core.documents.measures import MeasuredText
from zerrit.core.examination.condition_fields import Around
from zerrit.core.expressions import ExpressionInvalid, NotApplicable
from zerrit.core.rules.base import Condition
from zerrit.core.rules.listed import Fault, ListedRule, Named

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


_ADVICE: Final = re.compile(r"(?P<every>.+\S)\s+(?P<test>(?:<=|>=|==|!=|<|>)\s*.+)\Z")


class AdviceRule(ListedRule):
    """A value that is allowed, but that those who know the game warn of.

    `condition` is a condition on `value`; the short form has the address in front of it: `server.ini#Section/Setting > 60`.
    """

    part: ClassVar[str] = "advice"
    about: ClassVar[str] = "values that are allowed, but that veterans warn of"
    code: ClassVar[str] = "meaning.advice"

    every: str = Field("", description="the address of the values")
    condition: Condition = Field(description="a condition on `value`, or ADDRESS and a comparison")
    origin: str = Field("", description="where the advice comes from")
    version: str = Field("", description="the version of the game that it was seen in")
    standing: Literal["heard", "confirmed", "doubted"] = Field("heard", description="what became of it since")
    confirmed_by: tuple[str, ...] = Field((), description="who saw the same")
    refuted_by: tuple[str, ...] = Field((), description="who saw that it is not so")

    @model_validator(mode="before")
    @classmethod
    def _short(cls, value: Any) -> Any:
        if isinstance(value, dict) and not value.get("every") and isinstance(value.get("condition"), str):
            match = _ADVICE.match(value["condition"])
            if match is None or "#" not in match["every"]:
                raise ValueError(
                    "`condition` is ADDRESS and a comparison (`server.ini#Section/Setting > 60`), or give `every`"
                )
            return {**value, "every": match["every"], "condition": f"value {match['test']}"}
        return value

    def addresses(self) -> Iterator[Named]:
        if self.every:
            yield Named(("condition",), self.every)

    def is_idle_without(self) -> Iterator[Named]:
        yield from ()  # a setting that is not there may be left out on purpose

    def faults(self) -> Iterator[Fault]:
        if not self.every:
            yield Fault((), "give `every`, the address of the values.")
            return
        for missing in sorted(self.condition.names - {"value"}):
            said = f"`{missing}` is none of the names here; the value is called `value`."
            yield Fault(("condition",), said, missing, ("value",))

    def sentence(self) -> str:
        return f"advice: {self.every}, {self.condition}"

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """Values that are allowed, but that those who know the game warn of."""
        if self.standing == "doubted":
            return
        for document in examination.matching(self.every.partition("#")[0]):
            yield from examination.findings_of(
                ("advice", number, document.path), (document,), _advice, document, self, number
            )


def _advice(examination: Examination, document: Document, rule: AdviceRule, number: int) -> Iterator[Finding]:
    values = examination.values_in(document, rule.every)
    declared = document.reading.measures.of(kind_of(rule.every.partition("#")[2]))
    for index, text in enumerate(values.texts):
        try:
            own = MeasuredText(text, declared) if declared is not None else text
            if not rule.condition.names - {"value"} and not rule.condition.holds({"value": (own,)}):
                continue
            node = values.node(index)
            if not rule.condition.holds(Around(document, node)):
                continue
        except NotApplicable:
            continue
        except ExpressionInvalid as error:
            yield examination.gamebook.fault(("advice", number), f"This advice cannot be worked out: {error}")
            return
        message = f"Take care: {rule.condition.text.replace('value', text, 1)}."
        known: Mapping[str, str] = {
            "heard of in": rule.version,
            "from": rule.origin,
            "confirmed by": " and ".join(rule.confirmed_by),
            "refuted by": " and ".join(rule.refuted_by),
        }
        hint = ", ".join(f"{word} {said}" for word, said in known.items() if said)
        yield examination.finding(rule, "meaning.advice", (document, node), message, hint, Around(document, node))
