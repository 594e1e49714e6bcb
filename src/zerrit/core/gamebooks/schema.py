"""
The shape of a gamebook file, version 1.

These models only describe what may be in the YAML; what follows from it is in
`zerrit.core.gamebooks.gamebook` and the checks. They are frozen, so that the one reading of a gamebook serves
every check of every server. `docs/gamebook.md` and the JSON Schema for editors are made from them, so each field
says in its description what it is.
"""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from zerrit.core.gamebooks.rules import (
    AdviceRule,
    Agreement,
    AlikeRule,
    BalanceRule,
    ChecklistRule,
    DerivedRules,
    DrawRules,
    FileNameRule,
    FileRules,
    InUseRule,
    ListSource,
    MustRule,
    Name,
    NearRule,
    NeedsRule,
    OneOfRule,
    PackedRule,
    Part,
    PresentRule,
    ReferRule,
    Rehearsal,
    SameRule,
    Trouble,
    UniqueRule,
)


class GamebookFile(Part):
    """What is known of one game's files."""

    gamebook: Literal[1] = Field(description="the version of this form; always 1")
    game: Name = Field(description="the name of the game")
    drafted: str = Field(
        "",
        description="what it was drafted from; while this is set, rules that are not `approved` warn and never block",
    )
    files: dict[Name, FileRules] = Field({}, description="what is known of each file, by path or path pattern")
    lists: dict[Name, ListSource] = Field({}, description="lists of words by their names")
    refers: tuple[ReferRule, ...] = Field((), description="values that must be words of a list")
    unique: tuple[UniqueRule, ...] = Field((), description="families of values in which none occurs twice")
    agree: tuple[Agreement, ...] = Field((), description="values that must be the same words")
    same_values: tuple[SameRule, ...] = Field(
        (), description="two tables in which the same key must have the same value"
    )
    must: tuple[MustRule, ...] = Field((), description="conditions between values of several places")
    needs: tuple[NeedsRule, ...] = Field((), description="what needs something else, and whether before it in a list")
    one_of: tuple[OneOfRule, ...] = Field((), description="of several things only one may be on")
    present: tuple[PresentRule, ...] = Field((), description="files that must be there")
    file_names: tuple[FileNameRule, ...] = Field((), description="folders in which only certain file names are read")
    in_use: tuple[InUseRule, ...] = Field((), description="which of several folders the game reads")
    packed: tuple[PackedRule, ...] = Field((), description="folders that the game reads packed")
    alike: tuple[AlikeRule, ...] = Field((), description="variants of one thing that are kept alike")
    near: tuple[NearRule, ...] = Field((), description="points that must lie near others")
    balance: tuple[BalanceRule, ...] = Field((), description="sums that a change should leave as they are")
    advice: tuple[AdviceRule, ...] = Field((), description="values that are allowed, but that veterans warn of")
    draws: tuple[DrawRules, ...] = Field((), description="draw tables, for odds")
    derived: tuple[DerivedRules, ...] = Field((), description="values that the game works out")
    checklist: tuple[ChecklistRule, ...] = Field((), description="what to verify in the game after a change")
    rehearse: Rehearsal | None = Field(None, description="how a copy of a server is started to see whether it does")
    trouble: Trouble = Field(Trouble(), description="how the game says that something went wrong")
    ignore: tuple[Name, ...] = Field((), description="path patterns of files that are no configuration, such as logs")
    watch: tuple[Name, ...] = Field((), description="path patterns of files whose content is not kept")


#: The parts that are lists of rules, in the order in which a person reads them.
RULE_PARTS = (
    "refers", "unique", "agree", "same_values", "must", "needs", "one_of", "present", "file_names", "in_use", "packed",
    "alike", "near", "balance", "advice", "derived", "checklist",
)  # fmt: skip


def json_schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of a gamebook file, for editors that complete and underline while one types."""
    schema = GamebookFile.model_json_schema(by_alias=True)
    own = {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Zerrit gamebook, version 1"}
    return {**own, **schema, **own}
