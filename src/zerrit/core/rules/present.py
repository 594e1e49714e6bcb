"""Files that must be there."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field, model_validator

from zerrit.core.documents import Finding
from zerrit.core.documents.slots import PLACE
from zerrit.core.examination.check_context import Unknown
from zerrit.core.examination.word_lists import word_places, words_of
from zerrit.core.nearest import did_you_mean
from zerrit.core.rules.base import Text
from zerrit.core.rules.listed import ListedRule, Named
from zerrit.core.rules.word_uses import PathsLike, WordUse

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class PresentRule(ListedRule):
    """A file must be there; with {} in its path one for each word of a list."""

    part: ClassVar[str] = "present"
    about: ClassVar[str] = "files that must be there"
    code: ClassVar[str] = "meaning.file-missing"

    file: Text = Field(description="the path, with {} where the word is")
    list_name: str = Field("", alias="list", description="the list of words")

    @model_validator(mode="after")
    def _fits(self) -> PresentRule:
        if bool(self.list_name) is not (PLACE in self.file):
            raise ValueError("`file` has {} where a word of the list `list` is, and neither goes without the other")
        return self

    def lists(self) -> Iterator[Named]:
        yield Named(("list",), self.list_name)

    def word_uses(self) -> Iterator[tuple[str, WordUse]]:
        if self.list_name:
            yield self.list_name, PathsLike(self.file, "place")

    def sentence(self) -> str:
        return f"{self.file} is there" + (f" for each of the {self.list_name}" if self.list_name else "")

    def count(self, examination: Examination) -> int:
        return len(words_of(examination, self.list_name)) if self.list_name else 1

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """The file is there, or one for each word."""
        del number
        if examination.files.is_whole:
            yield from _present(examination, self, frozenset(examination.paths))


def _present(examination: Examination, rule: PresentRule, present: frozenset[str]) -> Iterator[Finding]:
    if not rule.list_name:
        if rule.file not in present:
            hint = did_you_mean(rule.file, examination.strays_beside(rule.file))
            yield examination.finding(rule, "meaning.file-missing", rule.file, f"{rule.file} is not there.", hint)
        return
    try:
        places = word_places(examination, rule.list_name)
    except Unknown:
        return
    for word, place in places.items():
        path = rule.file.replace("{}", word)
        if path not in present:
            message = f"`{word}` needs the file {path}, which is not there."
            hint = did_you_mean(path, examination.strays_beside(path))
            fields = {"word": (word,), "file": (path,)}
            yield examination.finding(rule, "meaning.file-missing", place or path, message, hint, fields)
