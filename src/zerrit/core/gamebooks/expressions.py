"""
The small language of conditions in gamebooks: `sum(holds) <= 400`, `least <= holds and holds > 0`.

A gamebook may come from a stranger, so a condition is data: it is parsed with Python's own grammar (its `ast`,
which runs nothing), every node outside a short list is refused, and the rest is evaluated here. Numbers are
exact decimals.
"""

from __future__ import annotations

import ast
import operator
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, DecimalException
from typing import Any, Final

from zerrit.core.documents.scalars import as_number

MAX_LENGTH: Final = 500
Value = Decimal | str | bool
Fields = Mapping[str, Sequence[str]]  #: all values of each field of one entry

_ARITHMETIC: Final[dict[type[ast.operator], Callable[[Any, Any], Any]]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.Mod: operator.mod,
}
_COMPARISON: Final[dict[type[ast.cmpop], Callable[[Any, Any], bool]]] = {
    ast.Lt: operator.lt,
    ast.LtE: operator.le,
    ast.Gt: operator.gt,
    ast.GtE: operator.ge,
    ast.Eq: operator.eq,
    ast.NotEq: operator.ne,
}
_FOLDS: Final[dict[str, Callable[[list[Decimal]], Decimal]]] = {
    "sum": lambda values: sum(values, Decimal(0)),
    "min": min,
    "max": max,
    "count": lambda values: Decimal(len(values)),
}
_ALLOWED: Final = (
    ast.Expression, ast.BoolOp, ast.And, ast.Or, ast.UnaryOp, ast.Not, ast.USub, ast.BinOp, ast.Compare, ast.Name,
    ast.Load, ast.Constant, ast.Call, *_ARITHMETIC, *_COMPARISON,
)  # fmt: skip


class ExpressionInvalid(ValueError):
    """The text is no condition of this language, or cannot be worked out for these values."""


class NotApplicable(Exception):
    """A field that the condition needs is not there, or is no number where one is needed."""


@dataclass(frozen=True, slots=True)
class Expression:
    """A parsed condition."""

    text: str
    tree: ast.expr

    def holds(self, fields: Fields) -> bool:
        """Whether the condition is true for an entry.

        Raises NotApplicable: a field is absent. ExpressionInvalid: a division by zero, numbers against words.
        """
        try:
            return bool(_evaluate(self.tree, fields))
        except DecimalException as error:
            raise ExpressionInvalid(f"`{self.text}` divides by zero or leaves the range of numbers.") from error
        except TypeError as error:
            raise ExpressionInvalid(f"`{self.text}` compares or reckons a number with a word.") from error

    def value(self, part: str, fields: Fields) -> str:
        """The value of another expression over the same fields, for messages; the part itself where it has none."""
        try:
            result = _evaluate(parse_expression(part).tree, fields)
        except (NotApplicable, ExpressionInvalid, DecimalException, TypeError):
            return "{" + part + "}"
        return format(result.normalize(), "f") if isinstance(result, Decimal) else str(result)

    @property
    def names(self) -> frozenset[str]:
        """The fields that it speaks of."""
        return frozenset(n.id for n in ast.walk(self.tree) if isinstance(n, ast.Name) and n.id not in _FOLDS)


def parse_expression(text: str) -> Expression:
    """Parse a condition.

    Raises ExpressionInvalid: it is too long, or holds something that the language does not have.
    """
    if len(text) > MAX_LENGTH:
        raise ExpressionInvalid(f"a condition has at most {MAX_LENGTH} characters")
    try:
        tree = ast.parse(text.strip(), mode="eval")
    except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
        raise ExpressionInvalid(f"`{text}` is no condition; write for example `least <= holds`") from error
    for node in ast.walk(tree):
        if not isinstance(node, _ALLOWED):
            raise ExpressionInvalid(f"`{text}` holds something that conditions do not have ({type(node).__name__})")
        if isinstance(node, ast.Constant) and (
            isinstance(node.value, bool) or not isinstance(node.value, int | float | str)
        ):
            raise ExpressionInvalid(f"`{text}` holds a value that is neither a number nor a word in quotes")
        if isinstance(node, ast.Call):
            _check_call(node, text)
    return Expression(text.strip(), tree.body)


def _check_call(node: ast.Call, text: str) -> None:
    is_fold = isinstance(node.func, ast.Name) and node.func.id in _FOLDS
    if not is_fold or len(node.args) != 1 or node.keywords or not isinstance(node.args[0], ast.Name):
        raise ExpressionInvalid(
            f"`{text}`: the functions are {', '.join(_FOLDS)}, each of one field, such as sum(holds)"
        )


def _evaluate(node: ast.expr, fields: Fields) -> Any:
    match node:
        case ast.Constant(value=value):
            return value if isinstance(value, str) else Decimal(str(value))
        case ast.Name(id=name):
            return _single(name, fields)
        case ast.Call(func=ast.Name(id=function), args=[ast.Name(id=name)]):
            return _FOLDS[function](_numbers(name, fields))
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return not _evaluate(operand, fields)
        case ast.UnaryOp(operand=operand):
            return -_evaluate(operand, fields)
        case ast.BinOp(left=left, op=op, right=right):
            return _ARITHMETIC[type(op)](_evaluate(left, fields), _evaluate(right, fields))
        case ast.BoolOp(op=ast.And(), values=values):
            return all(_evaluate(value, fields) for value in values)
        case ast.BoolOp(values=values):
            return any(_evaluate(value, fields) for value in values)
        case ast.Compare(left=left, ops=ops, comparators=comparators):
            before = _evaluate(left, fields)
            for comparison, comparator in zip(ops, comparators, strict=True):
                after = _evaluate(comparator, fields)
                if not _COMPARISON[type(comparison)](before, after):
                    return False
                before = after
            return True
    raise AssertionError("parse_expression admits no other node")


def _single(name: str, fields: Fields) -> Value:
    values = fields.get(name, ())
    if len(values) > 1:
        raise ExpressionInvalid(f"`{name}` has several values in one entry; use sum({name}), min, max or count.")
    if not values:
        raise NotApplicable
    number = as_number(values[0])
    return values[0] if number is None else number


def _numbers(name: str, fields: Fields) -> list[Decimal]:
    numbers = [number for value in fields.get(name, ()) if (number := as_number(value)) is not None]
    if not numbers:
        raise NotApplicable
    return numbers
