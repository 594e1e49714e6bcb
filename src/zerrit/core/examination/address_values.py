"""All values at an address in one document, with nodes on demand."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from zerrit.core.addresses import Segment
from zerrit.core.documents import Document, Node
from zerrit.core.documents.selection import select
from zerrit.core.examination.plain_values import Plain, entries_at, field_values, text_of


@dataclass(frozen=True)
class Values:
    """All values at an address in one document, in the order of the text; the node of each is made on demand.

    It knows nothing of the examination: it is taken over by later ones, and would keep all of them alive.
    """

    document: Document
    segments: tuple[Segment, ...]
    texts: tuple[str, ...]

    @cached_property
    def _nodes(self) -> list[Node]:
        nodes = select(self.document.root, self.document.keys, self.segments)
        return [node for node in nodes if node.value is not None]

    def node(self, index: int) -> Node:
        return self._nodes[index]


def plain_values(root: Plain, segments: tuple[Segment, ...], *, is_xml: bool) -> list[str] | None:
    """The values that plain segments lead to; None where they cannot be told without nodes."""
    last = segments[-1]
    if last.keys or last.ordinal or last.is_deep or last.is_name_pattern or last.choices or last.chooses:
        return None
    entries = entries_at(root, segments[:-1])
    if entries is None:
        return None
    if last.is_any_name:
        below = entries_at(entries, (Segment("", is_any_name=True), last)) if not is_xml else None
        return [text for value in below if (text := text_of(value)) is not None] if below is not None else None
    found = field_values(entries, last.name, is_xml=is_xml)
    return [text for text in found if text is not None] if found is not None else None
