"""Checks: findings from files and a gamebook."""

from zerrit.core.checks.checker import Checked, check, check_files_of
from zerrit.core.checks.effects import Effect, effects, looks
from zerrit.core.checks.references import Reference, References, references_of
from zerrit.core.checks.rule_samples import Sample, samples_of
from zerrit.core.checks.rule_statistics import RuleStatistic, rule_in_words, statistics_of, value_in_words
from zerrit.core.checks.rules_of_place import rules_of_place
from zerrit.core.examination.check_context import Examination, Unknown
from zerrit.core.examination.game_files import Documents, Files, Query, QueryRefused, gather_files, touched
from zerrit.core.examination.word_lists import words_of

__all__ = [
    "Checked",
    "Documents",
    "Effect",
    "Examination",
    "Files",
    "Query",
    "QueryRefused",
    "Reference",
    "References",
    "RuleStatistic",
    "Sample",
    "Unknown",
    "check",
    "check_files_of",
    "effects",
    "gather_files",
    "looks",
    "references_of",
    "rule_in_words",
    "rules_of_place",
    "samples_of",
    "statistics_of",
    "touched",
    "value_in_words",
    "words_of",
]
