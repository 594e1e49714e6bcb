"""What a reader is told about a file, and what every reader is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Protocol

from zerrit.core.documents.findings import Report
from zerrit.core.documents.measures import Measures
from zerrit.core.documents.node import Node
from zerrit.core.documents.slots import Slot
from zerrit.core.documents.source import Source


@dataclass(frozen=True, slots=True)
class Reading:
    """What a reader is told about a file; a re-read uses it again.

    `tolerate`: the codes of faults that this game accepts. `keys`: the field that names an entry, by the entry's
    names (`"find": "@name"`). `slots`: the parts that are cut out of a text file, by name. `measures`: which values
    are ranges or quantities, by the names that lead to them. `is_guessed`: the format is, so what does not fit it may be
    a wrong guess and no fault. `is_uncut`: no slots and options are cut out of lines, which stay whole.
    """

    tolerate: frozenset[str] = frozenset()
    keys: Mapping[str, str] = field(default_factory=dict)
    slots: Mapping[str, Slot] = field(default_factory=dict)
    measures: Measures = field(default_factory=Measures)
    is_guessed: bool = False
    is_uncut: bool = False


class FormatReader(Protocol):
    """How a format's module `reader` reads: it never raises, and every node knows its span."""

    def __call__(self, source: Source, report: Report, reading: Reading, /) -> Node: ...
