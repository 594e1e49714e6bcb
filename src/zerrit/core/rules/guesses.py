"""What the game seems to do, by what was seen of it: offered to whoever keeps the gamebook, and without effect until then."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Final

from pydantic import Field

from zerrit.core.rules.base import Text
from zerrit.core.rules.listed import Fault, ListedRule, Named

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination

_OF_TROUBLE: Final = {
    "log": "the game writes its log to {value}",
    "ready_pattern": "a line of the log that fits `{value}` says that the game is ready",
    "closed_pattern": "a line of the log that fits `{value}` says that the game has stopped",
    "log_patterns": "a line of the log that fits `{value}` means trouble",
    "noise": "a line of the log that fits `{value}` says nothing",
    "crash_files": "a crash leaves files such as {value}",
}


class GuessRule(ListedRule):
    """A part of the gamebook that a draft saw reasons for, and that may do harm where the draft is wrong.

    Nothing follows from it: a game that is told by a wrong line to be ready would be led back at each start. Where a person
    accepts it, it goes to the place that it names.
    """

    part: ClassVar[str] = "guesses"
    about: ClassVar[str] = "what the game seems to do; nothing follows from it until someone accepts it"

    at: tuple[Text, ...] = Field(
        min_length=1, description="the place in the gamebook that it would go to, part by part"
    )
    value: Any = Field(None, description="what would be at that place")
    add: Any = Field(None, description="or what would be added to the list at that place")

    @property
    def content(self) -> Any:
        """What would be put there."""
        return self.value if self.add is None else self.add

    def lists(self) -> Iterator[Named]:
        if isinstance(self.add, dict) and isinstance(self.add.get("list"), str):
            yield Named(("add", "list"), self.add["list"])

    def faults(self) -> Iterator[Fault]:
        if (self.value is None) is (self.add is None):
            yield Fault((), "A guess needs either `value` or `add`.")

    def sentence(self) -> str:
        return _in_words(self.at, self.content)

    def count(self, examination: Examination) -> int | None:
        del examination
        return None  # it is about the game, not about places in its files


def _in_words(at: Sequence[str], content: Any) -> str:
    if at[0] == "trouble" and len(at) == 2 and isinstance(content, str) and at[1] in _OF_TROUBLE:
        return _OF_TROUBLE[at[1]].format(value=content)
    if at == ("trouble", "loaded") and isinstance(content, dict):
        return f"the log names each of {content.get('list', '')} in a line that fits `{content.get('line', '')}`"
    if at[0] == "files" and at[2:] == ("rewritten_at_stop",) and content is True:
        return f"the game writes {at[1]} automatically when it stops"
    if at[0] == "files" and at[2:] == ("takes_effect",):
        return f"a change of {at[1]} takes effect after a {content}"
    return f"{' / '.join(at)} is {content}"
