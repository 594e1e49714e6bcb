"""The formats that are read, and which one a file's name promises."""

from __future__ import annotations

import re
from enum import StrEnum
from io import StringIO
from itertools import islice
from pathlib import PurePosixPath
from typing import Final


class Format(StrEnum):
    XML = "xml"
    YAML = "yaml"
    JSON = "json"
    INI = "ini"
    TEXT = "text"


_BY_ENDING: Final = {
    ".xml": Format.XML,
    ".yml": Format.YAML,
    ".yaml": Format.YAML,
    ".json": Format.JSON,
    ".ini": Format.INI,
    ".cfg": Format.INI,
}
_AMBIGUOUS: Final = frozenset((".cfg",))  #: endings that INI shares with lists of keywords and class configs
_LOOKED_AT: Final = 200  # lines
_INI_LINE: Final = re.compile(r"\[[^\]]*\]?(?:\s*[;#].*)?\Z|[^\s=\"'{}();][^=\"'{}();]*=(?!.*[{;]\s*\Z)")
_REMARK: Final = (";", "#", "//")
_ENOUGH: Final = 0.7  # of the lines; the others may be broken


def format_of(path: str, text: str | None = None) -> Format:
    """The format that a file's name promises; where several share the ending, `text` decides."""
    ending = PurePosixPath(path).suffix.lower()
    found = _BY_ENDING.get(ending, Format.TEXT)
    return found if text is None or ending not in _AMBIGUOUS or _looks_like_ini(text) else Format.TEXT


def _looks_like_ini(text: str) -> bool:
    lines = (line.strip() for line in islice(StringIO(text), _LOOKED_AT))
    said = [line for line in lines if line and not line.startswith(_REMARK)]
    return sum(bool(_INI_LINE.match(line)) for line in said) >= _ENOUGH * len(said)
