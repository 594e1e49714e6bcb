"""What to verify in the game after a change."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import ClassVar, Final

from pydantic import Field

from zerrit.core.rules.base import Text
from zerrit.core.rules.listed import ListedRule, Named

_ANY_KEY: Final = re.compile(r"\[\$\w+\]")


class ChecklistRule(ListedRule):
    """What to verify in the game after a change of certain entries; `[$name]` in their address is any key."""

    part: ClassVar[str] = "checklist"
    about: ClassVar[str] = "what to verify in the game after a change"

    after: Text = Field(description="the address of the entries; a change of one of them puts it on the checklist")
    do: Text = Field(description="what to do, with fields of the entry in braces")

    def addresses(self) -> Iterator[Named]:
        yield Named(("after",), self.entries)

    @property
    def entries(self) -> str:
        """The address of the entries, without the keys that only say how they are named."""
        return _ANY_KEY.sub("", self.after)

    def is_idle_without(self) -> Iterator[Named]:
        yield from ()  # what is not there is not changed

    def sentence(self) -> str:
        return f"after a change of {self.after}: {self.do}"
