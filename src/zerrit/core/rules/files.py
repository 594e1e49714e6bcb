"""What a gamebook says of a file: its entries, their fields and conditions, the slots of a text file."""

from __future__ import annotations

from decimal import Decimal, InvalidOperation
from typing import Annotated

from pydantic import BeforeValidator, Field, field_validator, model_validator

from zerrit.core.addresses import FILE_ITSELF, Segment, parse_node_address
from zerrit.core.documents.codes import TOLERANCES
from zerrit.core.documents.format import Format
from zerrit.core.documents.measures import Declared, Measure
from zerrit.core.documents.slots import check_form
from zerrit.core.errors import AddressInvalid
from zerrit.core.expressions import compile_pattern
from zerrit.core.rules.base import FieldKind, Name, Part, Pattern, Rule, TakesEffect, Text
from zerrit.core.rules.must import MustRule


class FieldRules(Rule):
    """What a field of an entry may hold."""

    path: str = Field("", description="its place below the entry; by default the field's own name")
    kind: FieldKind | None = Field(
        None,
        alias="is",
        description="the kind of value; a switch is yes or no in any spelling that games use, a range is two numbers "
        "(`12..40`), a quantity a number with a unit (`3 days`)",
    )
    min: Decimal | None = Field(None, description="the smallest number allowed; of a range at either end")
    max: Decimal | None = Field(None, description="the largest number allowed; of a range at either end")
    units: tuple[str, ...] = Field((), description="of a quantity: the units that the game knows")
    unit: str = Field(
        "", max_length=40, description="what a plain number counts, in words, such as `seconds`; it is told beside it"
    )
    plain: bool = Field(False, description="of a range or quantity: a number alone is allowed, too")
    allowed: Name | tuple[str, ...] | None = Field(
        None, alias="list", description="the list that holds the allowed words, or the words themselves"
    )
    matches: Pattern = Field("", description="a regular expression that the whole value must match")
    form: str = Field("", description="what `matches` asks for, in words: `two letters, a hyphen, two digits`")
    usual: tuple[str, ...] = Field(
        (),
        description="words that it usually has; others are allowed, but one that is a letter away from one of these is told",
    )
    always: bool = Field(False, description="every entry has it")
    default: str = Field("", description="the value that the game takes where the field is absent")
    note: str = Field("", description="help for whoever edits it")
    takes_effect: TakesEffect | None = Field(
        None, description="when a new value takes effect, where it differs from the file"
    )

    @property
    def declared(self) -> Declared | None:
        """What the field says of the numbers in its values."""
        if self.kind not in ("range", "quantity"):
            return None
        return Declared(Measure(self.kind), self.units[0] if len(self.units) == 1 else "")

    @model_validator(mode="after")
    def _fits_kind(self) -> FieldRules:
        if self.units and self.kind != "quantity":
            raise ValueError("`units` are those of a quantity; write `is: quantity`")
        if self.kind == "quantity" and len(self.units) != 1 and (self.min is not None or self.max is not None):
            raise ValueError("`min` and `max` of a quantity need its one unit, as in `units: [s]`")
        if self.plain and self.kind not in ("range", "quantity"):
            raise ValueError("`plain` goes with `is: range` or `is: quantity`")
        if self.unit and self.kind not in (None, "integer", "number"):
            raise ValueError("`unit` is what a plain number counts; write `is: number` or `is: integer`")
        if self.default and self.always:
            raise ValueError("`default` is for a field that may be absent, and `always` says that it never is")
        if self.default and isinstance(self.allowed, tuple) and self.default not in self.allowed:
            raise ValueError(f"`default` is `{self.default}`, which is none of the words of `list`")
        if self.default and self.matches and not compile_pattern(self.matches).fullmatch(self.default):
            raise ValueError(f"`default` is `{self.default}`, which does not fit `matches`")
        if self.default and self.kind in ("integer", "number"):
            self._require_number()
        return self

    def _require_number(self) -> None:
        try:
            number = Decimal(self.default)
        except InvalidOperation:
            raise ValueError(f"`default` is `{self.default}`, which is not a number") from None
        if (self.min is not None and number < self.min) or (self.max is not None and number > self.max):
            raise ValueError(f"`default` is {self.default}, which is outside of `min` and `max`")

    @field_validator("default", mode="before")
    @classmethod
    def _default_as_text(cls, value: object) -> object:
        """A default may be written as the file has it: a number, or `true`."""
        if isinstance(value, bool):
            return "true" if value else "false"
        return str(value) if isinstance(value, int | float) else value


def _as_rule(value: object) -> object:
    if value is True:
        return Rule()
    return None if value is False else value


Closed = Annotated[
    Rule | None,
    BeforeValidator(_as_rule, json_schema_input_type=bool | Rule),
    Field(None, description="`true`: it holds nothing but what is named here, so that a misspelled name is found"),
]


class EntryRules(Part):
    """What is known of the entries of one kind."""

    key: str = Field("", description="the field that names an entry: `name`, or `@name` for an XML attribute")
    note: str = Field("", description="what such an entry is")
    closed: Closed
    fields: dict[Name, FieldRules] = Field({}, description="its fields, by a name that conditions use")
    must: tuple[MustRule, ...] = Field((), description="conditions between its fields")


class SlotRules(Part):
    """A part of a text file that can be addressed."""

    pattern: Text = Field(
        description="the text around it, with {} in its place; with {key} before that, each line that fits is an entry of that key"
    )
    separator: str = Field("", description="what parts the entries of a list; empty for a single value")

    @field_validator("pattern")
    @classmethod
    def _has_place(cls, pattern: str) -> str:
        fault = check_form(pattern)
        if fault:
            raise ValueError(fault)
        return pattern


class FileRules(Part):
    """What is known of a file."""

    purpose: str = Field("", description="what the file is for, in a sentence")
    read_as: Format | None = Field(None, description="its format, where its name does not say it or says it wrongly")
    takes_effect: TakesEffect = Field("restart", description="when a change of it takes effect")
    tolerate: tuple[str, ...] = Field((), description="codes of faults that the game accepts in this file")
    rewritten_at_stop: bool = Field(False, description="the game writes this file automatically when it stops")
    optional: bool = Field(False, description="a server may do without this file")
    keep_large: bool = Field(
        False,
        description="its content is kept in snapshots up to 512 MB; other files only up to 64 MB. For databases",
    )
    closed: Closed
    entries: dict[Name, EntryRules] = Field(
        {}, description="what is known of its entries, by kind; `.` is the file itself, for the values directly in it"
    )
    slots: dict[Name, SlotRules] = Field({}, description="parts of a text file that can be addressed")

    @field_validator("entries")
    @classmethod
    def _are_kinds(cls, entries: dict[str, EntryRules]) -> dict[str, EntryRules]:
        for kind in entries:
            if any(segment.chooses or segment.choices for segment in _segments(kind)):
                raise ValueError(
                    f"`{kind}` chooses entries by what they are; a kind has names only. Write such a rule as `must` with "
                    "`only_if`, or as `refers` with a condition in its address"
                )
        return entries

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
                raise ValueError(f"`{code}` is not a finding that could be tolerated")
        return codes


def _segments(kind: str) -> tuple[Segment, ...]:
    try:
        return () if kind == FILE_ITSELF else parse_node_address(kind)
    except AddressInvalid:
        return ()  # what is wrong with it is told where it is read
