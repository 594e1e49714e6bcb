"""The shapes of the shelf of snippets."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from zerrit.api.request_model import Sent

Name = Annotated[str, Field(min_length=1, max_length=80)]
Word = Annotated[str, Field(max_length=500)]


class KeptIn(Sent):
    """A snippet for the shelf. `parameters` are words in braces in the text, with their usual values; empty for none."""

    text: Annotated[str, Field(min_length=1, max_length=4_000_000)]
    title: Annotated[str, Field(max_length=200)] = ""
    origin: Word = ""
    path: Annotated[str, Field(max_length=2000)] = ""
    into: Annotated[str, Field(max_length=2000)] = ""
    parameters: Annotated[dict[Name, Word], Field(max_length=50)] = Field(default_factory=dict)


class KeptOut(BaseModel):
    """A snippet on the shelf, without its text. `uses` is the number of places where it was put."""

    name: str
    title: str
    origin: str
    path: str
    into: str
    parameters: dict[str, str]
    person: str
    kept_at: datetime
    changed_at: datetime
    uses: int


class UseOut(BaseModel):
    """Where a snippet is. `differs` are the places that are not as on the shelf now; `is_outdated`: it was changed there since."""

    server: str
    path: str
    values: dict[str, str]
    change: int | None
    person: str
    used_at: datetime
    is_outdated: bool
    differs: list[str]
    fault: str


class KeptTextOut(BaseModel):
    """A snippet on the shelf with its text, and where it is."""

    snippet: KeptOut
    text: str
    places: list[UseOut]


class PlacedIn(Sent):
    """How a snippet of the shelf is put into a change; see the step `merge`. With `dry_run` it is only planned."""

    name: Name
    values: Annotated[dict[Name, Word], Field(max_length=50)] = Field(default_factory=dict)
    path: Annotated[str, Field(max_length=2000)] = ""
    into: Annotated[str, Field(max_length=2000)] = ""
    take: Annotated[list[Annotated[str, Field(max_length=2000)]], Field(max_length=2000)] = Field(default_factory=list)
    existing: Literal["combine", "replace", "skip"] = "combine"
    choices: dict[str, Word] = Field(default_factory=dict)


class UpdateIn(Sent):
    """With `create`, a change is opened for each server that is brought up to date."""

    create: bool = False


class UpdatedOut(BaseModel):
    """What bringing a place up to date does: the number of values that change, and the change that was created for it."""

    server: str
    path: str
    places: int
    change: int | None
    fault: str
