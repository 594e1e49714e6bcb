"""Of several things only one may be on."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.documents import Finding
from zerrit.core.examination.check_context import Unknown
from zerrit.core.examination.word_lists import word_places, words_of
from zerrit.core.expressions import compile_pattern
from zerrit.core.rules.base import Name, Pattern
from zerrit.core.rules.listed import ListedRule, Named

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination, Placed


class OneOfRule(ListedRule):
    """Of the words of a list only one of each stem may be on: one version of a mod."""

    part: ClassVar[str] = "one_of"
    about: ClassVar[str] = "of several things only one may be on"
    code: ClassVar[str] = "meaning.one-of"

    list_name: Name = Field(alias="list", description="the list")
    group_by: Pattern = Field(
        r"(.+?)[-_ .]?v?[0-9][0-9.]*",
        description="a regular expression; words whose first group is equal are one thing",
    )

    def lists(self) -> Iterator[Named]:
        yield Named(("list",), self.list_name)

    def sentence(self) -> str:
        return f"only one version of each thing is among the {self.list_name}"

    def count(self, examination: Examination) -> int:
        return len(words_of(examination, self.list_name))

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """Only one version of a thing is on."""
        try:
            places = word_places(examination, self.list_name)
        except Unknown:
            return
        yield from examination.findings_of(("one_of", number), (places,), _one_of, self, places)


def _one_of(examination: Examination, rule: OneOfRule, places: Mapping[str, Placed | None]) -> Iterator[Finding]:
    pattern = compile_pattern(rule.group_by)
    first: dict[str, str] = {}
    for word, place in places.items():
        match = pattern.fullmatch(word)
        stem = (match.group(1) if match.groups() else match.group()) if match else word
        other = first.setdefault(stem, word)
        if other != word:
            message = f"`{word}` and `{other}` are both on, but they are the same thing; only one of them may be."
            yield examination.finding(rule, "meaning.one-of", place or "", message)
