"""
Three-way merges with a known right answer, by meaning and by lines: ours beside `git merge-file` on the same cases.

The cases are those of the tests (`tests/core/merge/threeway_cases.py`). A result is *right* when it holds exactly what both
sides changed; a *needless conflict* is a conflict where nothing conflicts; *wrong* is a result without a conflict that holds
something else, or a true conflict that was not told.
"""

from __future__ import annotations

import random
import subprocess
import tempfile
from collections import Counter
from pathlib import Path
from typing import Final

from tests.core.merge.threeway_cases import FORMATS, KINDS, Case, as_rendered, is_same, make, model_of, read, render
from zerrit.core.merge import merge_three

SEEDS: Final = 1_300  # times the formats


def cases() -> list[tuple[Case, str, tuple[str, str, str]]]:
    """(case, format, the three texts), 5,200 of them."""
    made: list[tuple[Case, str, tuple[str, str, str]]] = []
    for seed in range(SEEDS):
        chance = random.Random(seed)
        kind = chance.choice(KINDS)
        case = make(chance, kind)
        layouts = chance.choice([(0, 1, 0), (0, 0, 1), (0, 1, 1), (1, 0, 0)]) if kind == "reformat" else (0, 0, 0)
        for form in FORMATS:
            base, mine, theirs = (
                render(side, form, layout)
                for side, layout in zip((case.base, case.mine, case.theirs), layouts, strict=True)
            )
            made.append((case, form, (base, mine, theirs)))
    return made


def by_meaning(case: Case, form: str, texts: tuple[str, str, str]) -> str:
    base, mine, theirs = (read(text, form) for text in texts)
    merged = merge_three(base, mine, theirs)
    return verdict(case, form, merged.document.text, bool(merged.conflicts))


def by_lines(case: Case, form: str, texts: tuple[str, str, str], folder: Path) -> str:
    names = ("mine", "base", "theirs")
    for name, text in zip(names, (texts[1], texts[0], texts[2]), strict=True):
        (folder / name).write_text(text)
    done = subprocess.run(["git", "merge-file", "-p", *names], cwd=folder, capture_output=True, text=True, check=False)
    return verdict(case, form, done.stdout, done.returncode != 0)


def verdict(case: Case, form: str, text: str, has_conflict: bool) -> str:
    if case.conflicts:
        return "right" if has_conflict else "wrong"
    if has_conflict:
        return "needless conflict"
    document = read(text, form)
    try:
        is_right = is_same(model_of(document, form), as_rendered(case.expected, form), form)
        return "right" if document.ok and is_right else "wrong"
    except (AssertionError, KeyError):
        return "wrong"


def measure() -> tuple[Counter[str], Counter[str]]:
    """How many cases came out how: ours, then git's."""
    made = cases()
    ours = Counter(by_meaning(*one) for one in made)
    with tempfile.TemporaryDirectory() as name:
        theirs = Counter(by_lines(*one, Path(name)) for one in made)
    return ours, theirs
