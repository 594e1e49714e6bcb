"""Where bundles are on a server: paths with `{}` in the place of the name."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import Final

from zerrit.core.documents.slots import PLACE

_ENDING: Final = re.compile(r"\{\}[^/]*\.[^/]+$")


def path_for(pattern: str, name: str) -> str:
    """The path of the bundle with a name."""
    return pattern.replace(PLACE, name)


def is_folder(pattern: str) -> bool:
    """Whether the path is that of a folder: one with an ending behind the name, such as `{}.pak`, is that of a file."""
    return _ENDING.search(pattern) is None


@lru_cache(maxsize=512)
def _matcher(pattern: str) -> re.Pattern[str]:
    before, _, after = pattern.partition(PLACE)
    inside = "/.+" if is_folder(pattern) else ""
    return re.compile(f"{re.escape(before)}([^/]+?){re.escape(after)}{inside}", re.DOTALL)


def name_in(pattern: str, path: str) -> str | None:
    """The name of the bundle that a path belongs to by a pattern; None where it belongs to none."""
    found = _matcher(pattern).fullmatch(path)
    return found.group(1) if found else None


def by_name(pattern: str, paths: Iterable[str]) -> dict[str, list[str]]:
    """The paths that belong to a bundle, by its name."""
    found: dict[str, list[str]] = {}
    for path in paths:
        name = name_in(pattern, path)
        if name is not None:
            found.setdefault(name, []).append(path)
    return found


def moved(path: str, name: str, sources: Sequence[str], targets: Sequence[str]) -> str:
    """A path of the bundle with its folder or file of `sources` replaced by that of `targets`; others stay."""
    for source, target in zip(sources, targets, strict=False):
        base = path_for(source, name)
        if path == base or path.startswith(f"{base}/"):
            return path_for(target, name) + path[len(base) :]
    return path
