"""The next free number in a family of ids: `AB-01`, `AB-02` … or plain numbers."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.file_selection import values_at
from zerrit.core.errors import FigureRefused

_ID: Final = re.compile(r"(?P<before>.*?)(?P<number>\d{1,18})(?P<after>\D*)\Z", re.DOTALL)


@dataclass(frozen=True, slots=True)
class FreeNumber:
    """One family, told by what is around the number. `gap` is the lowest free id within it, if there is one.

    `following` is one more than the highest, with as many digits as its siblings have.
    """

    family: str
    taken: int
    following: str
    gap: str


def free_numbers(documents: Mapping[str, Document], addresses: Iterable[str]) -> list[FreeNumber]:
    """The families of ids at these addresses, in the order in which they are met.

    Several addresses are one set of ids: a number that is taken in one file is taken in all.

    Raises AddressInvalid, FigureRefused: nothing is there, or nothing with a number in it.
    """
    families: dict[tuple[str, str], dict[int, int]] = {}
    found = 0
    listed = list(addresses)
    for address in listed:
        for _, node in values_at(address, documents):
            found += 1
            match = _ID.match((node.value or "").strip())
            if match:
                taken = families.setdefault((match["before"], match["after"]), {})
                taken[int(match["number"])] = len(match["number"])
    if not families:
        what = "None of the values there ends in a number." if found else "Nothing is there."
        raise FigureRefused(f"{', '.join(listed)} has no family of numbered ids. {what}")
    return [_free(before, after, taken) for (before, after), taken in families.items()]


def _free(before: str, after: str, taken: Mapping[int, int]) -> FreeNumber:
    lowest, highest = min(taken), max(taken)
    gap = next((number for number in range(lowest, highest) if number not in taken), None)
    digits = min(taken.values())

    def spelled(number: int) -> str:
        return f"{before}{number:0{digits}d}{after}"

    return FreeNumber(
        f"{before}{'0' * digits}{after}", len(taken), spelled(highest + 1), spelled(gap) if gap is not None else ""
    )
