"""The findings of reading a file, each with the address of the entry that it is in."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.findings import Finding
from zerrit.core.documents.lookup import enclosing

MOST_ADDRESSED: Final = 100  # findings of one file that get an address; beyond that no one goes by them


def addressed_findings(document: Document) -> Iterator[Finding]:
    """The findings of reading, each with the address of the entry that it is in."""
    for number, finding in enumerate(document.findings):
        if number >= MOST_ADDRESSED or not finding.line or document.format.traits.line_based:
            yield finding
            continue
        node = enclosing(document, document.source.offset_of(finding.line, finding.column))
        address = document.keys.address_of(node)
        yield replace(finding, address=f"{document.path}#{address}") if address else finding
