"""What a code of a finding is."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Severity(StrEnum):
    ERROR = "error"  # the game would not read the file, or not as it is meant: blocks
    WARNING = "warning"  # likely a mistake: does not block
    NOTICE = "notice"  # worth knowing

    @property
    def rank(self) -> int:
        """0 for the gravest, so that sorting puts it first."""
        return list(Severity).index(self)


@dataclass(frozen=True, slots=True)
class Code:
    """One kind of finding."""

    severity: Severity
    says: str  #: what it is about, in a sentence
    advice: str  #: what to do, or what to know
    wrong: str  #: a text that has the fault
    right: str  #: the same without it
    path: str = ""  #: the file that the examples are in; empty where the examples are told in words
    gamebook: str = ""  #: the gamebook by which the examples are checked
    may_be_tolerated: bool = True

    @property
    def is_told(self) -> bool:
        """The examples are descriptions, no texts of a file."""
        return not self.path
