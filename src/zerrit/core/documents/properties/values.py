"""How values are spelled in properties, where some characters are written with a backslash."""

from __future__ import annotations

import re
from typing import Final

_ESCAPED: Final = re.compile(r"\\(?:u([0-9a-fA-F]{4})|(\r\n|\r|\n)[ \t\f]*|([\s\S])|\Z)")
_LETTERS: Final = {"t": "\t", "n": "\n", "r": "\r", "f": "\f"}


def is_env(path: str) -> bool:
    """The file's name is that of an env file: `.env`, `.env.local`, `start.env`."""
    name = path.rpartition("/")[2].lower()
    return name == ".env" or name.startswith(".env.") or name.endswith(".env")


def unescaped(raw: str) -> str:
    """What a value means: its lines joined, each character written with a backslash as itself."""
    if "\\" not in raw:
        return raw

    def character(match: re.Match[str]) -> str:
        code, line_end, letter = match.groups()
        if code is not None:
            return chr(int(code, 16))
        return "" if line_end is not None or letter is None else _LETTERS.get(letter, letter)

    return _ESCAPED.sub(character, raw)


def escaped(value: str, *, is_name: bool = False) -> str:
    """A value, or a name, as it is written."""
    text = (
        value.replace("\\", "\\\\").replace("\t", "\\t").replace("\n", "\\n").replace("\r", "\\r").replace("\f", "\\f")
    )
    if is_name:
        return re.sub(r"([=: ])", r"\\\1", re.sub(r"^([#!])", r"\\\1", text))
    return re.sub(r"^ ", r"\\ ", text)
