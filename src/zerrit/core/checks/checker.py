"""
Check files against a gamebook.

Every check has one shape, `Check`: it is given an examination and yields findings. A new kind of rule is one more
function in `CHECKS`. A check never raises because of what is in a file.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Final

from zerrit.core.checks.change_checks import check_balance, check_in_use, check_variants
from zerrit.core.checks.check_context import Examination
from zerrit.core.checks.comparison_rules import check_advice, check_alike, check_derived, check_near
from zerrit.core.checks.cross_file_rules import (
    check_agreement,
    check_conditions,
    check_references,
    check_tables,
    check_unique,
)
from zerrit.core.checks.dead_rules import check_idle_rules
from zerrit.core.checks.field_rules import check_files
from zerrit.core.checks.installation_rules import (
    check_file_names,
    check_needs,
    check_one_of,
    check_packed,
    check_presence,
)
from zerrit.core.documents import Finding, in_reading_order
from zerrit.core.documents.addressed_findings import addressed_findings
from zerrit.core.game_files import Documents, Files
from zerrit.core.gamebooks import Gamebook
from zerrit.core.garbage_collection import no_collector

Check = Callable[[Examination], Iterable[Finding]]
CHECKS: Final[tuple[Check, ...]] = (
    check_files,
    check_references,
    check_unique,
    check_agreement,
    check_tables,
    check_conditions,
    check_needs,
    check_one_of,
    check_presence,
    check_file_names,
    check_packed,
    check_alike,
    check_near,
    check_derived,
    check_advice,
    check_balance,
    check_in_use,
    check_variants,
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
) -> Checked:
    """All findings in the files of one state.

    `before`: the documents before the change that is checked, for rules that speak of changes. `earlier`: the check of
    another state of the same files; only what differs from it is worked out again. `uses_plain`: long files are looked at
    without a node for each value, which changes nothing but the time.
    """
    found = [finding for document in files.documents.values() for finding in addressed_findings(document)]
    examination = None
    if gamebook is not None:
        examination = Examination(
            files, gamebook, before, earlier.examination if earlier else None, uses_plain=uses_plain
        )
        with no_collector():
            for one in CHECKS:
                for finding in one(examination):
                    if finding.code == "gamebook.invalid":
                        examination.note(finding)
                    else:
                        found.append(finding)
        found.extend(examination.faults.values())
        examination.forget_earlier()
    return Checked(in_reading_order(found), examination)
