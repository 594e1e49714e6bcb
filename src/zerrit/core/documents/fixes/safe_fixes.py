"""
Apply the safe fixes of a document.

The readers propose a repair wherever they have an idea. A proposal is safe only where

* the text without it is certainly wrong: a parser that is not ours refuses it, in a language that the file certainly has;
* all proposals together give a sound file, by that parser and by our reader;
* no other repair of the same kind gives a sound file with another content (`other_repairs`), unless the siblings of the
  entry show the true form (`siblings`);
* every value on other lines is what it was.

Otherwise nothing is offered, and the findings name their places.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from zerrit.core.documents.code import Severity
from zerrit.core.documents.document import Document
from zerrit.core.documents.findings import Finding
from zerrit.core.documents.fixes.other_repairs import has_other_repair
from zerrit.core.documents.fixes.siblings import follows_siblings
from zerrit.core.documents.fixes.strict_readers import StrictIni, StrictJson, StrictReading, StrictXml, StrictYaml
from zerrit.core.documents.format import Format
from zerrit.core.documents.source import Splice, splice

MOST_ROUNDS: Final = 20  # some faults come to light only when others are fixed
MOST_FIXES: Final = 40  # of one file; where more is wrong, it is not a slip


@dataclass(frozen=True, slots=True)
class Fixed:
    """The document with its safe fixes, and the findings that they remove, in the order of the text."""

    document: Document
    findings: tuple[Finding, ...]


def safe_fixes(document: Document) -> Fixed:
    """Apply every safe fix. The document is the very same when there is none."""
    nothing = Fixed(document, ())
    reading = _strict_reading(document)
    if reading is None or not any(_is_proposed(finding) for finding in document.findings):
        return nothing
    if reading.data(document.text) is not None:
        return nothing  # not certainly wrong
    for at_once in (True, False):
        found = _repaired(document, reading, at_once=at_once)
        if found is not None:
            fixed, splices = found
            return fixed if _is_safe(document, reading, fixed.document, splices) else nothing
    return nothing


def _strict_reading(document: Document) -> StrictReading | None:
    """The language that the file certainly has."""
    tolerate = document.reading.tolerate
    start = document.text.lstrip(" \t\r\n\ufeff")[:1]
    match document.format:
        case Format.JSON:
            return StrictJson(tolerate) if start in ("{", "[", "/") else None
        case Format.XML:
            return StrictXml() if start == "<" else None
        case Format.YAML:
            return StrictYaml()
        case Format.INI:
            reading = StrictIni()
            touched = {finding.line - 1 for finding in document.findings if finding.severity is Severity.ERROR}
            return reading if reading.is_certain(document.text, touched) else None
        case _:
            return None  # for the others there is no parser here that could vouch for a repair


def _is_proposed(finding: Finding) -> bool:
    return finding.fix is not None and finding.severity is not Severity.NOTICE


# --- the proposals together -------------------------------------------------------------------------------------------


def _repaired(document: Document, reading: StrictReading, *, at_once: bool) -> tuple[Fixed, tuple[Splice, ...]] | None:
    """The document with its proposals applied until it is sound, and what that changes in the text as it was."""
    current = document
    splices: tuple[Splice, ...] = ()
    done: list[Finding] = []
    for _ in range(MOST_ROUNDS if at_once else MOST_FIXES):
        chosen = _apart(current.findings)[: None if at_once else 1]
        if not chosen or len(done) + len(chosen) > MOST_FIXES:
            return None
        for finding in reversed(chosen):  # the last first, so that the places of the others stay
            if finding.fix is not None:
                added = _in_original(splices, finding.fix)
                if added is None:
                    return None
                splices = added
        done += chosen
        current = document.with_text(splice(document.text, splices))
        if reading.data(current.text) is not None and current.ok:
            return Fixed(current, tuple(done)), splices
    return None


def _apart(findings: Sequence[Finding]) -> list[Finding]:
    """The proposals that do not touch each other, the first of them first."""
    chosen: list[Finding] = []
    end = -1
    for finding in sorted(findings, key=lambda f: (f.fix.start, f.fix.end) if f.fix else (0, 0)):
        if _is_proposed(finding) and finding.fix is not None and finding.fix.start > end:
            chosen.append(finding)
            end = finding.fix.end
    return chosen


def _in_original(splices: tuple[Splice, ...], later: Splice) -> tuple[Splice, ...] | None:
    """`splices`, and `later`, which is given in the text that they make; None where they touch."""
    shift = 0
    for piece in splices:
        begin, end = piece.start + shift, piece.start + shift + len(piece.text)
        if later.end < begin:
            break
        if later.start <= end:
            return None
        shift += len(piece.text) - (piece.end - piece.start)
    moved = Splice(later.start - shift, later.end - shift, later.text)
    return tuple(sorted((*splices, moved), key=lambda each: each.start))


# --- are they safe ----------------------------------------------------------------------------------------------------


def _is_safe(document: Document, reading: StrictReading, fixed: Document, splices: Sequence[Splice]) -> bool:
    if not _other_values_stay(document, fixed, splices):
        return False
    if len(splices) > 1 and has_other_repair(reading, document.text, fixed.text, splices[0]):
        return False  # one slip explains what looks like several
    for index, fix in enumerate(splices):
        others = [piece for number, piece in enumerate(splices) if number != index]
        broken = splice(document.text, others)
        shift = sum(len(piece.text) - (piece.end - piece.start) for piece in others if piece.start < fix.start)
        moved = Splice(fix.start + shift, fix.end + shift, fix.text)
        if reading.data(broken) is not None:
            return False  # sound without this one: not certainly wrong
        if has_other_repair(reading, broken, fixed.text, moved) and not follows_siblings(reading, broken, moved):
            return False
    return True


def _other_values_stay(before: Document, after: Document, splices: Sequence[Splice]) -> bool:
    """Each value on a line that no fix touches is there afterwards."""
    touched = {before.source.line_at(at) for piece in splices for at in range(piece.start, piece.end + 1)}
    kept = Counter(
        (node.name, node.value)
        for node in before.root.walk()
        if node.is_value and not touched & set(_lines(before, node.start, node.end))
    )
    return not kept - Counter((node.name, node.value) for node in after.root.walk() if node.is_value)


def _lines(document: Document, start: int, end: int) -> range:
    return range(document.source.line_at(start), document.source.line_at(end) + 1)
