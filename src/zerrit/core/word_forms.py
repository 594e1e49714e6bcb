"""Words within other text, such as `box[rope]` or `rope:0`: where the word is, and the same text with another one."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Final

from zerrit.core.documents.slots import PLACE

LONGEST: Final = 10_000  #: characters of a text in which a word is looked for


def form_fault(form: str) -> str:
    """What is wrong with a form; empty where nothing is."""
    if form.count(PLACE) != 1:
        return f"`{form}` has no single {{}} where the word is, as in box[{{}}]."
    if form.count("*") > 1:
        return f"`{form}` has more than one `*`; one part of the text may be anything."
    return ""


def word_in(form: str, text: str) -> str | None:
    """The word in a text, which may be empty; None where the text has not the form. `*` in a form is any text.

    Of several words that could be meant it is the shortest: of `a:b:0` with `{}:*` it is `a`, of `a/b/c` with `*/{}` it is `c`.
    """
    match = _match(form, text)
    return match.group(1) if match is not None else None


def with_word(form: str, text: str, word: str) -> str:
    """The text with another word in the place of the one that it has; as it is where it has not the form."""
    match = _match(form, text)
    return f"{text[: match.start(1)]}{word}{text[match.end(1) :]}" if match is not None else text


def _match(form: str, text: str) -> re.Match[str] | None:
    return _pattern(form).fullmatch(text) if len(text) <= LONGEST else None


@lru_cache(maxsize=512)
def _pattern(form: str) -> re.Pattern[str]:
    before, _, after = (".*".join(map(re.escape, part.split("*"))) for part in form.partition(PLACE))
    return re.compile(f"{before}(.*?){after}", re.DOTALL)
