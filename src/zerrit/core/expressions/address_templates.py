"""Addresses of a gamebook with places of an entry in braces: `prices.json#prices/{name}`."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Final

from zerrit.core.addresses import quote_key, quote_name
from zerrit.core.documents import Node
from zerrit.core.documents.file_selection import below, field_above

_FILLED: Final = re.compile(r"\{([^{}]+)\}")
THERE: Final = "there."  #: before a place of the entry that an address before this one led to
OWN_NAME: Final = ":name"  #: instead of a place: the name of the entry itself


def places_in(pattern: str) -> list[str]:
    """The places that are in braces."""
    return _FILLED.findall(pattern)


def needs_entry(pattern: str) -> bool:
    """Whether more than the values of an entry is in the address."""
    return any(place.startswith(THERE) or place == OWN_NAME for place in places_in(pattern))


def filled_with(pattern: str, words: Mapping[str, str]) -> str:
    """The address with these words in their place; empty where one of them is empty, which no name is."""
    if not all(words.values()):
        return ""

    def quoted(match: re.Match[str]) -> str:
        is_name = match.string[match.start() - 1 : match.start()] in ("/", "#", "")
        return quote_name(words[match.group(1)]) if is_name else quote_key(words[match.group(1)])

    return _FILLED.sub(quoted, pattern)


def with_any(pattern: str) -> str:
    """The address with any name in their place."""
    return _FILLED.sub("*", pattern)


def filled_address(pattern: str, node: Node, there: Node | None = None) -> str:
    """An address with the entry's own fields in the place of those in braces; empty where one of them is empty.

    `{there.field}` is a field of `there`, the entry that an address before this one led to; `{:name}` the entry's name.
    """
    words: dict[str, str] = {}
    for place in places_in(pattern):
        if place == OWN_NAME:
            words[place] = node.name.removeprefix("@")
            continue
        holder, name = (there, place[len(THERE) :]) if place.startswith(THERE) else (node, place)
        own = (below(holder, name) or below(holder, f"@{name}")) if holder is not None else None
        if own is not None:
            words[place] = own.value or ""
        else:
            words[place] = (field_above(holder, name) if holder is not None else None) or ""
    return filled_with(pattern, words)
