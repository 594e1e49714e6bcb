"""What the log files of a game say of one start, kept with the run, so that drafts can learn from it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from zerrit.connections import Connection, ConnectionFailed, RemoteFile
from zerrit.core.discovery import Sort, sort_of
from zerrit.core.log_text import log_text
from zerrit.records import KeptLogText

MOST_LOGS: Final = 3
MOST_READ: Final = 1 << 20  #: bytes of a log
HEAD_LINES: Final = 100
TAIL_LINES: Final = 100
LONGEST_LINE: Final = 200  #: characters
BEFORE: Final = 2000  #: bytes of the log before the start, which show how the game ended

Sizes = Mapping[str, tuple[int, int]]  #: size and time of files, by path


def logs_of_start(connection: Connection, before: Sizes) -> dict[str, KeptLogText]:
    """What was written to files that look like logs since `before`, by path; the newest files where there are many.

    What cannot be read is left out: a start is as good without.
    """
    try:
        seen = connection.files()
    except ConnectionFailed:
        return {}
    logs = [one for one in seen if sort_of(one.path) is Sort.LOG and before.get(one.path) != (one.size, one.modified)]
    kept = {}
    for file in sorted(logs, key=lambda one: -one.modified)[:MOST_LOGS]:
        try:
            kept[file.path] = _since(connection, file, before.get(file.path, (0, 0))[0])
        except ConnectionFailed:
            continue
    return kept


def _since(connection: Connection, file: RemoteFile, old_size: int) -> KeptLogText:
    begin = old_size if file.size > old_size else 0  # else it was written anew
    first = max(begin - BEFORE, file.size - MOST_READ, 0)
    return parted(connection.read(file.path, first), max(begin - first, 0))


def parted(data: bytes, begin: int) -> KeptLogText:
    """A log of which `begin` bytes were there before the start."""
    return KeptLogText(text=_shortened(data[begin:]), before=_shortened(data[max(begin - BEFORE, 0) : begin]))


def _shortened(data: bytes) -> str:
    lines = [line[:LONGEST_LINE] for line in log_text(data).splitlines() if line.strip()]
    if len(lines) > HEAD_LINES + TAIL_LINES:
        lines = [*lines[:HEAD_LINES], *lines[-TAIL_LINES:]]
    return "\n".join(lines)
