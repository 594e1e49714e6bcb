"""Words that a game still takes but that have another name by now."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.documents import Finding
from zerrit.core.examination.check_context import Unknown
from zerrit.core.rules.base import Addresses, Name
from zerrit.core.rules.listed import ListedRule, Named

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class OldWordsRule(ListedRule):
    """Values, or names of settings, that became others. The value of an old word is the new one; empty where there is none any more."""

    part: ClassVar[str] = "old_words"
    about: ClassVar[str] = "words that have another name by now"
    code: ClassVar[str] = "meaning.old-word"

    at: Addresses = Field(description="the addresses of the values, or of the groups whose settings are meant")
    words: dict[Name, str] = Field(min_length=1, description="the old words, each with the new one")
    names: bool = Field(False, description="the words are names of settings, not values")
    since: str = Field("", description="the version in which they changed")

    def addresses(self) -> Iterator[Named]:
        yield from (Named(("at",), text) for text in self.at)

    def sentence(self) -> str:
        what = "names of settings" if self.names else "values"
        return f"{', '.join(self.at)}: {what} {', '.join(self.words)} are old words"

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """No old word is used."""
        try:
            documents = [document for text in self.at for document in examination.sound(text)]
        except Unknown:
            return
        yield from examination.findings_of(("old_words", number), tuple(documents), _used, self)


def _used(examination: Examination, rule: OldWordsRule) -> Iterator[Finding]:
    since = f" since {rule.since}" if rule.since else ""
    for text in rule.at:
        for document, found in examination.nodes(text):
            for node in found.children if rule.names else (found,):
                word = node.name.removeprefix("@") if rule.names else node.value
                if word not in rule.words:
                    continue
                new = rule.words[word]
                message = f"`{word}` is an old word{since}."
                hint = f"Write {new} instead." if new else "It has no successor; remove it."
                yield examination.finding(rule, "meaning.old-word", (document, node), message, hint)
