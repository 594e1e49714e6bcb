"""
What the files of an unknown game are, by what they look like: settings, scripts that start it, logs, crashes, databases.

These are proposals for a person who sets a server up. Nothing is done with them until that person says so.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import lru_cache
from pathlib import PurePosixPath
from typing import Final, NamedTuple

from zerrit.core.paths import ending_of


class Sort(StrEnum):
    """What a file is taken for."""

    SETTINGS = "settings"
    SCRIPT = "script"  #: one that may start the game
    LOG = "log"
    CRASH = "crash"
    DATABASE = "database"
    OTHER = "other"


class SeenFile(NamedTuple):
    """A file by its path below the folder that is looked at, and its size in bytes."""

    path: str
    size: int


_SETTINGS: Final = frozenset(
    (".ini", ".xml", ".json", ".yml", ".yaml", ".cfg", ".conf", ".properties", ".toml", ".env", ".lua")
)
_SCRIPTS: Final = frozenset((".sh", ".bat", ".cmd", ".ps1"))
_DATABASES: Final = frozenset((".db", ".sqlite", ".sqlite3", ".db3"))
_CRASHES: Final = frozenset((".dmp", ".mdmp", ".crash"))
_STARTS: Final = re.compile(r"(?:^|[-_. ])(?:start|run|launch|serve|server|boot)", re.IGNORECASE)
_LOG: Final = re.compile(r"\.log(?:\.\d+)?$|(?:^|[-_. ])(?:log|console|output)[-_\d]*\.txt$", re.IGNORECASE)
_LOG_FOLDER: Final = re.compile(r"^logs?$", re.IGNORECASE)
_CRASH_FOLDER: Final = re.compile(r"^(?:crash|dump|minidump|coredump)", re.IGNORECASE)
_CORE: Final = re.compile(r"^(?:core\.\d+|hs_err_pid\d+\.log)$")
MOST_NAMED: Final = 40  #: of one sort


def sort_of(path: str, ending: str | None = None) -> Sort:
    """What a file is taken for, by its name and the folders that it is in. `ending` is that of its name, if it is known."""
    folder, _, name = path.rpartition("/")
    suffix = ending_of(path) if ending is None else ending
    in_crashes, in_logs = _in_folders(folder)
    may_be_log = suffix in ("", ".txt", ".log") or suffix[1:].isdigit()
    if suffix in _CRASHES or in_crashes or (may_be_log and _CORE.match(name)):
        return Sort.CRASH
    if may_be_log and (_LOG.search(name) or (in_logs and suffix in (".txt", ""))):
        return Sort.LOG
    if suffix in _DATABASES:
        return Sort.DATABASE
    if suffix in _SCRIPTS:
        return Sort.SCRIPT
    return Sort.SETTINGS if suffix in _SETTINGS else Sort.OTHER


@lru_cache(maxsize=1024)
def _in_folders(path: str) -> tuple[bool, bool]:
    """One of the folders is for crashes, or for logs."""
    folders = path.split("/")
    return any(map(_CRASH_FOLDER.match, folders)), any(map(_LOG_FOLDER.match, folders))


@dataclass(frozen=True, slots=True)
class Discovery:
    """What was seen, by what it is taken for. `roots` are folders that may be the game's own, the most likely first.

    Of each sort at most `MOST_NAMED` files are named; `counts` counts all.
    """

    counts: Mapping[Sort, int]
    named: Mapping[Sort, Sequence[str]]
    log_folders: tuple[str, ...]
    crash_folders: tuple[str, ...]
    roots: tuple[str, ...] = field(default=())


def discover(files: Iterable[SeenFile], folders: Iterable[str] = ()) -> Discovery:
    """Sort files and folders by what they look like."""
    by_sort: dict[Sort, list[str]] = {sort: [] for sort in Sort}
    listed = sorted(files)
    for file in listed:
        by_sort[sort_of(file.path)].append(file.path)
    by_sort[Sort.SCRIPT].sort(key=lambda path: (not _STARTS.search(PurePosixPath(path).name), path.count("/"), path))
    by_sort[Sort.SETTINGS].sort(key=lambda path: (path.count("/"), path))
    every = {*folders, *(str(parent) for file in listed for parent in PurePosixPath(file.path).parents)} - {"."}
    return Discovery(
        {sort: len(paths) for sort, paths in by_sort.items()},
        {sort: tuple(paths[:MOST_NAMED]) for sort, paths in by_sort.items()},
        tuple(sorted(one for one in every if _LOG_FOLDER.match(PurePosixPath(one).name)))[:MOST_NAMED],
        tuple(sorted(one for one in every if _CRASH_FOLDER.match(PurePosixPath(one).name)))[:MOST_NAMED],
        _roots(by_sort),
    )


def _roots(by_sort: Mapping[Sort, Sequence[str]]) -> tuple[str, ...]:
    """Folders that hold a script which may start a game and the more settings the better; the top one is the empty path."""
    weight: Counter[str] = Counter()
    for path in by_sort[Sort.SETTINGS]:
        for parent in PurePosixPath(path).parents:
            weight["" if str(parent) == "." else str(parent)] += 1
    starts = {
        "" if str(PurePosixPath(path).parent) == "." else str(PurePosixPath(path).parent)
        for path in by_sort[Sort.SCRIPT]
        if _STARTS.search(PurePosixPath(path).name)
    }
    likely = [one for one in weight if one in starts]
    return tuple(sorted(likely, key=lambda one: (-weight[one], one.count("/"), one))[:5])
