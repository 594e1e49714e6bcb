"""The forms for settings, made from their models: `python -m zerrit.settings.forms` prints them for the console."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from typing import Any, Literal, get_origin

from pydantic import BaseModel
from pydantic.fields import FieldInfo
from pydantic_core import PydanticUndefined

from zerrit.settings.connections import CONNECTIONS
from zerrit.settings.controls import CONTROLS
from zerrit.settings.databases import DATABASES
from zerrit.settings.kind import Kind
from zerrit.settings.maintenance import Maintenance


def forms() -> dict[str, Any]:
    """The kinds of connections, controls and databases, each with its label, its fields and what its secret is called; the
    maintenance of a new server."""
    return {
        "connections": _kinds(CONNECTIONS),
        "controls": _kinds(CONTROLS),
        "databases": _kinds(DATABASES),
        "maintenance": Maintenance().model_dump(),
    }


def _kinds(kinds: Sequence[type[Kind]]) -> list[dict[str, Any]]:
    return [
        {
            "kind": kind.model_fields["kind"].default,
            "label": kind.label,
            "secret": {"label": kind.secret.label, "isLong": kind.secret.is_long} if kind.secret else None,
            "fields": [
                field for name, info in kind.model_fields.items() if name != "kind" for field in _fields(name, info)
            ],
        }
        for kind in kinds
    ]


def _fields(name: str, info: FieldInfo, prefix: str = "") -> Iterator[dict[str, Any]]:
    """A field as a form shows it; one that is a model has a name for each of its own fields, such as `commands.stop`."""
    if isinstance(info.annotation, type) and issubclass(info.annotation, BaseModel):
        for below, own in info.annotation.model_fields.items():
            yield from _fields(below, own, f"{prefix}{name}.")
        return
    default = info.get_default(call_default_factory=True, validated_data={})
    found = {
        "name": f"{prefix}{name}",
        "label": info.title or name,
        "help": _help(info),
        "type": _type(info),
        "default": None if default is PydanticUndefined else default,
    }
    if get_origin(info.annotation) is Literal:
        found["choices"] = list(info.annotation.__args__)  # type: ignore[union-attr]
    yield found


def _help(info: FieldInfo) -> str:
    """What the description says beyond the label."""
    text = info.description or ""
    return "" if text.casefold().startswith((info.title or "-").casefold()) else text


def _type(info: FieldInfo) -> str:
    if get_origin(info.annotation) is Literal:
        return "choice"
    if info.annotation is bool:
        return "switch"
    if info.annotation is int:
        return "number"
    return "text" if info.annotation is str else "words"


if __name__ == "__main__":
    print(json.dumps(forms(), indent=1))
