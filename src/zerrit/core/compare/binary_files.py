"""Files that are no text, or whose content is not kept: compared by size and hash, and never printed."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Final

from zerrit.core.compare.differences import Difference, DifferenceKind, compare_files
from zerrit.core.documents import Document

SHOWN: Final = 12  # digits of a hash; enough to tell two files apart by eye


@dataclass(frozen=True, slots=True)
class OtherFile:
    """A file by what is known of it. `digest` is its SHA-256; empty where its content is not kept.

    `stamp` stands for the state of such a file: two that are equal and not empty are of the same bytes.
    """

    size: int
    digest: str = ""
    stamp: str = ""

    def __str__(self) -> str:
        what = f"SHA-256 {self.digest[:SHOWN]}" if self.digest else "content not kept"
        return f"{self.size:,} bytes, {what}"


@dataclass(frozen=True)
class FileSet:
    """The files of one state: those that are text, and all others."""

    documents: Mapping[str, Document]
    others: Mapping[str, OtherFile] = field(default_factory=dict)

    @property
    def paths(self) -> Collection[str]:
        return self.documents.keys() | self.others.keys()


def compare_file_sets(old: FileSet, new: FileSet) -> list[Difference]:
    """All differences between two states, by path."""
    shared = {p for p in old.documents if p in new.others} | {p for p in new.documents if p in old.others}
    texts = compare_files(_without(old.documents, shared), _without(new.documents, shared))
    return sorted([*texts, *_others(old, new)], key=lambda one: one.address.partition("#")[0])


def undecided(old: FileSet, new: FileSet) -> list[str]:
    """Files of equal size of which one state has no content: whether they are equal is not known."""
    return sorted(
        path for path in old.others.keys() & new.others.keys() if _is_undecided(old.others[path], new.others[path])
    )


def _is_undecided(one: OtherFile, other: OtherFile) -> bool:
    if one is other or one.size != other.size or (one.digest and other.digest):
        return False
    return not (one.stamp and one.stamp == other.stamp)


def _without(documents: Mapping[str, Document], paths: Collection[str]) -> Mapping[str, Document]:
    return {path: document for path, document in documents.items() if path not in paths} if paths else documents


def _others(old: FileSet, new: FileSet) -> Iterator[Difference]:
    for path in sorted(old.others.keys() | new.others.keys()):
        one, other = old.others.get(path), new.others.get(path)
        if one is not None and other is not None:
            is_other = one.size != other.size or (one.digest and other.digest and one.digest != other.digest)
            if is_other:
                yield Difference(DifferenceKind.CHANGED, path, str(one), str(other))
        elif one is not None:
            yield _against_text(path, str(one), new.documents.get(path), is_old=True)
        else:
            yield _against_text(path, str(other), old.documents.get(path), is_old=False)


def _against_text(path: str, said: str, text: Document | None, *, is_old: bool) -> Difference:
    if text is not None:
        sides = (said, "a text file") if is_old else ("a text file", said)
        return Difference(DifferenceKind.CHANGED, path, *sides)
    if is_old:
        return Difference(DifferenceKind.REMOVED, path, old=said)
    return Difference(DifferenceKind.ADDED, path, new=said)
