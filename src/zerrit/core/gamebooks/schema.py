"""
The shape of a gamebook file, version 1.

These models only describe what may stand in the YAML; what follows from it is in
`zerrit.core.gamebooks.gamebook` and the checks. They are frozen, so that the one reading of a gamebook serves
every check of every server.
"""

from __future__ import annotations

import re
from decimal import Decimal
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from zerrit.core.documents.codes import TOLERANCES
from zerrit.core.documents.slots import check_form
from zerrit.core.gamebooks.expressions import Expression, parse_expression

TakesEffect = Literal["restart", "reload", "next-chart", "new-world", "rejoin"]
Text = Annotated[str, Field(min_length=1, max_length=2000)]
Name = Annotated[str, Field(min_length=1, max_length=200)]


class _Rules(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True, arbitrary_types_allowed=True)


class FieldRules(_Rules):
    """What a field of an entry may hold. `at` is its place below the entry; by itself it is the field's own name."""

    at: str = ""
    kind: Literal["integer", "number", "switch", "text"] | None = Field(None, alias="is")
    least: Decimal | None = Field(None, alias="from", description="the smallest number allowed")
    most: Decimal | None = Field(None, alias="to", description="the largest number allowed")
    within: Name | None = Field(None, alias="in", description="the list that holds the allowed words")
    note: str = ""
    takes_effect: TakesEffect | None = None


class MustRule(_Rules):
    """A condition between the fields of one entry; `say` is the message, with fields in braces."""

    that: Expression
    say: str = ""

    @field_validator("that", mode="before")
    @classmethod
    def _parse(cls, value: object) -> Expression:
        return parse_expression(str(value))


class EntryRules(_Rules):
    key: str = ""
    fields: dict[Name, FieldRules] = {}
    must: tuple[MustRule, ...] = ()


class SlotRules(_Rules):
    """A part of a text file that can be addressed: `at` is the text around it, with {} in its place."""

    at: Text
    split: str = Field("", description="what parts the entries of a list; empty for a single value")

    @field_validator("at")
    @classmethod
    def _has_place(cls, at: str) -> str:
        fault = check_form(at)
        if fault:
            raise ValueError(fault)
        return at


class FileRules(_Rules):
    purpose: str = ""
    takes_effect: TakesEffect = "restart"
    tolerate: tuple[str, ...] = ()
    rewritten_at_stop: bool = Field(False, description="the game writes this file by itself when it stops")
    entries: dict[Name, EntryRules] = {}
    slots: dict[Name, SlotRules] = {}

    @field_validator("slots")
    @classmethod
    def _has_own_names(cls, slots: dict[str, SlotRules]) -> dict[str, SlotRules]:
        if "line" in slots:
            raise ValueError("a slot cannot be called `line`, as the lines of the file are")
        return slots

    @field_validator("tolerate")
    @classmethod
    def _known(cls, codes: tuple[str, ...]) -> tuple[str, ...]:
        for code in codes:
            if code not in TOLERANCES:
                raise ValueError(f"`{code}` is no finding that could be tolerated")
        return codes


class ListSource(_Rules):
    """Where the words of a list come from; several sources add up."""

    source: str = Field("", alias="from", description="an address whose values are the words")
    file_names: str = Field("", description="a path pattern; the words are the file names without their ending")
    words: tuple[str, ...] = ()


class ReferRule(_Rules):
    """Every value at an address is a word of a list."""

    every: Text
    to: Name


class UniqueRule(_Rules):
    """No value stands twice over all these addresses."""

    name: Text
    over: Annotated[tuple[Text, ...], Field(min_length=1)]


class RangeAt(_Rules):
    """Two places that hold the ends of a range; without `most` both ends are the same."""

    least: Text
    most: str = ""


class DrawRules(_Rules):
    """Draw tables: where they are, and where in them stands what. Places are names parted by `/`, below the table."""

    name: Name
    tables: Text
    takes: int | RangeAt = Field(1, description="how many prizes are drawn")
    repeats: bool | str = Field(True, description="may a prize be drawn twice; or the place that says so")
    prizes: str = Field("", description="the list of what is drawn; the table itself where nothing is given")
    weight: Text = "weight"
    thing: str = Field("", description="what a prize is")
    table: str = Field("", description="or the name of the table that it leads to")
    counts: int | RangeAt = Field(1, description="how many pieces, or how many uses of that table")
    variant: str = Field("", description="what may come in place of the thing")
    variant_chance: str = ""


class BetweenRules(_Rules):
    """A value moves along a line between two thresholds: at `low` it is `at_low` times as much, at `high` `at_high`."""

    low: Text
    high: Text
    at_low: Decimal
    at_high: Decimal


class DerivedRules(_Rules):
    """A value that the game works out: `value` of `each` entry, or what stands `otherwise` where that is `sentinel`.

    In `otherwise`, {field} is the entry's own field.
    """

    name: Name
    each: Text
    value: Text
    sentinel: str = ""
    otherwise: str = ""
    between: BetweenRules | None = None


class Trouble(_Rules):
    """How a game says that something went wrong."""

    crash_files: tuple[Name, ...] = ()
    log: Annotated[str, Field(description="the path of the log file")] = ""
    log_patterns: Annotated[
        tuple[Name, ...], Field(description="regular expressions; a line that fits one means trouble")
    ] = ()
    ready_pattern: Annotated[str, Field(description="a line that fits says that the game has started")] = ""

    @field_validator("log_patterns", "ready_pattern")
    @classmethod
    def _compiles(cls, value: tuple[str, ...] | str) -> tuple[str, ...] | str:
        for pattern in (value,) if isinstance(value, str) else value:
            try:
                re.compile(pattern)
            except re.error as error:
                raise ValueError(f"`{pattern}` is no regular expression: {error}") from error
        return value


class GamebookFile(_Rules):
    gamebook: Literal[1]
    game: Name
    files: dict[Name, FileRules] = {}
    lists: dict[Name, ListSource] = {}
    refers: tuple[ReferRule, ...] = ()
    unique: tuple[UniqueRule, ...] = ()
    draws: tuple[DrawRules, ...] = ()
    derived: tuple[DerivedRules, ...] = ()
    trouble: Trouble = Trouble()
    ignore: tuple[Name, ...] = Field((), description="path patterns of files that are no configuration, such as logs")
    watch: tuple[Name, ...] = Field((), description="path patterns of files whose content is not kept")
