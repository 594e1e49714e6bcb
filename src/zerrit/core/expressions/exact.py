"""Expressions over numbers, worked out in exact fractions: `value * (1 + tax / 100) + fee`."""

from __future__ import annotations

import ast
import math
from collections.abc import Callable, Mapping
from fractions import Fraction
from functools import lru_cache
from typing import Final

from zerrit.core.expressions.conditions import ExpressionInvalid

Part = Callable[[Mapping[str, Fraction]], Fraction]

FUNCTIONS: Final = ("abs", "round", "floor", "ceiling", "min", "max", "clamp")
_OPERATORS: Final[dict[type[ast.operator], Callable[[Fraction, Fraction], Fraction]]] = {
    ast.Add: lambda one, other: one + other,
    ast.Sub: lambda one, other: one - other,
    ast.Mult: lambda one, other: one * other,
    ast.Div: lambda one, other: one / other,
    ast.Mod: lambda one, other: one % other,
}
_CALLS: Final[dict[str, tuple[int, Callable[..., Fraction]]]] = {
    "abs": (1, abs),
    "round": (1, lambda value: Fraction(math.floor(value + Fraction(1, 2)))),
    "floor": (1, lambda value: Fraction(math.floor(value))),
    "ceiling": (1, lambda value: Fraction(math.ceil(value))),
    "min": (2, min),
    "max": (2, max),
    "clamp": (3, lambda value, low, high: max(low, min(value, high))),
}
MAX_LENGTH: Final = 500


class ExactExpression:
    """A parsed expression over numbers. `names` are those that it speaks of."""

    def __init__(self, text: str, part: Part, names: frozenset[str]) -> None:
        self.text = text
        self.names = names
        self._part = part

    def value(self, numbers: Mapping[str, Fraction]) -> Fraction:
        """The number for these numbers.

        Raises ExpressionInvalid: it divides by zero. KeyError: a number is missing.
        """
        try:
            return self._part(numbers)
        except ZeroDivisionError as error:
            raise ExpressionInvalid(f"`{self.text}` divides by zero") from error


@lru_cache(maxsize=512)
def parse_exact(text: str) -> ExactExpression:
    """Parse an expression over numbers.

    Raises ExpressionInvalid: it is too long, or holds something else than numbers, names, + - * / % and the functions.
    """
    if len(text) > MAX_LENGTH:
        raise ExpressionInvalid(f"an expression has at most {MAX_LENGTH} characters")
    try:
        tree = ast.parse(text.strip(), mode="eval")
    except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
        raise ExpressionInvalid(
            f"`{text}` is not an expression; write for example `value * (1 + tax / 100)`"
        ) from error
    functions = {id(node.func) for node in ast.walk(tree) if isinstance(node, ast.Call)}
    names = frozenset(n.id for n in ast.walk(tree) if isinstance(n, ast.Name) and id(n) not in functions)
    try:
        return ExactExpression(text.strip(), _compiled(tree.body, text), names)
    except RecursionError as error:
        raise ExpressionInvalid(f"`{text[:60]}…` is nested too deeply") from error


def _compiled(node: ast.expr, text: str) -> Part:
    match node:
        case ast.Constant(value=int() | float() as number) if not isinstance(number, bool):
            constant = Fraction(str(number))
            return lambda _: constant
        case ast.Name(id=name):
            return lambda numbers: numbers[name]
        case ast.UnaryOp(op=ast.USub(), operand=operand):
            inner = _compiled(operand, text)
            return lambda numbers: -inner(numbers)
        case ast.BinOp(left=left, op=op, right=right) if type(op) in _OPERATORS:
            work, one, other = _OPERATORS[type(op)], _compiled(left, text), _compiled(right, text)
            return lambda numbers: work(one(numbers), other(numbers))
        case ast.Call(func=ast.Name(id=name), args=arguments, keywords=[]) if name in _CALLS:
            many, work_all = _CALLS[name]
            if len(arguments) != many:
                raise ExpressionInvalid(f"`{text}`: {name} is of {many} numbers")
            parts = [_compiled(argument, text) for argument in arguments]
            return lambda numbers: work_all(*(part(numbers) for part in parts))
    raise ExpressionInvalid(
        f"`{text}` holds something that is not a number, a name, + - * / % or one of {', '.join(FUNCTIONS)}"
    )
