"""What a gamebook says in a few words: conditions, regular expressions, addresses with places of an entry in braces."""

from zerrit.core.expressions.conditions import (
    Expression,
    ExpressionInvalid,
    Fields,
    NotApplicable,
    parse_expression,
    worked_out,
)
from zerrit.core.expressions.patterns import PatternInvalid, compile_pattern

__all__ = [
    "Expression",
    "ExpressionInvalid",
    "Fields",
    "NotApplicable",
    "PatternInvalid",
    "compile_pattern",
    "parse_expression",
    "worked_out",
]
