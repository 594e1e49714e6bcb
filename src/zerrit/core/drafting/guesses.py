"""What a draft takes the game to do, by the comments of its files; and how such guesses are written."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from zerrit.core.documents.comments import comment_texts
from zerrit.core.drafting.comment_inference import SaidOfFile, said_of_file
from zerrit.core.drafting.observations import Sort
from zerrit.core.gamebooks.rule_edits import in_one_line


@dataclass(frozen=True, slots=True)
class Guess:
    """What the game seems to do: the place in the gamebook, what would be there, whether that is one more of a list, the reason."""

    at: tuple[str, ...]
    content: Any
    evidence: str
    is_one_more: bool = False
    support: int = 1  #: how often it was seen

    @property
    def yaml(self) -> str:
        """The guess as a rule of a gamebook, in one line."""
        at = ", ".join(json.dumps(part, ensure_ascii=False) for part in self.at)
        return f"{{at: [{at}], {'add' if self.is_one_more else 'value'}: {in_one_line(self.content)}}}"


def said_in_files(sorts: Sequence[Sort]) -> Iterator[Guess]:
    """What files say of themselves in their comments; of files of one sort only what all of them say."""
    for sort in sorts:
        said = [said_of_file(comment_texts(one.text, one.format)) for one in sort.newest]
        first = said[0] if said else SaidOfFile()
        at = ("files", sort.pattern)
        if first.written_said and all(one.written_said for one in said):
            yield Guess((*at, "rewritten_at_stop"), True, _by_comment(first.written_said))
        if first.takes_effect not in ("", "restart") and all(one.takes_effect == first.takes_effect for one in said):
            yield Guess((*at, "takes_effect"), first.takes_effect, _by_comment(first.effect_said))


def _by_comment(sentence: str) -> str:
    return f"its comment: {sentence}"
