"""
How the scripts that start and extend servers write comments, texts and brackets.

Only as much as is needed to tell whether brackets and quotation marks pair up; no script is understood.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Final

from zerrit.core.paths import ending_of


@dataclass(frozen=True, slots=True)
class Language:
    """One family of scripts. All patterns are tried at one place of the text, in the order given here."""

    name: str
    #: What is passed over whole: comments, texts that may hold anything, escaped signs.
    skipped: re.Pattern[str]
    #: Opening marks of texts and what a text with that mark looks like when it is whole.
    quotes: dict[str, re.Pattern[str]]
    brackets: str = "()[]{}"
    comment: str = "#"  #: what begins a comment that ends with its line
    #: A closing parenthesis may be alone, as behind a choice of `case`.
    lone_parenthesis: bool = False


_DOUBLE: Final = re.compile(r'"(?:[^"\\\r\n]|\\.)*+"', re.DOTALL)
_SINGLE: Final = re.compile(r"'(?:[^'\\\r\n]|\\.)*+'", re.DOTALL)
_BACKTICKS: Final = re.compile(r"`(?:[^`\\]|\\.)*+`", re.DOTALL)

SHELL: Final = Language(
    "shell",
    re.compile(
        r"(?:(?<=[\s;(&|])|(?<![\s\S]))#[^\r\n]*|\\.|\$#|\$\{#|<<-?[ \t]*(['\"]?)(\w+)\1[\s\S]*?(?:^[ \t]*\2[ \t]*$|(?P<open_text>\Z))",
        re.MULTILINE,
    ),
    {'"': re.compile(r'"(?:[^"\\]|\\.)*+"', re.DOTALL), "'": re.compile(r"'[^']*+'"), "`": _BACKTICKS},
    lone_parenthesis=True,
)
BATCH: Final = Language(
    "batch",
    re.compile(r"^[ \t]*@?(?:rem\b|::)[^\r\n]*|\^.", re.MULTILINE | re.IGNORECASE),
    {'"': re.compile(r'"[^"\r\n]*+"')},
    brackets="()",
    comment="rem",
    lone_parenthesis=True,
)
LUA: Final = Language(
    "Lua",
    re.compile(
        r"--\[(=*)\[[\s\S]*?(?:\]\1\]|(?P<open_comment>\Z))|--[^\r\n]*"
        r"|\[(=*)\[[\s\S]*?(?:\]\3\]|(?P<open_text>\Z))"
    ),
    {'"': _DOUBLE, "'": _SINGLE},
    comment="--",
)
C_LIKE: Final = Language(
    "C",
    re.compile(r"//[^\r\n]*|/\*[\s\S]*?(?:\*/|(?P<open_comment>\Z))"),
    {'"': _DOUBLE, "'": _SINGLE, "`": _BACKTICKS},
    comment="//",
)
PYTHON: Final = Language(
    "Python",
    re.compile(
        r'#[^\r\n]*|"""(?:[^\\]|\\.)*?(?:"""|(?P<open_text>\Z))' + r"|'''(?:[^\\]|\\.)*?(?:'''|(?P<open_comment>\Z))",
        re.DOTALL,
    ),
    {'"': _DOUBLE, "'": _SINGLE},
)

_BY_ENDING: Final = {
    ".sh": SHELL,
    ".bash": SHELL,
    ".bat": BATCH,
    ".cmd": BATCH,
    ".lua": LUA,
    ".js": C_LIKE,
    ".ts": C_LIKE,
    ".c": C_LIKE,
    ".h": C_LIKE,
    ".cpp": C_LIKE,
    ".hpp": C_LIKE,
    ".cs": C_LIKE,
    ".java": C_LIKE,
    ".py": PYTHON,
}
_COMMENT_LINE: Final = re.compile(r"^[ \t]*(#|//|;)[ \t]", re.MULTILINE)
_SHELL_LINE: Final = re.compile(r"#!\s*\S*(?:/|\s)(?:ba|da|z|k)?sh\b")


def language_of(path: str, text: str) -> Language | None:
    """The family that a file belongs to by its ending or its first line; None for plain lists and prose."""
    by_ending = _BY_ENDING.get(ending_of(path))
    return by_ending or (SHELL if _SHELL_LINE.match(text) else None)


def comment_sign(path: str, text: str) -> str:
    """What begins a comment in a text file: by its language, or as the file itself does; empty where unknown."""
    language = language_of(path, text)
    if language is not None:
        return language.comment
    found = _COMMENT_LINE.search(text)
    return found.group(1) if found else ""
