"""The small grammar of XML 1.0 (Fifth Edition) that its two readers share: names, characters, references."""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.node import Node, NodeKind

MAX_DEPTH: Final = 400  # real files stay below 20; deeper ones would exhaust what walks the tree
SPACE: Final = " \t\r\n"

#: Productions 4 and 4a, the ranges as the standard lists them.
_NAME_START: Final = (
    ":A-Z_a-z\u00c0-\u00d6\u00d8-\u00f6\u00f8-\u02ff\u0370-\u037d\u037f-\u1fff\u200c-\u200d\u2070-\u218f"
    "\u2c00-\u2fef\u3001-\ud7ff\uf900-\ufdcf\ufdf0-\ufffd\U00010000-\U000effff"
)
NAME: Final = rf"[{_NAME_START}][{_NAME_START}\-.0-9\u00b7\u0300-\u036f\u203f-\u2040]*"
FORBIDDEN: Final = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")  # production 2
_REFERENCE: Final = re.compile(r"&(?:(amp|lt|gt|quot|apos)|#0*(\d{1,7})|#x0*([0-9A-Fa-f]{1,6}));")
_NAMED: Final = {"amp": "&", "lt": "<", "gt": ">", "quot": '"', "apos": "'"}


def character(match: re.Match[str]) -> str | None:
    """The character that a reference stands for; None where XML has no such character."""
    name, decimal, hexadecimal = match.groups()
    if name:
        return _NAMED[name]
    code = int(decimal) if decimal else int(hexadecimal, 16)
    found = chr(code) if code <= 0x10FFFF else "\0"
    return None if FORBIDDEN.match(found) else found


def unescape(text: str) -> str:
    """Put the characters in for the five named entities and character references; leave all else."""
    if "&" not in text:
        return text
    return _REFERENCE.sub(lambda match: character(match) or match.group(), text)


def reference_at(text: str, at: int) -> re.Match[str] | None:
    """The reference that begins at the `&` there, if it is one that needs no declaration."""
    match = _REFERENCE.match(text, at)
    return match if match and character(match) is not None else None


def attribute(owner: Node, name: str, start: int, end: int, text: str, value_start: int, value_end: int) -> Node:
    """The node of one attribute of `owner`; `text` is that of the document."""
    value = unescape(text[value_start:value_end])
    return Node(NodeKind.VALUE, f"@{name}", start, end, value, value_start, value_end, True, owner)


def settle(node: Node, content: str, has_elements: bool) -> None:
    """Say what a closed element is: a value, or a group that may have a text besides its attributes."""
    if has_elements:
        return
    if node.parent is not None and not node.has_children:
        node.kind = NodeKind.VALUE
        node.value = content
    elif content.strip(SPACE):
        node.value = content
