"""Gamebooks: what is known of one game's files."""

from zerrit.core.gamebooks.expressions import Expression, ExpressionInvalid, parse_expression
from zerrit.core.gamebooks.gamebook import Gamebook, read_gamebook
from zerrit.core.gamebooks.schema import (
    DerivedRules,
    DrawRules,
    EntryRules,
    FieldRules,
    FileRules,
    ListSource,
    RangeAt,
)

__all__ = [
    "DerivedRules",
    "DrawRules",
    "EntryRules",
    "Expression",
    "ExpressionInvalid",
    "FieldRules",
    "FileRules",
    "Gamebook",
    "ListSource",
    "RangeAt",
    "parse_expression",
    "read_gamebook",
]
