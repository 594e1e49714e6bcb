"""The formats that are read, and which one a file's name promises."""

from __future__ import annotations

from enum import StrEnum
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


def format_of(path: str) -> Format:
    """The format that a file's name promises."""
    return _BY_ENDING.get(PurePosixPath(path).suffix.lower(), Format.TEXT)
