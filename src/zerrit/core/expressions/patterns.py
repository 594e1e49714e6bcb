"""
Regular expressions of a gamebook.

A gamebook may come from a stranger and is held against files from other strangers, so its expressions run on RE2,
whose time grows with the length of the text and never explodes, as that of the standard module does for a pattern
like `(a+)+b`. What RE2 does not have (look-around, references back) no rule needs.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import re2

MAX_LENGTH = 1000
MAX_MEMORY = 1 << 20  #: bytes that one compiled pattern may take; `a{1000}{1000}` would want more


class PatternInvalid(ValueError):
    """The text is not a regular expression."""


@lru_cache(maxsize=1024)
def compile_pattern(text: str) -> Any:
    """The compiled expression: an object with `search`, `match` and `fullmatch`.

    Raises PatternInvalid, with the reason.
    """
    if len(text) > MAX_LENGTH:
        raise PatternInvalid(f"a pattern has at most {MAX_LENGTH} characters")
    options = re2.Options()
    options.log_errors = False
    options.max_mem = MAX_MEMORY
    try:
        return re2.compile(text, options)
    except re2.error as error:
        reason = error.args[0].decode() if isinstance(error.args[0], bytes) else str(error)
        raise PatternInvalid(f"`{text}` is not a regular expression: {reason}") from error
