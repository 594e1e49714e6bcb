"""
Wildcards of addresses and file paths, in time that grows with the length of the text.

They may come from a stranger, as the gamebook does that they are in, and so may the texts. The standard module tries
every way to share a text among several stars; RE2 goes through it once.
"""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Any, Final

from zerrit.core.errors import AddressInvalid

MAX_MEMORY: Final = 4 << 20  # bytes of one compiled pattern
_LONE: Final = re.compile("[\ud800-\udfff]")
_KEY_SIGNS: Final = {"*": ".*", "?": "."}
_PATH_SIGNS: Final = {"**/": "(?:.*/)?", "**": ".*", "*": "[^/]*", "?": "[^/]"}


def key_matches(pattern: str, key: str) -> bool:
    """Whether a key fits a pattern: `*` any text, `?` one character."""
    return _key_pattern(pattern).fullmatch(_encodable(key)) is not None


def path_matches(pattern: str, path: str) -> bool:
    """Whether a file path fits a pattern: `*` within a folder, `**` across folders, `?` one character."""
    return _path_pattern(pattern, has_gap=False).fullmatch(_encodable(path)) is not None


def word_in_path(pattern: str, path: str) -> str | None:
    """What is in the place of `{}` when a path fits a pattern such as `maps/{}/**`; None when it does not."""
    spot = spot_in_path(pattern, path)
    return path[spot[0] : spot[1]] if spot is not None else None


def spot_in_path(pattern: str, path: str) -> tuple[int, int] | None:
    """Where in a path, from and to, the word is that is in the place of `{}`; None when the path does not fit."""
    match = _path_pattern(pattern, has_gap=True).fullmatch(_encodable(path))
    return match.span(1) if match else None


def found_in(pattern: str, text: str) -> bool:
    """Whether a regular expression (RE2) is found somewhere in a text.

    Raises AddressInvalid: it is none.
    """
    return _expression(pattern).search(_encodable(text)) is not None


@lru_cache(maxsize=1024)
def _expression(pattern: str) -> Any:
    import re2

    options = re2.Options()
    options.log_errors = False
    options.max_mem = MAX_MEMORY
    try:
        return re2.compile(_encodable(pattern), options)
    except re2.error as error:
        said = error.args[0].decode() if isinstance(error.args[0], bytes) else error.args[0]
        raise AddressInvalid(f"`{pattern[:60]}` is not a valid regular expression: {said}", pattern, 0) from error


@lru_cache(maxsize=1024)
def _key_pattern(pattern: str) -> Any:
    return _compiled(_translated(re.split(r"([*?])", pattern), _KEY_SIGNS), pattern)


@lru_cache(maxsize=1024)
def _path_pattern(pattern: str, *, has_gap: bool) -> Any:
    before, gap, after = pattern.partition("{}") if has_gap else (pattern, "", "")
    translated = [_translated(re.split(r"(\*\*/?|\*|\?)", part), _PATH_SIGNS) for part in (before, after)]
    return _compiled(("([^/]+?)" if gap else "").join(translated), pattern)


# RE2 is imported with the first pattern that needs it: a command on one file compiles none.
# ruff: noqa: PLC0415


def _translated(parts: list[str], signs: dict[str, str]) -> str:
    import re2

    return "".join(signs.get(part) or re2.escape(_encodable(part)) for part in parts)


def _compiled(translated: str, pattern: str) -> Any:
    import re2

    options = re2.Options()
    options.log_errors = False
    options.dot_nl = True
    options.max_mem = MAX_MEMORY
    try:
        return re2.compile(translated, options)
    except re2.error as error:
        raise AddressInvalid(
            f"`{pattern[:60]}…` has too many wildcards ({len(pattern):,} characters). Use fewer.", pattern, 0
        ) from error


def _encodable(text: str) -> str:
    """The same text, half pairs of UTF-16 (which a JSON file may hold) moved to where UTF-8 can write them."""
    return text if text.isascii() else _LONE.sub(lambda found: chr(ord(found.group()) + 0x100000), text)
