"""
Findings: what a reader or a check has to say about one place in a file.

What each code means, and its usual severity, is in `codes.py`.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field
from itertools import islice
from typing import Final, Protocol

from zerrit.core.documents.code import Severity
from zerrit.core.documents.codes import CODES
from zerrit.core.documents.source import Source, Splice


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that a check reports. `line` and `column` are 1-based; 0 means the file as a whole.

    `hint` says what to do; where there is one likely way, `fix` does it. Whether that is safe is decided by
    `zerrit.core.documents.fixes` alone. `rule` is the id of the gamebook's rule that
    it comes from, and `reason` the experience behind that rule.
    """

    code: str
    severity: Severity
    message: str
    path: str
    line: int = 0
    column: int = 0
    address: str = ""
    hint: str = ""
    fix: Splice | None = None
    rule: str = ""
    reason: str = ""

    @property
    def identity(self) -> tuple[str, str, str]:
        """By what it is known again in another version of its file: never by a line or another number of a place.

        An entry added above moves old findings down without making them new. Several findings can share an identity;
        `known_again` counts them.
        """
        return self.code, _unnumbered(self.address or self.path), _unnumbered(self.message)

    @property
    def blocks(self) -> bool:
        return self.severity is Severity.ERROR


_NUMBERED: Final = re.compile(r"\b(lines?|columns?) \d[\d,]*|\[#\d+\]")


def _unnumbered(text: str) -> str:
    """The text without the numbers of lines, columns and items."""
    return _NUMBERED.sub(lambda match: f"{match.group(1)} #" if match.group(1) else "[#]", text)


def known_again(old: Iterable[Finding], new: Iterable[Finding], *, by_severity: bool = False) -> list[bool]:
    """For each new finding whether it is one of the old ones. Each old one is met once, so one more of a kind is new.

    With `by_severity` one that is graver or milder than it was is another one.
    """

    def key(finding: Finding) -> tuple[object, ...]:
        return finding.identity, finding.severity if by_severity else None

    left = Counter(key(finding) for finding in old)
    found = []
    for finding in new:
        is_known = left[key(finding)] > 0
        left[key(finding)] -= is_known
        found.append(is_known)
    return found


class FindingLike(Protocol):
    """What can be shown as a finding: one of the core, or one that the service sent."""

    @property
    def code(self) -> str: ...
    @property
    def severity(self) -> str: ...
    @property
    def message(self) -> str: ...
    @property
    def path(self) -> str: ...
    @property
    def line(self) -> int: ...
    @property
    def column(self) -> int: ...
    @property
    def address(self) -> str: ...
    @property
    def hint(self) -> str: ...
    @property
    def rule(self) -> str: ...
    @property
    def reason(self) -> str: ...


MOST_CHARACTERS: Final = 20  # forbidden characters listed of one file; a binary file has thousands


@dataclass(slots=True)
class Report:
    """Collects the findings of one reading and turns offsets into lines and columns."""

    source: Source
    path: str
    tolerate: frozenset[str] = frozenset()
    findings: list[Finding] = field(default_factory=list)
    is_guessed: bool = False  #: the format is a guess: what does not fit it is a notice only

    #: One broken file can give as many findings as it has lines; no one reads more than the first few hundred.
    MOST: Final = 500

    def alike(self) -> Report:
        """An empty one for another reading of the same text."""
        return Report(self.source, self.path, self.tolerate, is_guessed=self.is_guessed)

    def add(self, code: str, offset: int, message: str, hint: str = "", fix: Splice | None = None) -> None:
        """Note a finding at `offset` (characters, 0-based) with the usual severity of `code`."""
        if len(self.findings) >= self.MOST:
            return
        is_mild = self.is_guessed or code in self.tolerate
        severity = Severity.NOTICE if is_mild else CODES[code].severity
        line, column = self.source.locate(offset)
        self.findings.append(Finding(code, severity, message, self.path, line, column, "", hint, fix))


_SMART: Final = re.compile("[\u201c\u201d\u201e]")


def report_smart_quotes(report: Report, offset: int, value: str) -> None:
    """Note typographic quotation marks in a value that has no plain ones around it."""
    found = _SMART.search(value)
    if found is not None:
        report.add(
            "text.smart-quotes",
            offset,
            f"Typographic quotation marks ({found.group()}) are in this value; most games take them for a part of it.",
            hint='Write " for them.',
        )


def first_of_each_line(findings: Iterable[Finding]) -> list[Finding]:
    """The first finding of each line, in the order in which they were found: what comes after it mostly follows from it."""
    first: dict[int, Finding] = {}
    for finding in findings:
        first.setdefault(finding.line, finding)
    return list(first.values())


def report_characters(report: Report, code: str, pattern: re.Pattern[str], standard: str) -> None:
    """Note the control characters of a text that `standard` does not allow; of a binary file only the first ones."""
    for match in islice(pattern.finditer(report.source.text), MOST_CHARACTERS):
        report.add(
            code,
            match.start(),
            f"A control character (code {ord(match.group())}) is here; {standard} allows none but tab and line end.",
            hint="Remove it.",  # not a safe fix: another character may have stood there
        )


def in_reading_order(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Sort by file, then place, the graver first where two are at one place."""
    return tuple(sorted(findings, key=lambda f: (f.path, f.line, f.column, f.severity.rank, f.code)))
