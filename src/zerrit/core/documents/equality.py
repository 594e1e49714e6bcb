"""What a node means, whatever its layout: comparable, and equal for equal content."""

from __future__ import annotations

from zerrit.core.documents.document import Document
from zerrit.core.documents.entry_keys import Keys
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import typed


def meaning_of(node: Node, document: Document) -> object:
    """The value of a node with its type; for a group that has none, no value."""
    value = typed(node.value or "", node.is_quoted, document.format.value)
    return type(value).__name__, node.value if value is None or isinstance(value, str) else value


class Contents:
    """What whole entries mean; each is worked out once."""

    def __init__(self, keys: Keys) -> None:
        self._keys = keys
        self._known: dict[int, object] = {}

    def of(self, node: Node, document: Document) -> object:
        """All below a node, the order of attributes and of the keys of mappings aside."""
        known = self._known.get(id(node))
        if known is None:
            children = [(child.name, self.of(child, document)) for child in node.children]
            if document.format.traits.unique_names and node.kind is NodeKind.GROUP:
                below: object = frozenset(children)
            else:
                attributes = frozenset(child for child in children if child[0].startswith("@"))
                below = (attributes, tuple(child for child in children if not child[0].startswith("@")))
            known = self._known[id(node)] = (node.kind, meaning_of(node, document), below)
        return known

    def nameless(self, node: Node, document: Document) -> object:
        """The same without the field that names an entry; of entries with a key, the kind of entry with it."""
        key = self._keys.field_for(node.names)
        if not key or not self._keys.key_of(node):
            return "", self.of(node, document)
        rest = [(child.name, self.of(child, document)) for child in node.children if child.name != key]
        return node.name, meaning_of(node, document), frozenset(rest), len(rest)

    def is_same(self, a: Node, a_document: Document, b: Node, b_document: Document) -> bool:
        """The two mean the same; equal text is seen at once."""
        if a_document.text[a.start : a.end] == b_document.text[b.start : b.end]:
            return True
        return self.of(a, a_document) == self.of(b, b_document)
