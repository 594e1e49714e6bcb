"""The fields that a condition is worked out with, where it speaks of one value in a file."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final

from zerrit.core.documents import Document, Node
from zerrit.core.documents.document import declared_text
from zerrit.core.expressions import Fields

NO_FIELDS: Final[Mapping[str, Sequence[str]]] = {}


class Around:
    """The fields around a value, for conditions: those of its entry, then of what that is in; `value` is its own.

    A field of XML is found with or without its @, and a hyphen in its name is written as an underscore.
    """

    def __init__(self, document: Document, node: Node) -> None:
        self._document = document
        self._node = node

    def get(self, name: str, otherwise: Sequence[str]) -> Sequence[str]:
        if name == "value":
            return (declared_text(self._document, self._node),) if self._node.value is not None else otherwise
        group: Node | None = self._node if not self._node.is_value else self._node.parent
        while group is not None:
            for spelled in dict.fromkeys((name, f"@{name}", name.replace("_", "-"), f"@{name.replace('_', '-')}")):
                value = group.field(spelled)
                if value is not None:
                    return (declared_text(self._document, group, spelled, value=value),)
            group = group.parent
        return otherwise


def with_more(fields: Fields, **more: str) -> Fields:
    """Fields with some others in front of them."""
    return _More(fields, {name: (value,) for name, value in more.items()})


class _More:
    def __init__(self, fields: Fields, more: Mapping[str, Sequence[str]]) -> None:
        self._fields = fields
        self._more = more

    def get(self, name: str, otherwise: Sequence[str]) -> Sequence[str]:
        return self._more[name] if name in self._more else self._fields.get(name, otherwise)
