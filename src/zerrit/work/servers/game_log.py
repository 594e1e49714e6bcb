"""
The log of a game, from a start on.

A game may append to its log, overwrite it at each start, or begin a new file and rotate the old one away. Before a start a
mark is taken of what is there; what is not as marked was written anew, and is read from its beginning. Where a gamebook
gives a pattern for the log, the newest file that fits is the log.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from typing import Final

from zerrit.connections import Connection, ConnectionFailed, ConnectionFault, RemoteFile
from zerrit.control import GameState
from zerrit.core.expressions import compile_pattern
from zerrit.core.gamebooks import Gamebook
from zerrit.core.log_text import log_text
from zerrit.core.paths import fixed_folder
from zerrit.core.wildcards import path_matches
from zerrit.records import FileMark

EDGE: Final = 512  # bytes before the end of a marked log; in a file that was only appended to they are still there
MOST_OF_HEAD: Final = 4096  # bytes of a first line
MOST_FOR_HEAD: Final = 1 << 20  # bytes of a log of which the first line is looked at
MOST: Final = 8 << 20  # bytes of a log that are read from one start; a game that writes more is read from its end


class StartLog:
    """Reads what was written to a log since a mark; remembers which files were seen to be written anew."""

    def __init__(self, connection: Connection, pattern: str, marks: Mapping[str, FileMark]) -> None:
        self._connection = connection
        self._pattern = pattern
        self._marks = marks
        self._replaced: set[str] = set()
        self.path = ""  #: the file that was read last
        self.doubt = ""  #: what is not sure about where the start begins in it

    def read(self) -> str:
        """The text since the mark; empty where nothing was written yet."""
        if not self._pattern:
            return ""
        changed = [file for file in log_files(self._connection, self._pattern) if self._is_changed(file)]
        if not changed:
            return ""
        log = max(changed, key=lambda file: (file.modified, file.path not in self._marks, file.path))
        self.path = log.path
        try:
            return log_text(self._since(log))
        except ConnectionFailed as error:
            if error.fault is ConnectionFault.MISSING:
                return ""
            raise

    def _is_changed(self, file: RemoteFile) -> bool:
        marked = self._marks.get(file.path)
        if marked is not None and _is_replaced(marked, file):
            self._replaced.add(file.path)
        return marked is None or file.path in self._replaced or file.size > marked.size

    def _since(self, log: RemoteFile) -> bytes:
        marked = self._marks.get(log.path)
        first = max(0, log.size - MOST)
        self.doubt = f"only the last {MOST >> 20} MB of {log.path} were read" if first else ""
        if marked is None or log.path in self._replaced:
            return self._connection.read(log.path, first)
        begin = max(0, marked.size - EDGE)
        if first > begin:
            return self._connection.read(log.path, first)
        data = self._connection.read(log.path, begin)
        old, new = data[: marked.size - begin], data[marked.size - begin :]
        if _digest(old) != marked.edge:
            self._replaced.add(log.path)
            return self._connection.read(log.path, first)
        if marked.head and b"\n" in new and _head(new) != marked.head:
            self.doubt = _DOUBT.format(path=log.path)
        return new


_DOUBT: Final = (
    "{path} begins exactly as before the start, so it is not certain whether the game appended to it or wrote it anew; "
    "only what is new in it was judged"
)


def _is_replaced(marked: FileMark, now: RemoteFile) -> bool:
    """The listing alone says that the file was written anew."""
    is_other = bool(marked.identity and now.identity and marked.identity != now.identity)
    is_rewritten = now.size == marked.size and now.modified != marked.modified
    return is_other or now.size < marked.size or is_rewritten


def log_marks(connection: Connection, pattern: str) -> dict[str, FileMark]:
    """The files that fit the log's pattern now, by path."""
    marks: dict[str, FileMark] = {}
    files = log_files(connection, pattern)
    newest = sorted(files, key=lambda file: (file.modified, file.path))[-1:]
    for file in files:
        # Only the newest can be appended to; reading the edges of all rotated ones would take long.
        edge, head = _edge_of(connection, file) if file in newest else ("", "")
        marks[file.path] = FileMark(file.size, file.modified, file.identity, edge, head)
    return marks


def log_files(connection: Connection, pattern: str) -> list[RemoteFile]:
    """The files that fit a log's path or pattern; none where there is no pattern."""
    if not pattern:
        return []
    return [file for file in connection.files(fixed_folder(pattern)) if path_matches(pattern, file.path)]


def newest_log(connection: Connection, pattern: str) -> RemoteFile | None:
    """The newest file that fits; None where there is none yet."""
    return max(log_files(connection, pattern), key=lambda file: (file.modified, file.path), default=None)


def _edge_of(connection: Connection, file: RemoteFile) -> tuple[str, str]:
    """Digest of the last bytes, and the first line of a log that is not long."""
    begin = max(0, file.size - EDGE) if file.size > MOST_FOR_HEAD else 0
    try:
        data = connection.read(file.path, begin)[: file.size - begin]
    except ConnectionFailed as error:
        if error.fault is ConnectionFault.MISSING:
            return "", ""
        raise
    return _digest(data[-EDGE:]), _head(data) if begin == 0 else ""


def _digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _head(data: bytes) -> str:
    line = log_text(data[:MOST_OF_HEAD]).lstrip().split("\n", 1)[0].strip()
    return "" if any(character.isdigit() for character in line) else line[:200]


TAIL: Final = 64 << 10  # bytes of a log that are looked at to tell whether its game runs


def look_at_log(connection: Connection, gamebook: Gamebook | None) -> GameState | None:
    """What the end of a log says: whether the game was started or stopped last. None where it does not say."""
    if gamebook is None or not gamebook.rules.trouble.log:
        return None
    trouble = gamebook.rules.trouble
    file = newest_log(connection, trouble.log)
    if file is None:
        return None
    lines = log_text(connection.read(file.path, max(0, file.size - TAIL))).splitlines()
    for line in reversed(lines):
        if trouble.closed_pattern and compile_pattern(trouble.closed_pattern).search(line):
            return GameState(False, f"looks stopped: its log says `{line.strip()[:120]}`")
        if trouble.ready_pattern and compile_pattern(trouble.ready_pattern).search(line):
            return GameState(True, f"does not look stopped: the last its log says of it is `{line.strip()[:120]}`")
    return None
