"""Switches behind which other settings are: `enabled` beside the settings of the same group."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from zerrit.core.addresses import print_kind
from zerrit.core.drafting.field_inference import Knowledge
from zerrit.core.drafting.observations import Sort

_NAMES: Final = frozenset(("enabled", "enable", "active", "isenabled", "isactive", "use", "switchedon"))
FEWEST: Final = 2  #: other settings of a group, for the switch to be one over them
MOST: Final = 24


@dataclass(frozen=True, slots=True)
class Gate:
    """A switch, and the address of the settings beside it."""

    gate: str
    settings: str
    count: int


def gates(sorts: Sequence[Sort], known: Mapping[int, Knowledge]) -> Iterator[Gate]:
    """The switches of groups that are there once, each over the settings beside it.

    Such a rule says nothing of files as they stand: only a change that sets something behind a switch that is off is told.
    """
    for sort in sorts:
        if "*" in sort.pattern or len(sort.newest) != 1:
            continue
        for kind, entries in sort.kinds.items():
            if not kind or not all(isinstance(name, str) and name for name in kind) or entries.count != 1:
                continue
            switches = [
                place
                for place, column in entries.columns.items()
                if _plain(place) in _NAMES and known[id(column)].kind == "switch" and column.most_in_entry == 1
            ]
            others = [place for place in entries.columns if place not in switches and _is_simple(place)]
            if len(switches) != 1 or not FEWEST <= len(others) <= MOST:
                continue
            at = f"{sort.pattern}#{print_kind(kind)}"
            yield Gate(f"{at}/{switches[0]}", f"{at}/({','.join(others)})", len(others))


def _plain(place: str) -> str:
    return "".join(sign for sign in place.casefold() if sign.isalpha())


def _is_simple(place: str) -> bool:
    return all(sign.isalnum() or sign in "_-" for sign in place)
