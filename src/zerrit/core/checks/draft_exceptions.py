"""How drafted rules hold in the files of servers: what does not fit stands behind each rule, beside what speaks for it."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Mapping
from typing import Final

from zerrit.core.checks.checker import check_files_of
from zerrit.core.checks.unmeasured_rules import why_unmeasured
from zerrit.core.examination.game_files import gather_files
from zerrit.core.gamebooks import read_gamebook
from zerrit.core.rules.listed import HAS_ERROR
from zerrit.core.wording import counted

_EXCEPTIONS: Final = re.compile(r"\b(\d+) exceptions? in ")
_UNREAD: Final = "not held against "  #: a server on which a file of the rule cannot be read


def exceptions_in(evidence: str) -> int:
    """How many exceptions on servers stand behind a drafted rule; a server on which it was not measured counts as one."""
    return sum(map(int, _EXCEPTIONS.findall(evidence))) + evidence.count(_UNREAD)


def with_exceptions(text: str, servers: Mapping[str, Mapping[str, bytes]]) -> str:
    """A draft with the exceptions that each of its rules has in the files of servers, by their name.

    A rule stays, whatever its exceptions: the files of a server may hold mistakes, which is what the rule is for.
    """
    book, _ = read_gamebook(text.encode())
    if book is None:
        return text
    said: dict[int, list[str]] = defaultdict(list)
    for name, files in servers.items():
        checked = check_files_of(gather_files(files, book), book)
        broken = Counter(one.rule for one in checked.findings if one.rule in book.by_id)
        for rule, places in broken.items():
            said[book.line_of(book.by_id[rule].location)].append(f"{counted(places, 'exception')} in {name}")
        examination = checked.examination
        assert examination is not None  # noqa: S101 (there is a gamebook)
        for placed in book.placed:
            why = why_unmeasured(examination, placed) if placed.says_something else ""
            if why.endswith(HAS_ERROR) and placed.id not in broken:
                said[book.line_of(placed.location)].append(f"{_UNREAD}{name}, where {why}")
    lines = text.split("\n")
    for number, parts in said.items():
        line = lines[number - 1]
        lines[number - 1] = f"{line}{'; ' if '  # ' in line else '  # '}{'; '.join(parts)}"
    return "\n".join(lines)
