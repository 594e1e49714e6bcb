"""Text from outside, safe to show: what would steer a terminal or turn a line around is written as its number."""

from __future__ import annotations

import re
from typing import Final

#: The control characters (C0 but tab and line feed, DEL, C1), the marks that change the direction of what follows, the
#: line and paragraph separators, and half pairs of UTF-16. A carriage return before a line feed is a line end.
_STEERING: Final = re.compile(
    "[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ud800-\udfff]|\r(?!\n)"
)


def visible(text: str) -> str:
    """The text with each steering character as `\\u001b`; in JSON that is the same text still."""
    return _STEERING.sub(lambda found: f"\\u{ord(found.group()):04x}", text)
