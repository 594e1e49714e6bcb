"""What to verify in the game after a change."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.rules.base import Text
from zerrit.core.rules.listed import ListedRule, Named

if TYPE_CHECKING:
    pass


class ChecklistRule(ListedRule):
    """What to verify in the game after a change of certain places."""

    part: ClassVar[str] = "checklist"
    about: ClassVar[str] = "what to verify in the game after a change"

    after: Text = Field(description="the address of the entries; a change of one of them puts it on the checklist")
    do: Text = Field(description="what to do, with fields of the entry in braces")

    def addresses(self) -> Iterator[Named]:
        yield Named(("after",), self.after)

    def is_idle_without(self) -> Iterator[Named]:
        yield from ()  # what is not there is not changed

    def sentence(self) -> str:
        return f"after a change of {self.after}: {self.do}"
