"""
Merge three folders of files: what theirs changed since the base is brought into mine, file by file.

A file that one side renamed without another change is followed under its new name. Files that are no text, and files
with a fault in one of the three, are taken whole where only one side changed them, and conflict where both did.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

from zerrit.core.documents.document import Document
from zerrit.core.errors import MergeRefused
from zerrit.core.merge.threeway import MINE, THEIRS, Conflict, Merged, merge_three
from zerrit.core.renamed_files import renamed_files

Files = Mapping[str, Document]


class FileState(StrEnum):
    """What becomes of one file."""

    KEPT = "kept"  #: theirs did not change it
    UPDATED = "updated"  #: only theirs changed it
    ADDED = "added"  #: theirs brought it
    REMOVED = "removed"  #: theirs removed it, and mine had not changed it
    MOVED = "moved"  #: theirs gave it another name, and changed nothing else
    MERGED = "merged"  #: both changed it
    CONFLICT = "conflict"  #: the file as a whole has to be decided


@dataclass(frozen=True, slots=True)
class FileMerge:
    """One file of the result. `path` is its name in the result; `data` its bytes, None where there is none."""

    path: str
    state: FileState
    data: bytes | None
    merged: Merged | None = None
    conflicts: tuple[Conflict, ...] = ()  #: their addresses begin with the path


def merge_folders(base: Files, mine: Files, theirs: Files, choices: Mapping[str, str] | None = None) -> list[FileMerge]:
    """Merge all files by path, in the order of the paths.

    `choices` decides conflicts by their address: `mine`, `theirs`, or `=VALUE`; that of a complete file is its path.

    Raises MergeRefused: a choice fits no conflict.
    """
    given = dict(choices or {})
    new_here, new_there = renamed_files(base, mine), renamed_files(base, theirs)
    followed = {*new_here.values(), *new_there.values()}
    merges: list[FileMerge] = []
    for path in sorted((base.keys() | mine.keys() | theirs.keys()) - (followed - base.keys())):
        here, there = new_here.get(path, path), new_there.get(path, path)
        if path not in (here, there) and here != there:
            sides = (base.get(path), mine.get(here), theirs.get(there))
            merges.append(_whole(here, sides, f"it is called {here} here and {there} there", given))
            continue
        name = there if there != path else here
        merge = _merge_file(name, base.get(path), mine.get(here), theirs.get(there), given)
        is_moved = merge.state is FileState.KEPT and merge.data is not None and name != here
        merges.append(replace(merge, state=FileState.MOVED) if is_moved else merge)
    if given:
        raise MergeRefused(f"There is no conflict at {next(iter(given))}, so nothing can be chosen there.")
    return sorted(merges, key=lambda merge: merge.path)


def _merge_file(
    path: str, base: Document | None, mine: Document | None, theirs: Document | None, given: dict[str, str]
) -> FileMerge:
    old, own, other = (None if one is None else one.to_bytes() for one in (base, mine, theirs))
    if other in (old, own):
        return FileMerge(path, FileState.KEPT, own)
    if own == old:
        state = FileState.REMOVED if other is None else FileState.ADDED if old is None else FileState.UPDATED
        return FileMerge(path, state, other)
    if mine is None or theirs is None:
        why = "it was removed here and changed there" if mine is None else "it was changed here and removed there"
        return _whole(path, (base, mine, theirs), why, given)
    prefix = f"{path}#"
    chosen = {address.removeprefix(prefix): given.pop(address) for address in list(given) if address.startswith(prefix)}
    try:
        if mine.is_binary or theirs.is_binary:
            raise MergeRefused("both sides changed a binary file")
        merged = merge_three(base, mine, theirs, chosen)
    except MergeRefused as refusal:
        if chosen:
            raise
        return _whole(path, (base, mine, theirs), str(refusal), given)
    conflicts = tuple(
        Conflict(f"{prefix}{conflict.address}", conflict.base, conflict.mine, conflict.theirs, conflict.reason)
        for conflict in merged.conflicts
    )
    return FileMerge(path, FileState.MERGED, merged.document.to_bytes(), merged, conflicts)


def _whole(
    path: str, sides: tuple[Document | None, Document | None, Document | None], reason: str, given: dict[str, str]
) -> FileMerge:
    """The file is decided as a whole; mine stays until it is."""
    _, mine, theirs = sides
    choice = given.pop(path, None)
    if choice is not None and choice not in (MINE, THEIRS):
        raise MergeRefused(f"{path} is decided as a whole; choose mine or theirs.")
    kept = theirs if choice == THEIRS else mine
    data = kept.to_bytes() if kept is not None else None
    if choice is not None:
        return FileMerge(path, FileState.UPDATED if choice == THEIRS else FileState.KEPT, data)
    shown = [None if one is None else f"{len(one.text.splitlines())} lines" for one in sides]
    return FileMerge(path, FileState.CONFLICT, data, None, (Conflict(path, shown[0], shown[1], shown[2], reason),))
