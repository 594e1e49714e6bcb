"""Entry forms: what they ask, and the steps that their answers make."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from zerrit.api.models import OutcomeOut, StepIn
from zerrit.api.request_model import Sent

_Answer = Annotated[str, Field(max_length=2000)]
_Name = Annotated[str, Field(min_length=1, max_length=200)]


class QuestionOut(BaseModel):
    """One question. `answer` is what is taken where none is given: the default, or the next free number."""

    name: str
    title: str
    kind: Literal["text", "number"]
    answer: str
    matches: str


class FormOut(BaseModel):
    """A form: its questions, and its places in words. `name` is empty for one that was drafted and is in no gamebook."""

    name: str
    about: str
    like: str
    questions: list[QuestionOut]
    places: list[str]


class DraftedFormOut(BaseModel):
    """A form that was made from an existing entry, and the same as YAML for a gamebook."""

    form: FormOut
    text: str


class FormIn(Sent):
    """Answers to a form of the gamebook, by its `name`, or to the one that is drafted from the entry at `like`.

    With `remove`, the thing called `word` is taken out of all places of the form instead; with `rename_to` it gets another word in
    all of them. No other answer is needed then.
    """

    name: Annotated[str, Field(max_length=200)] = ""
    like: Annotated[str, Field(max_length=2000)] = ""
    answers: Annotated[dict[_Name, _Answer], Field(max_length=100, default_factory=dict)]
    remove: bool = False
    rename_to: Annotated[str, Field(max_length=200)] = ""
    dry_run: bool = False


class FilledFormOut(BaseModel):
    """The steps that the answers make, and what each does. `version` is that of the change, which has them unless it was a dry run.

    `left`: of a removal or renaming, the places of the form in which the thing was not found for sure. `named`: of a renaming,
    values elsewhere that are the old word still.
    """

    change: int
    version: int
    is_saved: bool
    steps: list[StepIn]
    outcomes: list[OutcomeOut]
    left: list[str]
    named: list[str]
