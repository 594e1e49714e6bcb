"""
Read JSON text into nodes: quickly where it is sound, patiently where it is not.

The `json` module gives neither places nor more than one fault, but it is quick to tell that there is no fault.
So sound text goes to `sound.py`, text with comments and superfluous commas to `relaxed.py`, all else to `faulty.py`.
"""

from __future__ import annotations

from zerrit.core.documents.findings import Report
from zerrit.core.documents.json.fast_reader import read_sound
from zerrit.core.documents.json.recovering_reader import read_faulty
from zerrit.core.documents.json.tolerant_reader import read_relaxed
from zerrit.core.documents.node import Node
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.source import Source


def read(source: Source, report: Report, _reading: Reading) -> Node:
    """Read the text; the root node is its one value."""
    return read_sound(source) or read_relaxed(source, report) or read_faulty(source, report)
