"""Files that the gamebook calls by name, and that have to be there."""

from __future__ import annotations

from collections.abc import Iterator

from zerrit.core.documents import CODES, Finding
from zerrit.core.examination.check_context import Examination
from zerrit.core.nearest import did_you_mean


def check_known_files(examination: Examination) -> Iterator[Finding]:
    """Files that the gamebook calls by name are there."""
    if not examination.files.is_whole:
        return
    present = frozenset(examination.paths)
    for pattern, rules in examination.gamebook.rules.files.items():
        if "*" not in pattern and "?" not in pattern and pattern not in present and not rules.optional:
            what = f" ({rules.purpose})" if rules.purpose else ""
            message = f"The gamebook knows {pattern}{what}, but it is not there."
            hint = did_you_mean(pattern, examination.strays_beside(pattern))
            yield Finding("gamebook.file-missing", CODES["gamebook.file-missing"].severity, message, pattern, hint=hint)
    for path in sorted(examination.gamebook.binaries - present):
        message = f"The gamebook looks into {path}, but it is not there."
        hint = did_you_mean(path, examination.strays_beside(path))
        yield Finding("gamebook.file-missing", CODES["gamebook.file-missing"].severity, message, path, hint=hint)
