"""Files that are under another name than before."""

from __future__ import annotations

from collections.abc import Mapping

from zerrit.core.documents.document import Document


def renamed_files(old: Mapping[str, Document], new: Mapping[str, Document]) -> dict[str, str]:
    """The new path of each file that is gone under its old one and has come under another, its text unchanged.

    Empty files are all alike, and so are none of them.
    """
    arrived: dict[str, list[str]] = {}
    for path in sorted(new.keys() - old.keys()):
        if new[path].text.strip():
            arrived.setdefault(new[path].text, []).append(path)
    gone = sorted(old.keys() - new.keys())
    return {path: arrived[old[path].text].pop(0) for path in gone if arrived.get(old[path].text)}
