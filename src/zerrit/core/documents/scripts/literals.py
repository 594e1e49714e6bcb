"""Texts of scripts: what they mean, and how a text is written."""

from __future__ import annotations

import re
from typing import Final

_ESCAPE: Final = re.compile(r"\\(.)", re.DOTALL)
_MEANINGS: Final = {"n": "\n", "t": "\t", "r": "\r", "\\": "\\", '"': '"', "'": "'", "`": "`"}


def text_value(raw: str) -> str:
    """What a text means that stands between its marks; escapes that say a character by its number stay as they are."""
    if raw.startswith("[["):
        return raw[2:-2]
    body = raw[1:-1]
    if "\\" not in body:
        return body
    return _ESCAPE.sub(lambda match: _MEANINGS.get(match.group(1), match.group()), body)


def quoted(value: str, mark: str) -> str:
    """A text between marks, with what cannot stand there escaped."""
    body = value.replace("\\", "\\\\").replace(mark, f"\\{mark}")
    body = body.replace("\r", "\\r").replace("\n", "\\n").replace("\t", "\\t")
    return f"{mark}{body}{mark}"
