"""
What the text of a YAML scalar means: escapes, folded lines, block headers.

Pure functions on pieces of text; the rules are those of YAML 1.2.2, chapters 7 and 8.
"""

from __future__ import annotations

import re
from typing import Final

_SHORT: Final = {
    "0": "\0",
    "a": "\a",
    "b": "\b",
    "t": "\t",
    "\t": "\t",
    "n": "\n",
    "v": "\v",
    "f": "\f",
    "r": "\r",
    "e": "\x1b",
    " ": " ",
    '"': '"',
    "/": "/",
    "\\": "\\",
    "N": "\u0085",
    "_": "\u00a0",
    "L": "\u2028",
    "P": "\u2029",
}
_BREAK: Final = r"(?:\r\n|\r|\n)"
_DOUBLE: Final = re.compile(
    rf"\\{_BREAK}[ \t]*((?:{_BREAK}[ \t]*)*)"
    r"|\\(?:x([0-9a-fA-F]{2})|u([0-9a-fA-F]{4})|U([0-9a-fA-F]{8})|(.))"
    rf"|[ \t]*((?:{_BREAK}[ \t]*)+)"
)
_FOLD: Final = re.compile(rf"[ \t]*((?:{_BREAK}[ \t]*)+)")
_LINE_END: Final = re.compile(_BREAK)
BAD_ESCAPE: Final = re.compile(
    r"""\\(?:x(?![0-9a-fA-F]{2})|u(?![0-9a-fA-F]{4})|U(?![0-9a-fA-F]{8})|[^0abt\tnvfre "/\\N_LPxuU\r\n])"""
)


def _folded(breaks: str) -> str:
    """What a run of line ends inside a folded scalar means: one is a space, each further one a line end."""
    count = len(_LINE_END.findall(breaks))
    return " " if count == 1 else "\n" * (count - 1)


def plain_text(raw: str) -> str:
    """The value of a plain scalar."""
    if "\n" not in raw and "\r" not in raw:
        return raw
    return _FOLD.sub(lambda match: _folded(match.group(1)), raw)


def single_quoted(raw: str) -> str:
    """The value of what is between single quotation marks."""
    if "\n" in raw or "\r" in raw:
        raw = _FOLD.sub(lambda match: _folded(match.group(1)), raw)
    return raw.replace("''", "'") if "'" in raw else raw


def double_quoted(raw: str) -> str:
    """The value of what is between double quotation marks; an unknown escape stays as it is."""
    if "\\" not in raw and "\n" not in raw and "\r" not in raw:
        return raw

    def means(match: re.Match[str]) -> str:
        after_escape, two, four, eight, short, breaks = match.groups()
        if after_escape is not None:
            return "\n" * len(_LINE_END.findall(after_escape))
        if breaks is not None:
            return _folded(breaks)
        if short is not None:
            return _SHORT.get(short, match.group())
        code = int(two or four or eight, 16)
        return chr(code) if code <= 0x10FFFF and not 0xD800 <= code <= 0xDFFF else match.group()

    return _DOUBLE.sub(means, raw)


def block_text(lines: list[str], is_folded: bool, chomp: str) -> str:
    """The value of a block scalar from its lines, without indentation and line ends.

    `chomp`: "" keeps one line end at the end, "-" none, "+" all.
    """
    content = list(lines)
    trailing = 0
    while content and not content[-1]:
        content.pop()
        trailing += 1
    body = _fold_block(content) if is_folded else "\n".join(content)
    if chomp == "-":
        return body
    if chomp == "+":
        return body + "\n" * (trailing + 1 if content else trailing)
    return body + "\n" if content else ""


def _fold_block(lines: list[str]) -> str:
    """Join lines with spaces where both neighbours are neither indented further nor empty (YAML 1.2.2, 8.1.3)."""
    parts: list[str] = []
    empty = 0
    previous: str | None = None
    for line in lines:
        if not line:
            empty += 1
            continue
        is_more = line[0] in " \t"
        if previous is None:
            parts.append("\n" * empty)
        elif is_more or previous[0] in " \t":
            parts.append("\n" * (empty + 1))
        else:
            parts.append("\n" * empty if empty else " ")
        parts.append(line)
        previous = line
        empty = 0
    return "".join(parts)
