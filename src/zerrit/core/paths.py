"""
Paths of a server's files: always relative, with `/`, below the server's folder.

Every path that comes from outside (a step, an archive, a listing) passes `safe_path` before anything is done at it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from pathlib import PurePosixPath
from typing import Final

from zerrit.core.errors import PathRefused
from zerrit.core.wildcards import path_matches

#: An empty part, `.` or `..`; a backslash or a character that is not printed; the letter of a drive.
_BAD: Final = re.compile(r"(?:\A|/)\.{0,2}(?:/|\Z)|[\\\x00-\x1f\x7f]|\A.:", re.DOTALL)


def safe_path(path: str) -> str:
    """The path itself, when it stays inside the server's folder.

    Raises PathRefused: it is absolute, climbs with `..`, or holds characters that a server could take for a command.
    """
    if _BAD.search(path):
        raise PathRefused(f"`{path[:120]!s}` leaves the server's folder or is not a file name; such a path is refused.")
    return path


#: What is between the path of a packed file and the path of a file in it.
INSIDE = "!/"


_PACK: Final = re.compile(r"((?:[^/]+/)*?[^/]*\.[A-Za-z0-9]+)!/", re.DOTALL)


def pack_of(path: str) -> str:
    """The packed file that a path is inside of, such as `maps.zip` of `maps.zip!/north.xml`; empty for a file of its own.

    A folder that is called `Mods!` is a folder: only what has an ending before the `!` is a packed file.
    """
    if INSIDE not in path:
        return ""
    found = _PACK.match(path)
    return found.group(1) if found is not None else ""


def ending_of(path: str) -> str:
    """The ending of a file's name in lower case, with its dot; empty for `.env` and other names that only begin with one."""
    name = path.rpartition("/")[2]
    at = name.rfind(".")
    return name[at:].lower() if 0 < at < len(name) - 1 else ""


def file_stems(pattern: str, paths: Iterable[str]) -> list[str]:
    """The names, without their ending, of the files that fit a pattern."""
    return [PurePosixPath(path).stem for path in paths if path_matches(pattern, path)]


def folder_names(pattern: str, paths: Iterable[str]) -> list[str]:
    """The names of the folders that fit a pattern; a folder is there when a file is in it."""
    folders = dict.fromkeys(folder for path in paths for folder in list(PurePosixPath(path).parents)[:-1])
    return [folder.name for folder in folders if path_matches(pattern, str(folder))]


def folders_of(paths: Iterable[str]) -> set[str]:
    """Every folder that one of the paths is in."""
    found: set[str] = set()
    for path in paths:
        above = path.rpartition("/")[0]
        while above and above not in found:  # those above a known one are known
            found.add(above)
            above = above.rpartition("/")[0]
    return found


def name_matches(pattern: str, path: str) -> bool:
    """Whether a file fits a pattern in any letter case: by its name alone, or by its path where the pattern has a `/`."""
    name = path if "/" in pattern else path.rpartition("/")[2]
    return path_matches(pattern.casefold(), name.casefold())


def fixed_folder(pattern: str) -> str:
    """The folder that every path that fits a pattern is in; empty for the server's own folder."""
    folder = re.split(r"[*?]", pattern, maxsplit=1)[0].rpartition("/")[0]
    return folder if folder != pattern else folder.rpartition("/")[0]
