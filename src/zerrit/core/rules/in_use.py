"""Which of several folders the game reads."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field, field_validator

from zerrit.core.documents import Finding
from zerrit.core.documents.slots import PLACE
from zerrit.core.examination.check_context import Unknown
from zerrit.core.examination.game_files import touched
from zerrit.core.rules.base import Text
from zerrit.core.rules.listed import ListedRule, Named
from zerrit.core.rules.word_uses import PathsLike, ValuesAt, WordUse
from zerrit.core.wildcards import word_in_path

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class InUseRule(ListedRule):
    """Of several folders the game reads the one that a value names; a change elsewhere has no effect."""

    part: ClassVar[str] = "in_use"
    about: ClassVar[str] = "which of several folders the game reads"
    code: ClassVar[str] = "meaning.not-in-use"

    files: Text = Field(description="a path pattern with {} where the word is: `maps/{}/**`")
    value: Text = Field(description="the address of the value that names the folder")

    @field_validator("files")
    @classmethod
    def _has_place(cls, files: str) -> str:
        if files.count(PLACE) != 1:
            raise ValueError("the pattern has one {} where the word is, as in `maps/{}/**`")
        return files

    def addresses(self) -> Iterator[Named]:
        yield Named(("value",), self.value)

    def word_uses(self) -> Iterator[tuple[str, WordUse]]:
        yield "", ValuesAt(self.value)
        yield "", PathsLike(self.files, "place")

    def sentence(self) -> str:
        return f"{self.files}: the folder in use is what {self.value} says"

    def count(self, examination: Examination) -> None:
        del examination

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """A change alters files that the game reads now."""
        del number
        if examination.before is None:
            return
        try:
            examination.sound(self.value)
        except Unknown:
            return
        used = {node.value: document for document, node in examination.nodes(self.value) if node.value}
        for path in touched(examination.before, examination.documents):
            word = word_in_path(self.files, path)
            if word is None or not used or word in used:
                continue
            message = (
                f"This file belongs to {word}, but {self.value} says {', '.join(map(str, used))}: "
                "the change has no effect on the game as it is set now."
            )
            fields = {"word": (word,), "used": tuple(map(str, used))}
            yield examination.finding(self, "meaning.not-in-use", path, message, fields=fields)
