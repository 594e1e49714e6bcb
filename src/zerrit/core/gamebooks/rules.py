"""The parts of a gamebook: what is said of a file, and each kind of rule."""

from __future__ import annotations

import re
from decimal import Decimal
from typing import Annotated, Any, Final, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, WithJsonSchema, field_validator, model_validator

from zerrit.core.documents.codes import TOLERANCES, Severity
from zerrit.core.documents.measures import Declared, Measure
from zerrit.core.documents.slots import PLACE, check_form
from zerrit.core.gamebooks.conditions import Expression, parse_expression
from zerrit.core.gamebooks.patterns import compile_pattern

FieldKind = Literal["integer", "number", "range", "quantity", "switch", "text"]
TakesEffect = Literal["restart", "reload", "map-change", "new-world", "rejoin"]
Text = Annotated[str, Field(min_length=1, max_length=2000)]
Name = Annotated[str, Field(min_length=1, max_length=200)]
Place = Annotated[
    str, Field(min_length=1, max_length=200, description="a name, or names separated by `/`, below the entry")
]


def _expression(value: object) -> Expression:
    if isinstance(value, Expression):
        return value
    if isinstance(value, bool) or value is None:
        raise ValueError("a condition is a text, such as `least <= holds`")
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
    WithJsonSchema({"type": "string", "description": "a condition, such as `least <= holds`"}),
]
Pattern = Annotated[str, BeforeValidator(_pattern), Field(max_length=1000)]
_TextOrTexts = str | tuple[str, ...]  # what an editor is told may be there
Addresses = Annotated[
    tuple[Text, ...], BeforeValidator(_several, json_schema_input_type=_TextOrTexts), Field(min_length=1)
]
Places = Annotated[
    tuple[Place, ...], BeforeValidator(_several, json_schema_input_type=_TextOrTexts), Field(min_length=1)
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


# --- files ------------------------------------------------------------------------------------------------------------


class FieldRules(Rule):
    """What a field of an entry may hold."""

    path: str = Field("", description="its place below the entry; by default the field's own name")
    kind: FieldKind | None = Field(
        None,
        alias="is",
        description="the kind of value; a switch is yes or no in any spelling that games use, a range is two numbers "
        "(`12..40`), a quantity a number with a unit (`3 tides`)",
    )
    min: Decimal | None = Field(None, description="the smallest number allowed; of a range at either end")
    max: Decimal | None = Field(None, description="the largest number allowed; of a range at either end")
    units: tuple[str, ...] = Field((), description="of a quantity: the units that the game knows")
    plain: bool = Field(False, description="of a range or quantity: a number alone is allowed, too")
    allowed: Name | tuple[str, ...] | None = Field(
        None, alias="list", description="the list that holds the allowed words, or the words themselves"
    )
    matches: Pattern = Field("", description="a regular expression that the whole value must match")
    form: str = Field("", description="what `matches` asks for, in words: `two letters, a hyphen, two digits`")
    always: bool = Field(False, description="every entry has it")
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
        return self


class MustRule(Rule):
    """A condition; within an entry it speaks of the entry's fields, otherwise of what `let` names."""

    let: dict[Name, Text] = Field({}, description="names for the values at addresses")
    only_if: Condition | None = Field(None, description="the condition only holds while this does")
    condition: Condition = Field(description="what must be true")


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

    pattern: Text = Field(description="the text around it, with {} in its place")
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
    takes_effect: TakesEffect = Field("restart", description="when a change of it takes effect")
    tolerate: tuple[str, ...] = Field((), description="codes of faults that the game accepts in this file")
    rewritten_at_stop: bool = Field(False, description="the game writes this file automatically when it stops")
    optional: bool = Field(False, description="a server may do without this file")
    closed: Closed
    entries: dict[Name, EntryRules] = Field({}, description="what is known of its entries, by kind")
    slots: dict[Name, SlotRules] = Field({}, description="parts of a text file that can be addressed")

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


# --- lists ------------------------------------------------------------------------------------------------------------


class CsvColumn(Part):
    """A column of a CSV file with a line of headings."""

    file: Name
    column: Name


class SqlQuery(Part):
    """A SELECT on a database file that the game uses; the words are its first column."""

    database: Name = Field(description="the path of the SQLite file")
    query: Text = Field(description="one SELECT")

    @field_validator("query")
    @classmethod
    def _selects(cls, query: str) -> str:
        if not re.match(r"\s*(?:select|with)\b", query, re.IGNORECASE):
            raise ValueError("a query begins with SELECT; nothing else is run on a game's database")
        return query


class ListSource(Part):
    """Where the words of a list come from; several sources add up."""

    source: Texts = Field((), description="addresses whose values are the words")
    take: Literal["value", "name", "key"] = Field(
        "value", description="what of `source` is the word: its value, its name, or the key of the entry"
    )
    only_if: Condition | None = Field(None, description="of `source` only entries whose fields fulfil this")
    file_names: str = Field("", description="a path pattern; the words are the file names without their ending")
    folders: str = Field("", description="a path pattern such as `charts/*`; the words are the names of folders")
    words: tuple[str, ...] = Field((), description="fixed words")
    csv: CsvColumn | None = Field(None, description="a column of a CSV file")
    sql: SqlQuery | None = Field(None, description="a query on a database file that the game uses")
    note: str = Field("", description="what the words are")


# --- rules over files -------------------------------------------------------------------------------------------------


class ReferRule(Rule):
    """Every value at an address is a word of a list."""

    every: Text = Field(description="the address of the values")
    list_name: Name = Field(alias="list", description="the list")
    only_if: Condition | None = Field(None, description="only where the fields around the value fulfil this")
    exceptions: tuple[str, ...] = Field((), description="values that are allowed besides")


class UniqueRule(Rule):
    """No value occurs twice over all these addresses."""

    name: Text = Field(description="what the values are, for the message: `berth codes`")
    over: Addresses = Field(description="the addresses of the values")
    scope: Literal["all", "file"] = Field("all", description="in all files together, or in each file for itself")


class FolderNames(Part):
    """The names of folders."""

    folder: Name = Field(description="a path pattern such as `charts/*`")


class FileNames(Part):
    """The names of files, without their ending."""

    file: Name = Field(description="a path pattern such as `seals/*.seal`")


class AgreeRule(Rule):
    """Places that must have the same words: a short form is the list of them.

    Values at addresses must be the same; the names of folders or files must have them among them. With `every`, each
    value must be the name of the folder or file that it is in.
    """

    sources: tuple[Text | FolderNames | FileNames, ...] = Field((), description="addresses, {folder: …}, {file: …}")
    every: str = Field("", description="an address, each value of which must be its own folder's or file's name")
    name_of: Literal["folder", "file"] = Field("folder", description="what `every` is held against")

    @model_validator(mode="after")
    def _has_two(self) -> AgreeRule:
        if not self.every and len(self.sources) < 2:
            raise ValueError("give two sources that must agree, or `every` and `name_of`")
        return self


def _agreement(value: object) -> object:
    return {"sources": value} if isinstance(value, list | tuple) else value


Agreement = Annotated[
    AgreeRule,
    BeforeValidator(_agreement, json_schema_input_type=AgreeRule | tuple[Text | FolderNames | FileNames, ...]),
]


class Table(Part):
    """Pairs of a key and a value, out of files or of a database."""

    each: str = Field("", description="the address of the entries")
    key: str = Field("", description="the place of the key below an entry")
    value: str = Field("", description="the place of the value below an entry")
    sql: SqlQuery | None = Field(None, description="or a SELECT of two columns: key and value")

    @model_validator(mode="after")
    def _is_one(self) -> Table:
        if (self.sql is None) is not (bool(self.each and self.key and self.value)):
            raise ValueError("give `each`, `key` and `value`, or `sql`")
        return self


class SameRule(Rule):
    """Where two tables have the same key, they must have the same value; `both` asks for the key in each of them."""

    name: Text = Field(description="what the values are, for the message: `draughts of berths`")
    table: Table
    other: Table = Field()
    both: bool = Field(False, description="every key of the first must be in the other")


class NeedsRule(Rule):
    """Something names others that must be on too, and perhaps before it."""

    each: Text = Field(description="the address of the entry that says what it needs")
    name: Place = Field(description="the place of its own name")
    requires: Place = Field(description="the place of the names that it needs")
    list_name: Name = Field(alias="list", description="the list of what is on")
    in_order: bool = Field(False, description="what is needed must be before it in that list")
    off_list: str = Field("", description="the list of what is there but switched off, for the message")


class OneOfRule(Rule):
    """Of the words of a list only one of each stem may be on: one version of a mod."""

    list_name: Name = Field(alias="list", description="the list")
    group_by: Pattern = Field(
        r"(.+?)[-_ .]?v?[0-9][0-9.]*",
        description="a regular expression; words whose first group is equal are one thing",
    )


class PresentRule(Rule):
    """A file must be there; with {} in its path one for each word of a list."""

    file: Text = Field(description="the path, with {} where the word is")
    list_name: str = Field("", alias="list", description="the list of words")

    @model_validator(mode="after")
    def _fits(self) -> PresentRule:
        if bool(self.list_name) is not (PLACE in self.file):
            raise ValueError("`file` has {} where a word of the list `list` is, and neither goes without the other")
        return self


class FileNameRule(Rule):
    """Of the files that a pattern fits, only those with certain names are read."""

    files: Name = Field(description="a path pattern")
    only: Texts = Field((), description="the names that are read")
    list_name: str = Field("", alias="list", description="or the list that holds them, without their ending")


class InUseRule(Rule):
    """Of several folders the game reads the one that a value names; a change elsewhere has no effect."""

    files: Text = Field(description="a path pattern with {} where the word is: `charts/{}/**`")
    value: Text = Field(description="the address of the value that names the folder")

    @field_validator("files")
    @classmethod
    def _has_place(cls, files: str) -> str:
        if files.count(PLACE) != 1:
            raise ValueError("the pattern has one {} where the word is, as in `charts/{}/**`")
        return files


class PackedRule(Rule):
    """The game reads a packed copy of a folder, which must hold the same."""

    folder: Name = Field(description="the folder with the files")
    into: Name = Field(description="the ZIP that the game reads")


class AlikeRule(Rule):
    """Variants of one thing whose fields are kept alike."""

    each: Text = Field(description="the address of the entries")
    group_by: Pattern = Field(
        description="a regular expression on their keys; those whose first group is equal are variants"
    )
    fields: Places = Field(description="the places that should be alike")


class NearRule(Rule):
    """A point is within a distance of another."""

    each: Text = Field(description="the address of the entries")
    coordinates: Places = Field(description="the places of their coordinates")
    target: Text = Field(description="the address of the entries that they must be near to")
    target_coordinates: Texts = Field((), description="theirs, where different")
    target_field: str = Field(
        "", description="the field that names the one to be near to; without it the nearest will do"
    )
    distance: Decimal | Place = Field(description="the distance, or the field of the other that holds it")


class BalanceRule(Rule):
    """A sum over entries that a change should leave as it was, or that has a limit."""

    sum: Text = Field(description="the address of the numbers")
    keep_within: str = Field(
        "", pattern=r"^(\d+(\.\d+)?%?)?$", description="how far a change may move it: `2%` or `40`"
    )
    max: Decimal | None = Field(None, description="the largest sum that the game accepts")


_ADVICE: Final = re.compile(r"(?P<every>.+\S)\s+(?P<test>(?:<=|>=|==|!=|<|>)\s*.+)\Z")


class AdviceRule(Rule):
    """A value that is allowed, but that those who know the game warn of.

    `condition` is a condition on `value`; the short form has the address in front of it: `server.ini#Section/Setting > 60`.
    """

    every: str = Field("", description="the address of the values")
    condition: Condition = Field(description="a condition on `value`, or ADDRESS and a comparison")
    origin: str = Field("", description="where the advice comes from")
    version: str = Field("", description="the version of the game that it was seen in")
    standing: Literal["heard", "confirmed", "doubted"] = Field("heard", description="what became of it since")

    @model_validator(mode="before")
    @classmethod
    def _short(cls, value: Any) -> Any:
        if isinstance(value, dict) and not value.get("every") and isinstance(value.get("condition"), str):
            match = _ADVICE.match(value["condition"])
            if match is None or "#" not in match["every"]:
                raise ValueError(
                    "`condition` is ADDRESS and a comparison (`server.ini#Section/Setting > 60`), or give `every`"
                )
            return {**value, "every": match["every"], "condition": f"value {match['test']}"}
        return value


class ChecklistRule(Rule):
    """What to verify in the game after a change of certain places."""

    after: Text = Field(description="the address of the entries; a change of one of them puts it on the checklist")
    do: Text = Field(description="what to do, with fields of the entry in braces")


# --- draw tables and derived values -----------------------------------------------------------------------------------


class RangeAt(Part):
    """Two places that hold the ends of a range; without `max` one place with a number or a range such as `1..3`."""

    min: Text
    max: str = ""


class DrawRules(Part):
    """Draw tables: where they are, and where in them is what. Places are names separated by `/`, below the table."""

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


class BetweenRules(Part):
    """A value moves along a line between two thresholds: at `low` it is `at_low` times as much, at `high` `at_high`."""

    low: Text
    high: Text
    at_low: Decimal
    at_high: Decimal


class DerivedRules(Rule):
    """A value that the game works out: `value` of `each` entry, or what is at `fallback` where that is `sentinel`.

    In `fallback`, {field} is the entry's own field.
    """

    name: Name
    each: Text
    value: Text
    sentinel: str = Field("", description="the word that sends the game to look elsewhere")
    fallback: str = Field("", description="the address where it looks then")
    between: BetweenRules | None = None


# --- trouble ----------------------------------------------------------------------------------------------------------


class Rehearsal(Part):
    """How a copy of a server is started beside it. A server's admin has to allow it: it is run where the service runs."""

    command: tuple[Name, ...] = Field(
        description="words, with {folder} for the copy, {port} for a free port and {python} for the service's own Python"
    )
    port_at: str = Field("", description="the address in the copy's files that gets that port")
    without: tuple[Name, ...] = Field((), description="path patterns of files that the copy does not need")


class LoadedRules(Part):
    """What the game says that it loaded, held against a list: the switch is on, but did the game take it?"""

    line: Pattern = Field(description="a regular expression with a group `name`; each line that fits names one thing")
    list_name: Name = Field(alias="list", description="the list whose words should all be named")
    required: bool = Field(False, description="a start at which one is missing has failed; else it is only said")


class Trouble(Part):
    """How a game says that something went wrong."""

    crash_files: tuple[Name, ...] = Field((), description="path patterns of the files that a crash leaves")
    log: str = Field("", description="the path of the log file")
    log_patterns: tuple[Pattern, ...] = Field((), description="regular expressions; a line that fits one means trouble")
    ready_pattern: Pattern = Field("", description="a line that fits says that the game has started")
    closed_pattern: Pattern = Field("", description="a line that fits says that the game has stopped")
    noise: tuple[Pattern, ...] = Field((), description="lines that fit say nothing, and are left out of what is shown")
    loaded: tuple[LoadedRules, ...] = Field((), description="what the log says was loaded")
