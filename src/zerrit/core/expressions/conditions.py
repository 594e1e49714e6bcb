"""
The small language of conditions in gamebooks: `sum(count) <= 400`, `least <= most and most > 0`.

A gamebook may come from a stranger, so a condition is data: it is parsed with Python's own grammar (its `ast`,
which runs nothing), every node outside a short list is refused, and the rest becomes functions of ours, once, since
a condition is worked out for every entry of a long file. Numbers are exact decimals.
"""

from __future__ import annotations

import ast
import operator
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from decimal import Decimal, DecimalException
from functools import lru_cache
from typing import Any, Final, Protocol

from zerrit.core.documents.measures import Declared, Measure, Measured, MeasuredText, reckoned
from zerrit.core.documents.scalars import as_number, as_switch

MAX_LENGTH: Final = 500
MAX_DEPTH: Final = 60  #: parts in parts; each takes a place on Python's stack while it is worked out
Value = Decimal | str | bool


class Fields(Protocol):
    """All values of each field of one entry, as they are written; a mapping will do."""

    def get(self, name: str, otherwise: Sequence[str], /) -> Sequence[str]: ...


Part = Callable[[Fields], Any]


class _Amount(Decimal):
    """The number of a quantity, which is still equal to the words that it is written with."""

    text: str

    def __new__(cls, number: Decimal, text: str) -> _Amount:
        own = super().__new__(cls, number)
        own.text = text
        return own


def _are_equal(one: Any, other: Any) -> bool:
    """Whether two values are the same; a number in quotation marks is that number."""
    if isinstance(one, str) and isinstance(other, Decimal):
        one, other = other, one
    if isinstance(one, Decimal) and isinstance(other, str):
        return getattr(one, "text", None) == other or one == as_number(other)
    return bool(one == other)


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
    ast.Eq: _are_equal,
    ast.NotEq: lambda one, other: not _are_equal(one, other),
}
#: Functions of a field: of all the values that an entry has of it.
_OF_FIELDS: Final[dict[str, str]] = {
    "sum": "the sum of its values; of ranges the sum of their upper ends",
    "min": "the smallest of its values; of a range its lower end",
    "max": "the largest of its values; of a range its upper end",
    "count": "how many values it has; 0 where it is absent",
    "has": "whether it is there",
    "is_on": "whether it is a switch that is on (yes, on, true, 1)",
}
#: Functions of any value.
_OF_VALUES: Final[dict[str, tuple[str, Callable[[Any], Any]]]] = {
    "abs": ("a number without its sign", lambda value: abs(_decimal(value))),
    "round": ("the nearest whole number, halves to the even one", lambda value: _decimal(value).quantize(Decimal(1))),
    "length": ("how many characters a word has", lambda value: Decimal(len(_word(value)))),
    "lower": ("a word in small letters", lambda value: _word(value).lower()),
}
_CLAMP: Final = "clamp"
FUNCTIONS: Final[dict[str, str]] = {
    **_OF_FIELDS,
    **{name: says for name, (says, _) in _OF_VALUES.items()},
    _CLAMP: "the first number, but not below the second and not above the third: `clamp(want * 2, 1, 40)`",
}
_ALLOWED: Final = (
    ast.Expression, ast.BoolOp, ast.And, ast.Or, ast.UnaryOp, ast.Not, ast.USub, ast.BinOp, ast.Compare, ast.Name,
    ast.Load, ast.Constant, ast.Call, *_ARITHMETIC, *_COMPARISON,
)  # fmt: skip


class ExpressionInvalid(ValueError):
    """The text is not a condition of this language, or cannot be worked out for these values."""


class NotApplicable(Exception):
    """A field that the condition needs is not there, or is not a number where one is needed."""


@dataclass(frozen=True, slots=True)
class Expression:
    """A parsed condition. `names` are the fields that it speaks of."""

    text: str
    names: frozenset[str]
    work_out: Part

    def holds(self, fields: Fields) -> bool:
        """Whether the condition is true for an entry.

        Raises NotApplicable: a field is absent. ExpressionInvalid: a division by zero, numbers against words.
        """
        try:
            return bool(self.work_out(fields))
        except (DecimalException, ZeroDivisionError) as error:
            raise ExpressionInvalid(f"`{self.text}` divides by zero or leaves the range of numbers.") from error
        except TypeError as error:
            raise ExpressionInvalid(f"`{self.text}` compares or reckons a number with a word.") from error

    def __str__(self) -> str:
        return self.text


def worked_out(part: str, fields: Fields) -> str:
    """The value of an expression over the fields of an entry, for a message; the part in braces where it has none."""
    own = fields.get(part, ())
    if len(own) == 1 and isinstance(own[0], MeasuredText):
        return str(own[0])
    try:
        result = parse_expression(part).work_out(fields)
    except (NotApplicable, ExpressionInvalid, DecimalException, ZeroDivisionError, TypeError):
        return "{" + part + "}"
    return format(result.normalize(), "f") if isinstance(result, Decimal) else str(result)


@lru_cache(maxsize=4096)
def parse_expression(text: str) -> Expression:
    """Parse a condition.

    Raises ExpressionInvalid: it is too long, holds something that the language does not have, or divides by a zero
    that is in it.
    """
    if len(text) > MAX_LENGTH:
        raise ExpressionInvalid(f"a condition has at most {MAX_LENGTH} characters")
    try:
        tree = ast.parse(text.strip(), mode="eval")
    except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
        raise ExpressionInvalid(f"`{text}` is not a condition; write for example `least <= most`") from error
    for node in ast.walk(tree):
        if not isinstance(node, _ALLOWED):
            raise ExpressionInvalid(f"`{text}` holds something that conditions do not have ({type(node).__name__})")
        if isinstance(node, ast.Constant) and (
            isinstance(node.value, bool) or not isinstance(node.value, int | float | str)
        ):
            raise ExpressionInvalid(f"`{text}` holds a value that is neither a number nor a word in quotes")
        if isinstance(node, ast.Call):
            _check_call(node, text)
    if _depth(tree) > MAX_DEPTH:
        raise ExpressionInvalid(f"`{text[:60]}…` is nested too deeply")
    functions = {id(node.func) for node in ast.walk(tree) if isinstance(node, ast.Call)}
    names = frozenset(n.id for n in ast.walk(tree) if isinstance(n, ast.Name) and id(n) not in functions)
    _check_divisions(tree, text)
    return Expression(text.strip(), names, _compiled(tree.body))


def _depth(tree: ast.AST) -> int:
    depth, layer = 0, [tree]
    while layer:
        depth += 1
        layer = [child for node in layer for child in ast.iter_child_nodes(node) if isinstance(child, ast.expr)]
    return depth


def _check_call(node: ast.Call, text: str) -> None:
    name = node.func.id if isinstance(node.func, ast.Name) else ""
    if name == _CLAMP and len(node.args) == 3 and not node.keywords:
        return
    if name == _CLAMP:
        raise ExpressionInvalid(f"`{text}`: clamp is of three numbers, such as clamp(want * 2, 1, 40)")
    if name not in FUNCTIONS or len(node.args) != 1 or node.keywords:
        raise ExpressionInvalid(
            f"`{text}`: the functions are {', '.join(FUNCTIONS)}, each of one thing, such as sum(amount); clamp is of three"
        )
    if name in _OF_FIELDS and not isinstance(node.args[0], ast.Name):
        raise ExpressionInvalid(f"`{text}`: {name} is of a field, such as {name}(amount)")


def _check_divisions(tree: ast.Expression, text: str) -> None:
    """A divisor made of numbers only must not be zero."""
    for node in ast.walk(tree):
        if not (isinstance(node, ast.BinOp) and isinstance(node.op, ast.Div | ast.Mod)):
            continue
        if any(isinstance(below, ast.Name | ast.Call) for below in ast.walk(node.right)):
            continue
        try:
            is_zero = not _compiled(node.right)({})
        except (DecimalException, ZeroDivisionError, TypeError):
            is_zero = True
        if is_zero:
            raise ExpressionInvalid(f"`{text}` divides by zero")


# --- from the tree to functions ---------------------------------------------------------------------------------------


def _compiled(node: ast.expr) -> Part:
    match node:
        case ast.Constant(value=value):
            constant = value if isinstance(value, str) else Decimal(str(value))
            return lambda _: constant
        case ast.Name(id=name):
            return lambda fields: _single(name, fields)
        case ast.Call(args=[value, low, high]):
            parts_of = [_compiled(part) for part in (value, low, high)]
            return lambda fields: _clamped(*(_decimal(part(fields)) for part in parts_of))
        case ast.Call(func=ast.Name(id=function), args=[argument]):
            if isinstance(argument, ast.Name) and function in _OF_FIELDS:
                return _of_field(function, argument.id)
            inner, work = _compiled(argument), _OF_VALUES[function][1]
            return lambda fields: work(inner(fields))
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            inner = _compiled(operand)
            return lambda fields: not inner(fields)
        case ast.UnaryOp(operand=operand):
            inner = _compiled(operand)
            return lambda fields: -inner(fields)
        case ast.BinOp(left=left, op=op, right=right):
            work_two, one, other = _ARITHMETIC[type(op)], _compiled(left), _compiled(right)
            return lambda fields: work_two(one(fields), other(fields))
        case ast.BoolOp(op=ast.And(), values=values):
            parts = [_compiled(value) for value in values]
            return lambda fields: all(part(fields) for part in parts)
        case ast.BoolOp(values=values):
            parts = [_compiled(value) for value in values]
            return lambda fields: any(part(fields) for part in parts)
        case ast.Compare(left=left, ops=ops, comparators=comparators):
            return _chain(
                _compiled(left), [(_COMPARISON[type(o)], _compiled(c)) for o, c in zip(ops, comparators, strict=True)]
            )
    raise AssertionError("parse_expression admits no other node")


def _clamped(number: Decimal, low: Decimal, high: Decimal) -> Decimal:
    return max(low, min(number, high))


def _chain(first: Part, references: list[tuple[Callable[[Any, Any], bool], Part]]) -> Part:
    if len(references) == 1:
        compare, second = references[0]
        return lambda fields: compare(first(fields), second(fields))

    def compare_all(fields: Fields) -> bool:
        before = first(fields)
        for compare, part in references:
            after = part(fields)
            if not compare(before, after):
                return False
            before = after
        return True

    return compare_all


def _of_field(function: str, name: str) -> Part:
    match function:
        case "sum":
            return lambda fields: sum((one.high for one in _measured(name, fields)), Decimal(0))
        case "min":
            return lambda fields: min(min(one.low, one.high) for one in _measured(name, fields))
        case "max":
            return lambda fields: max(max(one.low, one.high) for one in _measured(name, fields))
        case "count":
            return lambda fields: Decimal(len(fields.get(name, ())))
        case "has":
            return lambda fields: bool(fields.get(name, ()))
    return lambda fields: _switch(name, fields)


def _single(name: str, fields: Fields) -> Value:
    values = fields.get(name, ())
    if len(values) > 1:
        raise ExpressionInvalid(f"`{name}` has several values in one entry; use sum({name}), min, max or count.")
    if not values:
        raise NotApplicable
    number = as_number(values[0])
    if number is not None or not isinstance(values[0], MeasuredText):
        return values[0] if number is None else number
    _require_one_unit(name, values)
    found = reckoned(values[0])
    if found is None:
        raise NotApplicable  # that it is no range or quantity of its unit is said of the field
    if found.is_range:
        raise ExpressionInvalid(f"`{name}` is a range; use min({name}) or max({name}).")
    return _Amount(found.high, values[0])


def _switch(name: str, fields: Fields) -> bool:
    values = fields.get(name, ())
    if not values:
        raise NotApplicable
    return bool(as_switch(values[0]))


def _require_one_unit(name: str, values: Sequence[str]) -> None:
    if any(isinstance(value, MeasuredText) and value.declared == Declared(Measure.QUANTITY) for value in values):
        raise ExpressionInvalid(
            f"`{name}` may have several units; name its only one, as in `units: [s]`, to reckon with it."
        )


def _measured(name: str, fields: Fields) -> list[Measured]:
    values = fields.get(name, ())
    _require_one_unit(name, values)
    found = [one for value in values if (one := reckoned(value)) is not None]
    if not found:
        raise NotApplicable
    return found


def _decimal(value: Any) -> Decimal:
    if not isinstance(value, Decimal):
        raise TypeError
    return value


def _word(value: Any) -> str:
    return format(value, "f") if isinstance(value, Decimal) else str(value)
