"""Checks: findings from documents and a gamebook."""

from zerrit.core.checks.checking import Documents, check
from zerrit.core.checks.lists import words_of

__all__ = ["Documents", "check", "words_of"]
