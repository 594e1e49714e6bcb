"""What every part of a gamebook is made of, and what every rule may say."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, WithJsonSchema

from zerrit.core.documents.code import Severity
from zerrit.core.expressions import Expression, compile_pattern, parse_expression
from zerrit.core.wildcards import path_matches

FieldKind = Literal["integer", "number", "range", "quantity", "switch", "text"]
TakesEffect = Literal["restart", "reload", "map change", "new world", "rejoin"]
Text = Annotated[str, Field(min_length=1, max_length=2000)]
Name = Annotated[str, Field(min_length=1, max_length=200)]
Place = Annotated[
    str, Field(min_length=1, max_length=200, description="a name, or names separated by `/`, below the entry")
]


def _expression(value: object) -> Expression:
    if isinstance(value, Expression):
        return value
    if isinstance(value, bool) or value is None:
        raise ValueError("a condition is a text, such as `least <= most`")
    return parse_expression(str(value))


def _pattern(value: object) -> object:
    if isinstance(value, str) and value:
        compile_pattern(value)
    return value


def _several(value: object) -> object:
    """A single text stands for a list of one."""
    return (value,) if isinstance(value, str) else value


Condition = Annotated[
    Expression,
    BeforeValidator(_expression),
    WithJsonSchema({"type": "string", "description": "a condition, such as `least <= most`"}),
]
Pattern = Annotated[str, BeforeValidator(_pattern), Field(max_length=1000)]
_TextOrTexts = str | tuple[str, ...]  # what an editor is told may be there
Addresses = Annotated[
    tuple[Text, ...], BeforeValidator(_several, json_schema_input_type=_TextOrTexts), Field(min_length=1)
]
Places = Annotated[
    tuple[Place, ...], BeforeValidator(_several, json_schema_input_type=_TextOrTexts), Field(min_length=1)
]


def _sources(value: object) -> object:
    """Places, addresses and numbers, of which the first that there is counts; a single one stands for a list of one."""
    listed = value if isinstance(value, list | tuple) else (value,)
    return tuple(str(one) if isinstance(one, int | float) and not isinstance(one, bool) else one for one in listed)


Number = int | float | str
Sources = Annotated[
    tuple[Text, ...],
    BeforeValidator(_sources, json_schema_input_type=Number | tuple[Number, ...]),
    Field(description="a number, a place below the entry or an address; of several the first that there is"),
]
Texts = Annotated[tuple[Text, ...], BeforeValidator(_several, json_schema_input_type=_TextOrTexts)]


class Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True, arbitrary_types_allowed=True)


class Rule(Part):
    """What every rule may say."""

    id: str = Field("", max_length=200, description="a name of its own; by default its place in the gamebook")
    severity: Severity | None = Field(None, description="error blocks, warning and notice do not")
    message: str = Field("", max_length=1000, description="the message, with fields or expressions in braces")
    reason: str = Field("", max_length=2000, description="the experience behind it")
    approved: bool = Field(False, description="in a drafted gamebook: a person has read the rule and approved it")
    skip_files: tuple[Name, ...] = Field((), description="path patterns of files that it does not speak of")

    def skips(self, path: str) -> bool:
        """It does not speak of the file."""
        return any(path_matches(pattern, path) for pattern in self.skip_files)
