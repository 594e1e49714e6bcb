"""Addresses of a gamebook with places of an entry in braces: `prices.json#prices/{name}`."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Final

from zerrit.core.addresses import quote_name
from zerrit.core.documents import Node
from zerrit.core.documents.file_selection import below, field_above

_FILLED: Final = re.compile(r"\{([^{}]+)\}")


def places_in(pattern: str) -> list[str]:
    """The places that are in braces."""
    return _FILLED.findall(pattern)


def filled_with(pattern: str, words: Mapping[str, str]) -> str:
    """The address with these words in their place; empty where one of them is empty, which no name is."""
    if not all(words.values()):
        return ""
    return _FILLED.sub(lambda match: quote_name(words[match.group(1)]), pattern)


def with_any(pattern: str) -> str:
    """The address with any name in their place."""
    return _FILLED.sub("*", pattern)


def filled_address(pattern: str, node: Node) -> str:
    """An address with the entry's own fields in the place of those in braces; empty where one of them is empty."""
    words: dict[str, str] = {}
    for place in places_in(pattern):
        own = below(node, place)
        words[place] = (own.value if own is not None else field_above(node, place)) or ""
    return filled_with(pattern, words)
