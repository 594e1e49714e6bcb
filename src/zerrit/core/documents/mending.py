"""
Apply the sure mends of a document: a missing comma, a closing tag that stands twice, typographic quotation marks.

Some faults come to light only when others are mended; so it goes in rounds, and in between there may be another
fault instead of the one that was mended. What is kept in the end has fewer faults than the beginning, or nothing is.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Final

from zerrit.core.documents.codes import Severity
from zerrit.core.documents.document import Document
from zerrit.core.documents.findings import Finding
from zerrit.core.documents.source import Splice

MOST_ROUNDS: Final = 20


@dataclass(frozen=True, slots=True)
class Mending:
    """The document with its sure mends, and the findings that they put right, in the order of the rounds."""

    document: Document
    mended: tuple[Finding, ...]


def mend(document: Document) -> Mending:
    """Apply every sure mend. The document is the very same when there is none."""
    best = Mending(document, ())
    current = document
    mended: list[Finding] = []
    for _ in range(MOST_ROUNDS):
        chosen = _apart(finding for finding in _faults(current) if finding.mend is not None)
        after, applied = _applied(current, chosen)
        if not applied:
            break
        current = after
        mended += applied
        if len(_faults(current)) < len(_faults(best.document)):
            best = Mending(current, tuple(mended))
    return best


def _faults(document: Document) -> list[Finding]:
    """What is tolerated is no fault, and stays."""
    return [finding for finding in document.findings if finding.severity is not Severity.NOTICE]


def _apart(findings: Iterable[Finding]) -> list[Finding]:
    """Those whose mends do not touch each other, the first of them first."""
    chosen: list[Finding] = []
    end = -1
    for finding in sorted(findings, key=lambda f: (f.mend.start, f.mend.end) if f.mend else (0, 0)):
        if finding.mend is not None and finding.mend.start > end:
            chosen.append(finding)
            end = finding.mend.end
    return chosen


def _applied(document: Document, chosen: Sequence[Finding]) -> tuple[Document, list[Finding]]:
    """All of them at once where that is better, else one by one."""
    after = _with(document, chosen)
    if chosen and _is_better(document, after, chosen):
        return after, list(chosen)
    for finding in chosen:
        after = _with(document, [finding])
        if _is_better(document, after, [finding]):
            return after, [finding]
    return document, []


def _with(document: Document, findings: Iterable[Finding]) -> Document:
    splices: list[Splice] = [finding.mend for finding in findings if finding.mend is not None]
    return document.with_splices(splices)


def _is_better(before: Document, after: Document, mended: Sequence[Finding]) -> bool:
    """What was mended is gone, and no more stands in its place than was there before."""
    old, new = (Counter(finding.code for finding in _faults(document)) for document in (before, after))
    return new.total() <= old.total() and all(new[finding.code] < old[finding.code] for finding in mended)
