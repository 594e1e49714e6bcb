"""A gamebook that builds on another: what it says itself goes before what the other says."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final

#: Parts that say something of this one gamebook; they are not taken over from a base.
_OWN: Final = frozenset(("gamebook", "game", "extends", "leave_out", "drafted", "rejected", "cases", "edition"))


def built_on(own: Mapping[str, Any], base: Mapping[str, Any]) -> dict[str, Any]:
    """The data of a gamebook together with that of the one that it builds on.

    Names go together level by level, and the own value holds. Rules are listed one after the other, the own ones first; a rule of
    the base is left out where an own one has its `id` or `name`, says the same, or its id is in `leave_out`.
    """
    left = {str(one) for one in own.get("leave_out") or ()}
    found: dict[str, Any] = {}
    for key in dict.fromkeys((*own, *base)):
        if key in _OWN:
            if key in own:
                found[key] = own[key]
        elif key not in own:
            found[key] = _without(base[key], left)
        elif key not in base:
            found[key] = own[key]
        else:
            found[key] = _together(own[key], base[key], left)
    return found


def _together(own: Any, base: Any, left: set[str]) -> Any:
    if isinstance(own, Mapping) and isinstance(base, Mapping):
        return {
            key: own[key] if key not in base else base[key] if key not in own else _together(own[key], base[key], left)
            for key in dict.fromkeys((*own, *base))
        }
    if _are_rules(own) and _are_rules(base):
        return [*own, *(one for one in _without(base, left) if not any(_is_same(mine, one) for mine in own))]
    return own


def _without(base: Any, left: set[str]) -> Any:
    return [one for one in base if str(one.get("id", "")) not in left] if _are_rules(base) and left else base


def _are_rules(value: Any) -> bool:
    return isinstance(value, Sequence) and not isinstance(value, str) and all(isinstance(one, Mapping) for one in value)


def _is_same(own: Mapping[str, Any], base: Mapping[str, Any]) -> bool:
    return own == base or any(own.get(key) is not None and own.get(key) == base.get(key) for key in ("id", "name"))
