"""Entry forms: one sheet of questions for a thing that has its places in many files."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator

from zerrit.core.rules.base import Addresses, Name, Part, Pattern, Text


class QuestionRules(Part):
    """One question of a form."""

    title: str = Field("", max_length=200, description="what is asked, in words")
    default: str = Field("", max_length=2000, description="the answer where none is given")
    matches: Pattern = Field("", description="a regular expression that the whole answer has to match")
    kind: Literal["text", "number"] = Field("text", alias="is", description="what an answer is")
    next_of: Addresses | None = Field(
        None, description="where none is given: the next free number in the family of ids at these addresses"
    )


class FormPlace(Part):
    """One place that a form fills: an entry that is copied, one that is added, or a file that is made from another one."""

    copy_of: str = Field("", alias="copy", max_length=2000, description="the address of the entry that is copied")
    new_name: str = Field("{word}", alias="as", max_length=200, description="the key or name of the copy")
    fields: dict[Name, str] = Field(
        {},
        alias="set",
        description="fields of the copy, or of the entry that is added, with answers in braces; `.` is a copy that has no fields",
    )
    add: str = Field("", max_length=2000, description="the address of the group or list that something is added to")
    name: str = Field(
        "", max_length=200, description="the name of the entry that is added; empty for an item of a list"
    )
    value: str = Field("", max_length=2000, description="the value that is added to a list")
    file: str = Field("", max_length=400, description="the path of a new text file, with answers in braces")
    from_file: str = Field("", alias="from", max_length=400, description="the text file that it is made from")

    @model_validator(mode="after")
    def _is_one(self) -> Self:
        if sum(map(bool, (self.copy_of, self.add, self.file))) != 1:
            raise ValueError("give `copy`, `add` or `file`, and one of them only")
        if self.file and not self.from_file:
            raise ValueError("a `file` needs `from`, the file that it is made from")
        if self.add and not (self.value or self.fields):
            raise ValueError("an `add` needs a `value` or the fields to `set`")
        return self


class FormRules(Part):
    """A sheet of questions that fills every place of a thing."""

    about: str = Field("", max_length=500, description="what it is for")
    like: Text = Field(description="the word of the entry that copies are made of")
    ask: dict[Name, QuestionRules] = Field({}, description="the questions; `word` is what the new thing is called")
    places: tuple[FormPlace, ...] = Field(
        min_length=1, max_length=100, description="the places, in the order of the steps"
    )

    @model_validator(mode="after")
    def _asks_for_a_word(self) -> Self:
        if "word" not in self.ask:
            raise ValueError("a form asks for `word`, by which the new thing is called")
        return self
