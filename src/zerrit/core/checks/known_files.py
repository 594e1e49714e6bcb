"""Files that the gamebook calls by name, and that have to be there."""

from __future__ import annotations

from collections.abc import Iterator

from zerrit.core.documents import CODES, Finding, Format
from zerrit.core.documents.database import LOG_ENDINGS
from zerrit.core.examination.check_context import Examination
from zerrit.core.nearest import did_you_mean


def check_logs(examination: Examination) -> Iterator[Finding]:
    """No rows of a database wait in a log beside it."""
    files = examination.files
    for path, document in files.documents.items():
        if document.format is not Format.DATABASE:
            continue
        for log in (path + ending for ending in LOG_ENDINGS):
            data = files.data(log) if log in files.others else b""
            if data != b"":
                size = f" with {len(data):,} bytes" if data else ""
                message = f"{log} is beside {path}{size}. The rows in it are not in the database yet."
                hint = "Stop the game in the usual way; it then takes them in. Until then rows are not written."
                yield Finding("database.log-beside", CODES["database.log-beside"].severity, message, path, hint=hint)


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
