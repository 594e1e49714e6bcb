"""The formats that are read, and which one a file's name promises."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from io import StringIO
from itertools import islice
from typing import Final

from zerrit.core.paths import ending_of


@dataclass(frozen=True, slots=True)
class Traits:
    """How a format differs from the others, as far as more than its own reader and writer have to know."""

    unique_names: bool = False  #: a name is there once in its group
    named_parts: bool = (
        False  #: a name tells a group or value from its siblings, so that its place can be told as moved
    )
    attributes: bool = False  #: an entry has attributes beside what is in it, and text of its own
    sections: bool = False  #: the file is cut into sections whose headers may come again
    indented: bool = False  #: what belongs together is told by its indentation
    commas: bool = False  #: siblings have commas between them
    line_based: bool = False  #: lines, and the slots that a gamebook cuts out of them
    block_comments: bool = False  #: a comment is between two signs and may have several lines
    line_comments: tuple[str, ...] | None = ()  #: signs that begin a comment; None where the file's language says it


class Format(StrEnum):
    XML = "xml"
    YAML = "yaml"
    JSON = "json"
    INI = "ini"
    TEXT = "text"

    @property
    def traits(self) -> Traits:
        return _TRAITS[self]


_TRAITS: Final[Mapping[Format, Traits]] = {
    Format.XML: Traits(attributes=True, block_comments=True),
    Format.YAML: Traits(unique_names=True, named_parts=True, indented=True, line_comments=("#",)),
    Format.JSON: Traits(unique_names=True, named_parts=True, commas=True),
    Format.INI: Traits(named_parts=True, sections=True, line_comments=(";", "#", "//")),
    Format.TEXT: Traits(line_based=True, line_comments=None),
}


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
    ending = ending_of(path)
    found = _BY_ENDING.get(ending, Format.TEXT)
    return found if text is None or ending not in _AMBIGUOUS or _looks_like_ini(text) else Format.TEXT


def _looks_like_ini(text: str) -> bool:
    lines = (line.strip() for line in islice(StringIO(text), _LOOKED_AT))
    said = [line for line in lines if line and not line.startswith(_REMARK)]
    return sum(bool(_INI_LINE.match(line)) for line in said) >= _ENOUGH * len(said)
