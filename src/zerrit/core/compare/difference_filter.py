"""Only the differences that someone asked for: those at the places that an address pattern names."""

from __future__ import annotations

from collections.abc import Iterable

from zerrit.core.addresses import Address, Segment, may_meet, parse_address
from zerrit.core.compare.binary_files import FileSet
from zerrit.core.compare.differences import Difference, DifferenceKind
from zerrit.core.documents.lookup import find
from zerrit.core.documents.selection import select
from zerrit.core.errors import AddressNotFound
from zerrit.core.nearest import nearest
from zerrit.core.wildcards import path_matches


def differences_at(found: Iterable[Difference], pattern: str, old: FileSet, new: FileSet) -> list[Difference]:
    """Those at or below the places that an address pattern names; an entry that came or went with such a place counts.

    An entry that is chosen by what it is counts where it is so before or after.

    Raises AddressInvalid.
    """
    wanted = parse_address(pattern)
    if any(segment.chooses or segment.ordinal < 0 for segment in wanted.segments):
        chosen = [*_chosen(wanted, old), *_chosen(wanted, new)]
    else:
        chosen = [wanted.segments]
    kept: list[Difference] = []
    for difference in found:
        place = parse_address(difference.address)
        paths = {place.path, difference.old or ""} if difference.kind is DifferenceKind.RENAMED else {place.path}
        is_file = any(path_matches(wanted.path, path) for path in paths)
        if is_file and any(may_meet(segments, place.segments) for segments in chosen):
            kept.append(difference)
    return kept


def _chosen(wanted: Address, files: FileSet) -> list[tuple[Segment, ...]]:
    """The places that the address leads to in the files of one state."""
    return [
        document.keys.segments_of(node)
        for path, document in files.documents.items()
        if path_matches(wanted.path, path)
        for node in select(document.root, document.keys, wanted.segments)
    ]


def require_place(pattern: str, old: FileSet, new: FileSet) -> None:
    """Nothing different, and nothing there, are two things. Raises AddressNotFound, naming what is near."""
    address = parse_address(pattern)
    before, after = old.documents, new.documents
    known = {*old.paths, *new.paths}
    paths = [path for path in known if path_matches(address.path, path)]
    if not paths:
        close = nearest(address.path, known)
        hint = f" Nearest: {', '.join(close)}." if close else ""
        raise AddressNotFound(f"There is no file {address.path}.{hint}", pattern, address.path, 0, close)
    if not address.segments:
        return
    missing: AddressNotFound | None = None
    for path in paths:
        for files in (before, after):
            try:
                if path in files and find(files[path], address.segments):
                    return
            except AddressNotFound as error:
                missing = missing or error
    if missing is not None:
        raise missing
