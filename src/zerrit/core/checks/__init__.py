"""Checks: findings from files and a gamebook."""

from zerrit.core.checks.changes import touched
from zerrit.core.checks.checking import Checked, check, check_files_of
from zerrit.core.checks.examination import Examination, Unknown, case_mend
from zerrit.core.checks.files import Documents, Files, Query, QueryRefused

__all__ = [
    "Checked",
    "Documents",
    "Examination",
    "Files",
    "Query",
    "QueryRefused",
    "Unknown",
    "case_mend",
    "check",
    "check_files_of",
    "touched",
]
