"""Only the differences that someone asked for: those at the places that an address pattern names."""

from __future__ import annotations

from collections.abc import Iterable

from zerrit.core.addresses import may_meet, parse_address
from zerrit.core.compare.binary_files import FileSet
from zerrit.core.compare.differences import Difference, DifferenceKind
from zerrit.core.documents.lookup import find
from zerrit.core.errors import AddressNotFound
from zerrit.core.nearest import nearest
from zerrit.core.wildcards import path_matches


def differences_at(found: Iterable[Difference], pattern: str) -> list[Difference]:
    """Those at or below the places that an address pattern names; an entry that came or went with such a place counts.

    Raises AddressInvalid.
    """
    wanted = parse_address(pattern)
    kept: list[Difference] = []
    for difference in found:
        place = parse_address(difference.address)
        paths = {place.path, difference.old or ""} if difference.kind is DifferenceKind.RENAMED else {place.path}
        if any(path_matches(wanted.path, path) for path in paths) and may_meet(wanted.segments, place.segments):
            kept.append(difference)
    return kept


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
