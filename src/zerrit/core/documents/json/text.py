"""What the two readers of JSON share: what a string between its quotes means."""

from __future__ import annotations

import re
from typing import Final

_ESCAPE: Final = re.compile(r'\\(?:u([0-9a-fA-F]{4})|(["\\/bfnrt]))')
_SHORT: Final = {'"': '"', "\\": "\\", "/": "/", "b": "\b", "f": "\f", "n": "\n", "r": "\r", "t": "\t"}


def unescape(raw: str) -> str:
    """The text that a JSON string between its quotes means; surrogate pairs become one character."""
    if "\\" not in raw:
        return raw
    text = _ESCAPE.sub(lambda m: chr(int(m.group(1), 16)) if m.group(1) else _SHORT[m.group(2)], raw)
    if any(0xD800 <= ord(character) <= 0xDFFF for character in text):
        return text.encode("utf-16-le", "surrogatepass").decode("utf-16-le", "replace")
    return text
