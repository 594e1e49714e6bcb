"""What another version of a file has more and less: its keys with their comments."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from zerrit.core.compare import Difference, DifferenceKind, compare_documents
from zerrit.core.documents import Document


@dataclass(frozen=True, slots=True)
class KeyNote:
    """A place that the vendor added or dropped. `comment` documents it; `value` is what is there, or stood."""

    address: str
    value: str
    comment: str


def key_notes(old: Document | None, new: Document | None) -> tuple[tuple[KeyNote, ...], tuple[KeyNote, ...]]:
    """The places that the new version added, and those that it dropped; none where one of the two is not there."""
    if old is None or new is None or old.is_binary or new.is_binary:
        return (), ()
    found = compare_documents(old, new)
    return notes_of(found, DifferenceKind.ADDED, new), notes_of(found, DifferenceKind.REMOVED, old)


def notes_of(found: Iterable[Difference], kind: DifferenceKind, document: Document | None) -> tuple[KeyNote, ...]:
    """The differences of one kind with their values and comments, as they are in the version that has them."""
    if document is None:
        return ()
    notes: list[KeyNote] = []
    for difference in found:
        if difference.kind is kind:
            nodes = document.select(difference.address.partition("#")[2])
            comment = nodes[0].comment if nodes else ""
            value = nodes[0].value if nodes and nodes[0].is_value else None
            source = (difference.new if kind is DifferenceKind.ADDED else difference.old) or ""
            notes.append(KeyNote(difference.address, value if value is not None else source, comment))
    return tuple(notes)
