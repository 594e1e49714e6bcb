"""The text of a log as a person reads it: without the codes that colour a terminal, whatever it is encoded in."""

from __future__ import annotations

import codecs
import re
from typing import Final

#: ECMA-48: control sequences such as `ESC [ 31 m`, and operating system commands such as `ESC ] 0 ; title BEL`.
_CODES: Final = re.compile(r"\x1b(?:\[[0-?]*[ -/]*[@-~]|\][^\x07\x1b]{0,200}(?:\x07|\x1b\\)|[@-Z\\-_])")
LOOKED_AT: Final = 4096  #: bytes that tell the encoding


def log_text(data: bytes) -> str:
    """The text of a log, or of a part of it. What is not text in its encoding becomes a replacement sign."""
    return _CODES.sub("", data.decode(_encoding_of(data), "replace")).removeprefix("\ufeff")


def _encoding_of(data: bytes) -> str:
    """UTF-16 where every other byte is zero, as in the logs of some programs for Windows; else UTF-8."""
    look = data[:LOOKED_AT]
    if look.startswith(codecs.BOM_UTF16_BE):
        return "utf-16-be"
    if look.startswith(codecs.BOM_UTF16_LE):
        return "utf-16-le"
    pairs = len(look) // 2
    if pairs and look[1::2].count(0) > pairs / 2:
        return "utf-16-le"
    return "utf-16-be" if pairs and look[::2].count(0) > pairs / 2 else "utf-8"
