"""
Check files against a gamebook.

Every check has one shape, `Check`: it is given an examination and yields findings. How a kind of rule is checked stands in its
own module below `zerrit.core.rules`. A check never raises because of what is in a file.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Final

from zerrit.core.checks.dead_rules import check_idle_rules
from zerrit.core.checks.field_rules import check_files
from zerrit.core.checks.gaining_loops import check_loops
from zerrit.core.checks.known_files import check_known_files, check_logs
from zerrit.core.checks.misspelled_names import with_misspelled_names
from zerrit.core.checks.other_lists import with_other_lists
from zerrit.core.checks.variants import check_variants
from zerrit.core.documents import Finding, in_reading_order
from zerrit.core.documents.addressed_findings import addressed_findings
from zerrit.core.examination.check_context import Examination
from zerrit.core.examination.game_files import Documents, Files
from zerrit.core.gamebooks import Gamebook
from zerrit.core.garbage_collection import no_collector

Check = Callable[[Examination], Iterable[Finding]]


def check_listed_rules(examination: Examination) -> Iterator[Finding]:
    """Every rule that is listed in a part of its own, checked as its kind says."""
    for number, rule in examination.gamebook.rules.listed():
        yield from rule.check(examination, number)


CHECKS: Final[tuple[Check, ...]] = (
    check_files,
    check_listed_rules,
    check_known_files,
    check_logs,
    check_variants,
    check_loops,
    check_idle_rules,
)


@dataclass(frozen=True)
class Checked:
    """What was found, and the examination behind it, from which a later one can take over what is still true."""

    findings: tuple[Finding, ...]
    examination: Examination | None = None


def check(documents: Documents, gamebook: Gamebook | None = None) -> tuple[Finding, ...]:
    """All findings in these documents: those of reading, then those of meaning."""
    return check_files_of(Files(documents), gamebook).findings


def check_files_of(
    files: Files,
    gamebook: Gamebook | None,
    *,
    before: Documents | None = None,
    earlier: Checked | None = None,
    uses_plain: bool = True,
    between: Callable[[], None] | None = None,
) -> Checked:
    """All findings in the files of one state.

    `before`: the documents before the change that is checked, for rules that speak of changes. `earlier`: the check of
    another state of the same files; only what differs from it is worked out again. `uses_plain`: long files are looked at
    without a node for each value, which changes nothing but the time. `between` is called between two parts of the work.
    """
    found = [finding for document in files.documents.values() for finding in addressed_findings(document)]
    examination = None
    if gamebook is not None:
        examination = Examination(
            files, gamebook, before, earlier.examination if earlier else None, uses_plain=uses_plain, between=between
        )
        with no_collector():
            for one in CHECKS:
                for finding in one(examination):
                    if finding.code == "gamebook.invalid":
                        examination.note(finding)
                    elif not examination.is_skipped(finding):
                        found.append(finding)
        found = list(with_misspelled_names(examination, with_other_lists(examination, found)))
        found.extend(examination.faults.values())
        examination.forget_earlier()
        examination.between = None
    return Checked(in_reading_order(found), examination)
