"""How drafted rules hold in the files of servers: what does not fit stands behind each rule, beside what speaks for it."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Mapping
from typing import Final

from zerrit.core.checks.checker import check_files_of
from zerrit.core.examination.game_files import gather_files
from zerrit.core.gamebooks import read_gamebook
from zerrit.core.wording import counted

_EXCEPTIONS: Final = re.compile(r"\b(\d+) exceptions? in ")


def exceptions_in(evidence: str) -> int:
    """How many exceptions on servers stand behind a drafted rule."""
    return sum(map(int, _EXCEPTIONS.findall(evidence)))


def with_exceptions(text: str, servers: Mapping[str, Mapping[str, bytes]]) -> str:
    """A draft with the exceptions that each of its rules has in the files of servers, by their name.

    A rule stays, whatever its exceptions: the files of a server may hold mistakes, which is what the rule is for.
    """
    book, _ = read_gamebook(text.encode())
    if book is None:
        return text
    said: dict[int, list[str]] = defaultdict(list)
    for name, files in servers.items():
        found = check_files_of(gather_files(files, book), book).findings
        broken = Counter(one.rule for one in found if one.rule in book.by_id)
        for rule, places in broken.items():
            said[book.line_of(book.by_id[rule].location)].append(f"{counted(places, 'exception')} in {name}")
    lines = text.split("\n")
    for number, parts in said.items():
        line = lines[number - 1]
        lines[number - 1] = f"{line}{'; ' if '  # ' in line else '  # '}{'; '.join(parts)}"
    return "\n".join(lines)
