"""The form that the names of the files in a folder have: `chart_north.json`, `chart_south.json`, `07-reef.xml`."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Final

from zerrit.core.discovery import Sort, sort_of

FEWEST: Final = 5  #: files of one folder, so that their form is not chance
MOST_PARTS: Final = 12
_PARTS: Final = re.compile(r"[0-9]+|[^\W\d_]+|[\W_]", re.UNICODE)
_SIGNS: Final = re.compile(r"([.^$*+?{}\[\]\\|()])")


@dataclass(frozen=True, slots=True)
class NameForm:
    """The names of the files that a path pattern fits, as a regular expression, and of how many files."""

    files: str
    matches: str
    count: int


def name_forms(newest: Iterable[str], past: Iterable[str] = ()) -> Iterator[NameForm]:
    """The forms of the names in each folder, where all files of one ending have it, in all versions.

    A form has to tell something: a part that all names share, or a number. `past` are the files of older versions.
    """
    now, before = _by_folder(newest), _by_folder(past)
    endings: dict[str, set[str]] = defaultdict(set)
    for folder, ending in (*now, *before):
        endings[folder].add(ending)
    for (folder, ending), names in sorted(now.items()):
        form = _form([*names, *before.get((folder, ending), ())]) if len(names) >= FEWEST else ""
        if form:
            # Where all files of a folder have one ending, a file with another one is a slip, too.
            any_ending = "*" if len(endings[folder]) == 1 else f"*{ending}"
            yield NameForm(f"{folder}/{any_ending}", form + escaped(ending), len(names))


def escaped(text: str) -> str:
    """A pattern for a text; only what means something in a pattern is escaped, so that people can read it."""
    return _SIGNS.sub(r"\\\1", text)


def _by_folder(paths: Iterable[str]) -> Mapping[tuple[str, str], list[str]]:
    """Names without their ending, by folder and ending; not those of the top folder, which have nothing in common."""
    found: dict[tuple[str, str], list[str]] = defaultdict(list)
    for path in paths:
        pure = PurePosixPath(path)
        if len(pure.parts) > 1 and pure.suffix and "!" not in path and sort_of(path) not in (Sort.LOG, Sort.CRASH):
            found[str(pure.parent), pure.suffix].append(pure.stem)
    return found


def _form(names: Sequence[str]) -> str:
    """A regular expression for all names; empty where they have no form that tells something."""
    parted = [_PARTS.findall(name) for name in names]
    if len({len(parts) for parts in parted}) != 1 or len(parted[0]) > MOST_PARTS:
        return ""
    columns = [_part(values) for values in zip(*parted, strict=True)]
    tells = any(is_telling for _, is_telling in columns)
    return "".join(pattern for pattern, _ in columns) if tells and all(pattern for pattern, _ in columns) else ""


def _part(values: Sequence[str]) -> tuple[str, bool]:
    """A pattern for one part of all names, and whether that tells something; empty where they have nothing in common."""
    if len(set(values)) == 1:
        return escaped(values[0]), values[0].isalnum()
    if all(re.fullmatch("[0-9]+", value) for value in values):
        length = {len(value) for value in values}
        return (f"[0-9]{{{length.pop()}}}" if len(length) == 1 else "[0-9]+"), True
    if all(value.isalpha() for value in values):
        if all(value.islower() and value.isascii() for value in values):
            return "[a-z]+", False
        if all(value[0].isupper() and value.isascii() for value in values):
            return "[A-Z][A-Za-z]*", False
        return r"[^\W\d_]+", False
    return "", False
