"""The forms for rules of a gamebook, made from their models: `python -m zerrit.report.rule_forms` prints them for the console."""

from __future__ import annotations

import json
from collections.abc import Iterator
from decimal import Decimal
from types import UnionType
from typing import Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel
from pydantic.fields import FieldInfo

from zerrit.core.expressions import Expression
from zerrit.core.rules import KINDS, FieldRules, Rule, Trouble


def forms() -> dict[str, Any]:
    """Every kind of rule with what it is for and its fields; `common` are the fields that every rule has, but for the
    part `trouble`, which holds no rules.

    A field has a `type`: `text`, `long` (text of several lines), `number`, `switch`, `choice`, `texts` (a list of texts),
    `names` (texts by name), `places` (texts, or `folder: PATTERN` and `file: PATTERN`), `words` (the name of a list, or
    texts), or `data` for what has no form.
    """
    return {
        "common": [_field(name, info) for name, info in Rule.model_fields.items() if name not in ("id", "approved")],
        "kinds": [
            {"part": "field", "about": "what a field may hold", "fields": _fields(FieldRules)},
            {"part": "trouble", "about": "how the game says that something went wrong", "fields": _fields(Trouble)},
            *({"part": kind.part, "about": kind.about, "fields": _fields(kind)} for kind in KINDS),
        ],
    }


def _fields(model: type[BaseModel]) -> list[dict[str, Any]]:
    return [
        field
        for name, info in model.model_fields.items()
        if name not in Rule.model_fields
        for field in _flat(name, info)
    ]


def _flat(name: str, info: FieldInfo, prefix: str = "") -> Iterator[dict[str, Any]]:
    """A field; one that is a model of its own has a name for each of its fields, such as `table.each`."""
    model = next(
        (one for one in _choices(info.annotation) if isinstance(one, type) and issubclass(one, BaseModel)), None
    )
    if model is not None and not prefix and get_origin(info.annotation) is not tuple:
        for below, own in model.model_fields.items():
            yield from _flat(below, own, f"{info.alias or name}.")
        return
    yield _field(name, info, prefix)


def _field(name: str, info: FieldInfo, prefix: str = "") -> dict[str, Any]:
    default = info.get_default(call_default_factory=True, validated_data={})
    found = {
        "name": f"{prefix}{info.alias or name}",
        "help": info.description or "",
        "type": _type(name, info),
        "needed": info.is_required() and not prefix,
        "default": default if isinstance(default, str | bool | int) else None,
    }
    words = _words_of(info.annotation)
    if words:
        found["choices"] = words
    return found


def _choices(annotation: Any) -> tuple[Any, ...]:
    """The types that something may have, without None."""
    if get_origin(annotation) in (Union, UnionType):
        return tuple(one for part in get_args(annotation) if part is not type(None) for one in _choices(part))
    if hasattr(annotation, "__metadata__"):
        return _choices(annotation.__origin__)
    return (annotation,)


def _words_of(annotation: Any) -> list[str]:
    for one in _choices(annotation):
        if get_origin(one) is Literal:
            return list(get_args(one))
        if isinstance(one, type) and hasattr(one, "__members__"):
            return [member.value for member in one.__members__.values()]
    return []


def _type(name: str, info: FieldInfo) -> str:
    types = _choices(info.annotation)
    if _words_of(info.annotation):
        return "choice"
    if name == "sources":
        return "places"
    if name == "allowed":
        return "words"
    if bool in types:
        return "switch"
    if int in types or types == (Decimal,):
        return "number"
    if any(get_origin(one) is dict for one in types):
        return "names"
    if any(get_origin(one) is tuple for one in types):
        inner = get_args(next(one for one in types if get_origin(one) is tuple))[0]
        return "texts" if str in _choices(inner) else "data"
    if str in types or Expression in types or Decimal in types:
        return "long" if name in ("reason", "message", "note", "do") else "text"
    return "data"


if __name__ == "__main__":
    print(json.dumps(forms(), indent=1))
